/** Try it: each variant started once on the rig; its window, how long it took, or what went wrong. */
import { type ReactNode, useState } from "react";
import { type Part, type Try, useSessionParts, useTry } from "../../api/asking";
import type { Study } from "../../api/client";
import { useTakeOutVariant } from "../../api/queries";
import { Acts } from "../../parts/Acts";
import { useKeys } from "../../parts/keyboard";
import { duration } from "../../parts/text";
import { VariantMark, VariantName, variantColour } from "../../parts/variants";
import { failed, neverStill, secondsOf } from "./readiness";
import { SHORT } from "./VariantLine";

export function TryIt(props: { study: Study; tries: Try[]; chosen: number | null }) {
  const { study, tries } = props;
  const tryIt = useTry(study.id);
  const under = tries.some((one) => one.state !== "ended");
  const all = () => {
    if (study.variants.length && !under) tryIt.mutate(undefined);
  };
  useKeys("Ask", [{ keys: "y", does: "try every variant once", act: all }]);
  const shown =
    tries.find((one) => one.variant === props.chosen) ??
    tries.find((one) => one.state === "plays") ??
    tries.find((one) => one.state === "ended");
  return (
    <section aria-label="Try it">
      <p className="flex items-baseline gap-2">
        <b className="text-[12px] text-brass">Try it</b>
        <span className="flex-1 text-[12px] text-ink-2">each once; nothing of it is measured</span>
        <Acts>
          <button
            type="button"
            className="act"
            disabled={!study.variants.length || under || tryIt.isPending}
            onClick={all}
          >
            {tries.length ? "try all again" : `try ${study.variants.length > 1 ? "them" : "it"}`}
          </button>
        </Acts>
      </p>
      {shown ? (
        <Shown key={shown.variant} study={study} tried={shown} />
      ) : (
        <p className="mt-2 border border-dashed border-ink-3 px-4 py-8 text-center text-ink-2">
          {study.variants.length
            ? "Each variant is started once: its window stands here within seconds, or what went wrong."
            : "What is to be started is not said yet."}
        </p>
      )}
      {tries.some((one) => secondsOf(one, "shown") !== undefined) && (
        <Times study={study} tries={tries} />
      )}
      {tryIt.error && (
        <p role="alert" className="mt-1 text-behind">
          {tryIt.error.message}
        </p>
      )}
    </section>
  );
}

function Shown(props: { study: Study; tried: Try }) {
  const { tried, study } = props;
  const variant = study.variants.find((one) => one.position === tried.variant);
  const takeOut = useTakeOutVariant(study.id);
  const again = useTry(study.id);
  if (!variant) return null;
  const shown = secondsOf(tried, "shown");
  const steady = secondsOf(tried, "steady");
  const ran = secondsOf(tried, "run");
  const title = tried.windows[0]?.title;
  return (
    <div className="mt-2">
      {tried.pictures > 0 && tried.windows.length > 0 && (
        <WindowPicture tried={tried} name={variant.name} />
      )}
      <p className="mt-1.5">
        <VariantName index={variant.position} name={variant.name} />{" "}
        {tried.state === "waits" && <span className="text-ink-2">waits for the rig</span>}
        {tried.state === "plays" && <span className="text-ink-2">is being started …</span>}
        {shown !== undefined && (
          <>
            <b className="text-[19px]">{duration(shown)}</b>{" "}
            <span className="text-ink-2">until its first window was shown</span>
          </>
        )}
      </p>
      {ran !== undefined && <p className="text-ink-2">It ended after {duration(ran)}.</p>}
      {shown !== undefined && (
        <p className="text-ink-2">
          {title ? `“${title}”` : "a window without a title"}
          {steady !== undefined && `, steady ${duration(steady)} later`}
        </p>
      )}
      {neverStill(tried) && <Moving study={study} />}
      {tried.ended_well && <Ended study={study} />}
      {failed(tried) && !tried.ended_well && (
        <div className="mt-2 border-l-2 border-behind pl-3">
          <p className="font-semibold">
            {tried.outcome === "cut off" && shown === undefined
              ? "No window within 30 s."
              : (WENT_WRONG[tried.outcome] ?? tried.outcome)}
          </p>
          <p className="break-words text-ink-2">{tried.detail}</p>
          <Acts>
            <p className="mt-1 flex gap-3">
              <button
                type="button"
                className="act"
                onClick={() => again.mutate([variant.position])}
              >
                try it again
              </button>
              {variant.runs === 0 && variant.position !== study.baseline && (
                <button
                  type="button"
                  className="act"
                  onClick={() => takeOut.mutate(variant.position)}
                >
                  leave it out for now
                </button>
              )}
            </p>
          </Acts>
        </div>
      )}
    </div>
  );
}

type Session = NonNullable<Study["session"]>;

/** What is seen of a program that draws on and on, and a session that does not wait for its end. */
function Moving(props: { study: Study }) {
  const { session } = props.study;
  if (!session)
    return (
      <Seen study={props.study}>
        It was still drawing 15 s later: where the session waits until it stands still, it will be
        cut off.
      </Seen>
    );
  if (session.nature === "moving")
    return (
      <Seen study={props.study}>
        It draws on by itself, and the session does not wait until it stands still.
      </Seen>
    );
  return (
    <Seen
      study={props.study}
      headline="It was still drawing 15 s later."
      offer="measure what it plays"
      fits={{
        ...session,
        parts: [...(session.parts as Part[]), "play"],
        nature: "moving",
      }}
    >
      If it goes on by itself, as a player or a game does, waiting until it stands still would cut
      every run off.
    </Seen>
  );
}

/** What is seen of a program that showed no window and ended well, and a session that times it. */
function Ended(props: { study: Study }) {
  const { session } = props.study;
  const timed = session?.nature === "command";
  return (
    <Seen
      study={props.study}
      headline="It showed no window, and ended well by itself."
      offer="time it until it ends"
      fits={session && !timed ? { ...session, by_keys: false, nature: "command" } : undefined}
    >
      {timed
        ? "The session times it until it ends."
        : "A command does so, such as one that renders or exports; a program that hands over to another does so, too."}
    </Seen>
  );
}

/** What a try showed of a program's nature, and one act that takes a session that fits it. */
function Seen(props: {
  study: Study;
  headline?: string;
  children: ReactNode;
  offer?: string;
  fits?: Session;
}) {
  const { fits } = props;
  const compose = useSessionParts(props.study.id);
  return (
    <div className="mt-2 border-l-2 border-brass pl-3">
      {props.headline && <p className="font-semibold">{props.headline}</p>}
      <p className="text-ink-2">{props.children}</p>
      {fits && (
        <Acts>
          <button
            type="button"
            className="act mt-1"
            disabled={compose.isPending}
            onClick={() => compose.mutate({ ...fits, parts: fits.parts as Part[] })}
          >
            {props.offer}
          </button>
        </Acts>
      )}
      {compose.error && (
        <p role="alert" className="text-behind">
          {compose.error.message}
        </p>
      )}
    </div>
  );
}

const WENT_WRONG: Record<string, string> = {
  crashed: "It ended by itself before it was asked to.",
  "cut off": "Its window did not stand still within the time it had.",
  hung: "It does not answer.",
  "not started": "It could not be started.",
  refused: "It could not be started.",
  "wrong result": "It did something else than was expected.",
};

/** The main window alone, cut out of what the screen shows. */
function WindowPicture(props: { tried: Try; name: string }) {
  const { tried } = props;
  const window = tried.windows[0];
  const [size, setSize] = useState({ width: 1280, height: 800 });
  const part = window ?? { x: 0, y: 0, ...size };
  const width = Math.max(1, Math.min(part.width, size.width));
  const height = Math.max(1, Math.min(part.height, size.height));
  return (
    <div
      className="relative max-h-60 overflow-hidden border border-line bg-head"
      style={{ aspectRatio: `${width} / ${height}` }}
    >
      <img
        src={`/api/rehearsals/${tried.id}/picture?n=${tried.pictures}`}
        alt={`the window of ${props.name} when it was tried`}
        className="absolute max-w-none"
        style={{
          width: `${(100 * size.width) / width}%`,
          left: `${(-100 * part.x) / width}%`,
          top: `${(-100 * part.y) / height}%`,
        }}
        onLoad={(event) =>
          setSize({
            width: event.currentTarget.naturalWidth,
            height: event.currentTarget.naturalHeight,
          })
        }
      />
    </div>
  );
}

const LEFT = 92;
const WIDTH = 330;
const LINE = 22;

/** How long each took, on one time rule: until its window was shown, and until it stood still. */
function Times(props: { study: Study; tries: Try[] }) {
  const ends = props.tries.map(
    (one) =>
      (secondsOf(one, "shown") ?? 0) + (secondsOf(one, "steady") ?? 0) || one.elapsed_s || 0.1,
  );
  const most = niceSeconds(Math.max(...ends, 0.2));
  const x = (seconds: number) => LEFT + (Math.min(seconds, most) / most) * (WIDTH - LEFT - 8);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${18 + LINE * props.tries.length}`}
      className="mt-3 w-full"
      role="img"
      aria-label={`seconds until each window was shown: ${props.tries
        .map((one) => {
          const name = props.study.variants[one.variant]?.name;
          const shown = secondsOf(one, "shown");
          return `${name} ${shown === undefined ? (SHORT[one.outcome] ?? one.state) : duration(shown)}`;
        })
        .join(", ")}`}
    >
      {[0, 0.5, 1].map((part) => (
        <g key={part}>
          <line x1={x(part * most)} x2={x(part * most)} y1={12} y2={16} stroke="var(--brass)" />
          <text
            x={x(part * most)}
            y={9}
            fontSize={10}
            textAnchor={part === 1 ? "end" : "middle"}
            fill="var(--ink-2)"
          >
            {part === 0 ? "0" : duration(part * most)}
          </text>
        </g>
      ))}
      <line x1={x(0)} x2={x(most)} y1={16} y2={16} stroke="var(--brass)" />
      {props.tries.map((one, line) => {
        const name = props.study.variants[one.variant]?.name ?? "";
        const shown = secondsOf(one, "shown");
        const steady = secondsOf(one, "steady");
        const y = 18 + LINE * line;
        return (
          <g key={one.variant}>
            <VariantMark index={one.variant} x={5} y={y + 10} radius={4} />
            <text x={14} y={y + 14} fontSize={11} fontWeight={600} fill="var(--ink)">
              {name.length > 13 ? `${name.slice(0, 12)}…` : name}
            </text>
            {shown !== undefined && (
              <>
                <rect
                  x={x(0)}
                  y={y + 5}
                  width={x(shown) - x(0)}
                  height={10}
                  fill={variantColour(one.variant)}
                  fillOpacity={0.22}
                />
                <line
                  x1={x(shown)}
                  x2={x(shown)}
                  y1={y + 2}
                  y2={y + 18}
                  stroke={variantColour(one.variant)}
                  strokeWidth={2.5}
                />
                {steady !== undefined && (
                  <rect
                    x={x(shown)}
                    y={y + 5}
                    width={Math.max(0, x(shown + steady) - x(shown))}
                    height={10}
                    fill="none"
                    stroke={variantColour(one.variant)}
                    strokeDasharray="2 2"
                  />
                )}
              </>
            )}
            {shown === undefined && (
              <text x={x(0) + 4} y={y + 14} fontSize={11} fill="var(--behind)">
                {one.state === "ended" ? (SHORT[one.outcome] ?? one.outcome) : ""}
              </text>
            )}
          </g>
        );
      })}
    </svg>
  );
}

/** The next round number of seconds above. */
function niceSeconds(seconds: number): number {
  const size = 10 ** Math.floor(Math.log10(seconds));
  return [1, 2, 5, 10].map((step) => step * size).find((one) => one >= seconds) ?? 10 * size;
}
