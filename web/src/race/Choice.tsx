/** Which run of each races, and where all begin together. */
import type { Race, Study } from "../api/client";
import { variantColour } from "../parts/variants";

export function Choice(props: {
  race: Race;
  study: Study;
  say: (changes: Record<string, string | null>) => void;
}) {
  const { race, study } = props;
  const runs = race.racers.map((racer) => racer.run);
  const take = (number: number, run: number | null) => {
    const next = runs.flatMap((one, n) => (n === number ? (run === null ? [] : [run]) : [one]));
    props.say({ runs: next.join(","), t: null });
  };
  const absent = study.variants
    .map((variant, position) => ({ ...variant, position }))
    .filter((variant) => !race.racers.some((racer) => racer.variant === variant.position));
  const first = (variant: number) => race.choices.find((one) => one.variant === variant)?.run;
  return (
    <>
      {race.racers.map((racer, number) => (
        <label key={racer.run} className="flex items-baseline gap-1 text-[12.5px]">
          <span
            className="whitespace-nowrap font-semibold"
            style={{ color: variantColour(racer.variant) }}
          >
            {racer.name}
          </span>
          <select
            className="max-w-[180px] bg-transparent text-[12.5px]"
            aria-label={`run of ${racer.name}`}
            value={racer.run}
            onChange={(event) => take(number, Number(event.target.value) || null)}
          >
            {race.choices
              .filter((one) => one.variant === racer.variant || one.run === racer.run)
              .map((one) => (
                <option key={one.run} value={one.run}>
                  {one.label}
                  {one.filmed && one.label !== "filmed run" ? ", filmed" : ""} ({one.run})
                </option>
              ))}
            {race.racers.length > 2 && <option value="">take out</option>}
          </select>
        </label>
      ))}
      {absent.length > 0 && race.racers.length < 4 && (
        <select
          className="bg-transparent text-[12.5px]"
          aria-label="add a variant"
          value=""
          onChange={(event) =>
            props.say({ runs: [...runs, event.target.value].join(","), t: null })
          }
        >
          <option value="">add …</option>
          {absent.map((variant) => {
            const run = first(variant.position);
            return (
              run !== undefined && (
                <option key={variant.position} value={run}>
                  {variant.name}
                </option>
              )
            );
          })}
        </select>
      )}
      <label className="flex items-baseline gap-1 text-[12.5px]">
        <span className="whitespace-nowrap text-ink-2">together from</span>
        <select
          className="max-w-[170px] bg-transparent font-semibold"
          value={race.at}
          onChange={(event) =>
            props.say({ from: event.target.value === "start" ? null : event.target.value, t: null })
          }
        >
          {race.alignments.map((one) => (
            <option key={one.code} value={one.code}>
              {one.words}
            </option>
          ))}
        </select>
      </label>
    </>
  );
}
