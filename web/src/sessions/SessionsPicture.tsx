/** The table as a picture, so that it can be taken along as it stands. */
import type { SessionTable, SetSession } from "../api/sessions";
import { clipped, THIN } from "../parts/text";
import { VariantMark, variantColour } from "../parts/variants";
import { GainMark, RuleGround, RuleLabels } from "../rule/marks";
import { reachFor, ruleScale } from "../rule/scale";
import { atPlace } from "./order";

/** With this many variants it is as wide as a page; each further one adds to it. */
const USUAL_WIDTH = 1216;
const USUAL_VARIANTS = 3;
const LANE = 17;
const HEAD = 30;
const STEADY_STEP = 34;
const PLACE_STEP = 38;
/** Where the columns begin; `place` with the usual number of variants. */
const X = {
  title: 6,
  share: 250,
  base: 392,
  name: 404,
  rule: 466,
  reading: 878,
  change: 890,
  steady: 1000,
  place: 1118,
};
const RULE = 340;
/** Room for the two lines that name a session. */
const LEAST_HEIGHT = 42;
const ORDINALS = ["first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth"];
const VERDICTS: Record<string, string> = {
  ahead: "var(--ahead)",
  behind: "var(--behind)",
};

export function SessionsPicture(props: {
  table: SessionTable;
  rows: SetSession[];
  pinned: number[];
  chosen: number | null;
}) {
  const { table, rows, pinned } = props;
  const candidates = table.variants.flatMap((_, n) => (n === table.baseline ? [] : [n]));
  const lanes = Math.max(1, candidates.length);
  const height = Math.max(LEAST_HEIGHT, lanes * LANE + 8);
  const laneMiddle = (lane: number) => height / 2 + (lane - (lanes - 1) / 2) * LANE - 1;
  const gains = [
    ...rows.flatMap((one) => one.differences),
    ...table.means.flatMap((mean) => mean.candidates),
  ].flatMap((one) => [one?.gain ?? 0, one?.low ?? 0, one?.high ?? 0]);
  const scale = ruleScale(RULE, reachFor([Math.max(...gains.map(Math.abs), 0.05)]));
  const means = table.means.filter((mean) => mean.candidates.length > 0);
  const { place, width } = columnsOf(table);
  const total = HEAD + (rows.length + means.length) * height + 8;
  const y = (n: number) => HEAD + n * height + (n >= rows.length ? 6 : 0);
  return (
    <svg
      width="100%"
      viewBox={`0 0 ${width} ${total}`}
      role="img"
      aria-label={`${table.headline} Sessions by variants; the numbers can be copied as CSV.`}
      fontFamily="var(--font-sans)"
    >
      <g fontSize={11} fill="var(--ink-2)">
        <text x={X.title} y={20}>
          session
        </text>
        <text x={X.share} y={20}>
          share of a day
        </text>
        <text x={X.base} y={20} textAnchor="end">
          {table.variants[table.baseline]}
        </text>
        <text x={X.reading} y={20} textAnchor="end">
          reading
        </text>
        <text x={X.change} y={20}>
          change
        </text>
        {rows.some((one) => one.steadiness?.some((value) => value !== null)) && (
          <text x={X.steady} y={20}>
            1 % low ÷ average
          </text>
        )}
        {table.variants.map((name, n) => (
          <text key={name} x={place + n * PLACE_STEP} y={20} textAnchor="middle">
            {ORDINALS[n] ?? `${n + 1}.`}
          </text>
        ))}
      </g>
      <g transform={`translate(${X.rule} 0)`}>
        <RuleLabels scale={scale} y={20} />
        <text x={scale.x(0)} y={20} fontSize={11} textAnchor="middle" fill="var(--ink)">
          baseline
        </text>
        <g transform={`translate(0 ${HEAD})`}>
          <RuleGround scale={scale} height={total - HEAD - 4} band={null} />
        </g>
      </g>
      {rows.map((session, n) => (
        <g key={session.study} transform={`translate(0 ${y(n)})`}>
          {(pinned.includes(session.study) || props.chosen === session.study) && (
            <rect
              x={0}
              width={pinned.includes(session.study) ? 4 : 2}
              height={height - 4}
              y={2}
              fill="var(--brass)"
            />
          )}
          <line x1={0} x2={width} y1={0} y2={0} stroke="var(--line)" />
          <text x={X.title + 4} y={17} fontSize={13} fontWeight={600} fill="var(--ink)">
            {clipped(session.title, 36)}
          </text>
          <text x={X.title + 4} y={32} fontSize={11} fill="var(--ink-2)">
            {session.label || "not measured in this session"}
          </text>
          <Share share={session.share} />
          <text x={X.base} y={height / 2 + 4} fontSize={13} textAnchor="end" fill="var(--ink)">
            {session.readings[table.baseline]}
          </text>
          {candidates.map((variant, lane) => (
            <Lane key={variant} {...{ table, session, variant, scale }} middle={laneMiddle(lane)} />
          ))}
          <Steady session={session} height={height} />
          <Places table={table} session={session} middle={height / 2} />
        </g>
      ))}
      {means.map((mean, n) => (
        <g key={mean.kind} transform={`translate(0 ${y(rows.length + n)})`}>
          <line x1={0} x2={width} y1={0} y2={0} stroke={n ? "var(--line)" : "var(--ink-2)"} />
          <text x={X.title + 4} y={17} fontSize={13} fontWeight={600} fill="var(--ink)">
            {mean.name}
          </text>
          <text x={X.title + 4} y={32} fontSize={11} fill="var(--ink-2)">
            {mean.about}
          </text>
          {mean.candidates.map((one, lane) => {
            const middle = laneMiddle(lane);
            return (
              <g key={one.candidate}>
                <Name table={table} variant={one.candidate} y={middle + 4} />
                {one.gain === null ? (
                  <text x={X.rule + RULE + 10} y={middle + 4} fontSize={11.5} fill="var(--ink-2)">
                    {one.why !== mean.candidates[lane - 1]?.why && one.why}
                  </text>
                ) : (
                  <>
                    <g transform={`translate(${X.rule} 0)`}>
                      <LaneBand scale={scale} middle={middle} band={one.band} />
                      <GainMark
                        scale={scale}
                        width={RULE}
                        middle={middle}
                        colour={variantColour(one.candidate)}
                        gain={one.gain}
                        low={one.low}
                        high={one.high}
                        open={one.verdict === "open"}
                      />
                    </g>
                    <text
                      x={X.rule + RULE + 10}
                      y={middle + 4}
                      fontSize={12}
                      fill={VERDICTS[one.verdict] ?? "var(--ink-2)"}
                      fontWeight={600}
                    >
                      {one.text}
                      <tspan fontWeight={400}> {one.verdict}</tspan>
                    </text>
                  </>
                )}
              </g>
            );
          })}
          {n === 0 && <Points table={table} />}
        </g>
      ))}
    </svg>
  );
}

function Share(props: { share: number | null }) {
  if (props.share === null) return null;
  return (
    <g>
      <text x={X.share} y={17} fontSize={13} fill="var(--ink)">
        {Math.round(props.share)}
        {THIN}%
      </text>
      <rect x={X.share} y={23} height={4} width={Math.max(1, props.share)} fill="var(--brass)" />
    </g>
  );
}

function Name(props: { table: SessionTable; variant: number; y: number }) {
  return (
    <text x={X.name} y={props.y} fontSize={12} fontWeight={600} fill={variantColour(props.variant)}>
      {clipped(props.table.variants[props.variant] ?? "", 9)}
    </text>
  );
}

function Lane(props: {
  table: SessionTable;
  session: SetSession;
  variant: number;
  scale: ReturnType<typeof ruleScale>;
  middle: number;
}) {
  const { table, session, variant, scale, middle } = props;
  const difference = session.differences[variant];
  const colour = VERDICTS[difference?.verdict ?? ""] ?? "var(--ink-2)";
  return (
    <g>
      <Name table={table} variant={variant} y={middle + 4} />
      {difference?.gain != null && (
        <g transform={`translate(${X.rule} 0)`}>
          <LaneBand scale={scale} middle={middle} band={difference.band} />
          <GainMark
            scale={scale}
            width={RULE}
            middle={middle}
            colour={variantColour(variant)}
            gain={difference.gain}
            low={difference.low}
            high={difference.high}
            open={difference.verdict === "open"}
          />
        </g>
      )}
      <text x={X.reading} y={middle + 4} fontSize={12.5} textAnchor="end" fill="var(--ink)">
        {session.readings[variant]}
      </text>
      <text x={X.change} y={middle + 4} fontSize={12} fill={colour}>
        {difference
          ? difference.single
            ? "single: no interval"
            : `${short(difference.text)}`
          : ""}
      </text>
    </g>
  );
}

/** What is too small to matter of one comparison: it differs from session to session. */
function LaneBand(props: {
  scale: ReturnType<typeof ruleScale>;
  middle: number;
  band: number | null;
}) {
  return (
    <RuleGround
      scale={props.scale}
      top={props.middle - LANE / 2}
      height={props.middle + LANE / 2}
      band={props.band}
    />
  );
}

/** Without the noun, for the column says what is read. */
function short(text: string): string {
  return text.replace(/ (time|memory|processor time|on disk)$/, "");
}

function Steady(props: { session: SetSession; height: number }) {
  const values = props.session.steadiness;
  if (!values?.some((one) => one !== null)) return null;
  return (
    <g fontSize={11}>
      {values.map((value, n) =>
        value === null ? null : (
          <text
            key={n}
            x={X.steady + n * STEADY_STEP}
            y={props.height / 2 + 4}
            fill={variantColour(n)}
          >
            {value.toFixed(2)}
          </text>
        ),
      )}
    </g>
  );
}

function Places(props: { table: SessionTable; session: SetSession; middle: number }) {
  const { table, session, middle } = props;
  const { place } = columnsOf(table);
  if (!session.places)
    return (
      <text x={place - 14} y={middle + 4} fontSize={11} fill="var(--ink-2)">
        {session.unranked}
      </text>
    );
  return (
    <>
      {table.variants.map((name, n) => {
        const there = atPlace(session.places, n + 1);
        const x = place + n * PLACE_STEP;
        return (
          <g key={name}>
            {there.map((variant, k) => (
              <VariantMark
                key={variant}
                index={variant}
                radius={4.5}
                x={x + (k - (there.length - 1) / 2) * 13}
                y={middle}
              />
            ))}
            {there.length > 1 && (
              <line
                x1={x - 13}
                x2={x + 13}
                y1={middle + 9}
                y2={middle + 9}
                stroke="var(--brass)"
                strokeWidth={1.5}
              />
            )}
          </g>
        );
      })}
    </>
  );
}

function Points(props: { table: SessionTable }) {
  const { table } = props;
  if (!table.ranked) return null;
  const { place } = columnsOf(table);
  return (
    <g>
      <text x={place - 14} y={15} fontSize={11} fill="var(--ink-2)">
        places summed
      </text>
      {table.variants.map((name, n) => (
        <g key={name} transform={`translate(${place - 8 + n * PLACE_STEP} 28)`}>
          <VariantMark index={n} radius={4.5} x={0} y={0} />
          <text x={8} y={4} fontSize={12} fontWeight={600} fill="var(--ink)">
            {table.points[n]}
          </text>
        </g>
      ))}
    </g>
  );
}

/** Where places begin, and how wide the picture is: a variant more takes one more of two columns. */
function columnsOf(table: SessionTable): { place: number; width: number } {
  const more = Math.max(0, table.variants.length - USUAL_VARIANTS);
  return {
    place: X.place + more * STEADY_STEP,
    width: USUAL_WIDTH + more * (STEADY_STEP + PLACE_STEP),
  };
}
