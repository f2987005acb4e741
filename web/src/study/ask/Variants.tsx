/** The variants of a study: what each is and starts, which is the baseline, which come and go. */
import { useState } from "react";
import { Link } from "react-router";
import type { Try } from "../../api/asking";
import type { Study } from "../../api/client";
import { useAddVariant, useAskChange } from "../../api/queries";
import { Acts } from "../../parts/Acts";
import { InPlace } from "../../parts/InPlace";
import { useTake } from "./ProgramPart";
import { VariantLine } from "./VariantLine";
import { WAYS, type Way, WayIn } from "./WaysIn";

export function Variants(props: {
  study: Study;
  tries: Try[];
  rig: string | undefined;
  chosen: number | null;
  choose: (position: number) => void;
}) {
  const { study } = props;
  const change = useAskChange(study.id);
  const tries = new Map(props.tries.map((one) => [one.variant, one]));
  const programs = new Set(study.variants.map((one) => one.command.split(" ")[0]));
  const baseline = study.variants.find((one) => one.position === study.baseline);
  return (
    <>
      <p className="mb-1">
        Only this is meant to differ:{" "}
        <InPlace
          label="factor"
          value={study.factor}
          maxLength={60}
          placeholder="release, setting …"
          keep={(factor) => change.mutate({ factor })}
          className="ml-0! w-32 rounded-none! border-b-ink-3! font-semibold"
        />
        {study.variants.length > 2 && (
          <Link className="plain ml-3 text-[12px]" to={`/studies/${study.id}/crossed`}>
            cross it with a second factor
          </Link>
        )}
        {change.error && (
          <span role="alert" className="ml-2 text-behind">
            {change.error.message}
          </span>
        )}
      </p>
      {study.variants.length > 0 && (
        <table className="w-full table-fixed text-left">
          <thead>
            <tr className="border-b border-line text-[12px] text-ink-2">
              <th className="w-[30%] py-1 font-normal">variant</th>
              <th className="font-normal">what {props.rig ?? "a rig"} starts</th>
              <th className="w-[138px] text-right font-normal">tried</th>
              <th className="w-[96px]" aria-label="acts" />
            </tr>
          </thead>
          {study.variants.map((variant) => (
            <tbody key={variant.id} aria-label={variant.name}>
              <VariantLine
                study={study}
                variant={variant}
                baseline={baseline?.command ?? ""}
                whole={programs.size > 1}
                tried={tries.get(variant.position)}
                chosen={props.chosen === variant.position}
                choose={() => props.choose(variant.position)}
              />
            </tbody>
          ))}
        </table>
      )}
      <Acts>
        <Another study={study} rig={props.rig} />
      </Acts>
    </>
  );
}

/** Ways to a further variant; the last command is there to be changed. */
function Another(props: { study: Study; rig: string | undefined }) {
  const { study } = props;
  const [way, setWay] = useState<Way | null>(null);
  const add = useAddVariant(study.id);
  const taking = useTake(study, props.rig);
  if (!study.subject) return null;
  const like = study.variants.at(-1)?.command;
  return (
    <div className="mt-2">
      <p className="flex flex-wrap items-baseline gap-x-3 text-ink-2">
        {study.variants.length < 2 ? "compare it with" : "one more:"}
        {(["command", "installed", "releases", "elsewhere"] as Way[]).map((one) => (
          <button
            key={one}
            type="button"
            className="act"
            aria-expanded={way === one}
            onClick={() => setWay(way === one ? null : one)}
          >
            {one === "command" && like ? "the same, started differently" : WAYS[one]}
          </button>
        ))}
        {study.others.length > 0 && <span>or bring in</span>}
        {study.others.map((other) => (
          <button
            key={other.id}
            type="button"
            className="act font-semibold"
            onClick={() => add.mutate(other.id)}
          >
            + {other.name}
          </button>
        ))}
      </p>
      {way && (
        <div className="mt-2 border-l-2 border-brass pl-3">
          <WayIn
            key={`${way} ${study.variants.length}`}
            way={way}
            rig={props.rig}
            like={like}
            program={study.subject}
            busy={taking.busy}
            take={(wanted) => taking.take(wanted).then(() => setWay(null))}
          />
        </div>
      )}
      {(taking.error ?? add.error) && (
        <p role="alert" className="mt-1 text-behind">
          {(taking.error ?? add.error)?.message}
        </p>
      )}
    </div>
  );
}
