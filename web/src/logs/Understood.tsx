/** How a log is understood: each column's meaning over its first values, a plot, the doubts. */
import type { Log, LogColumn, LogMapping, Preview } from "../api/client";
import { useMappings, usePreview } from "../api/logs";
import { Levels } from "../parts/axes";
import { count, significant, THIN } from "../parts/text";

const ROLES: { role: LogColumn["role"]; name: string }[] = [
  { role: "skip", name: "not used" },
  { role: "time", name: "time" },
  { role: "frame time", name: "frame time" },
  { role: "rate", name: "frame rate" },
  { role: "processor", name: "processor use" },
  { role: "memory", name: "memory" },
  { role: "marker", name: "marker" },
  { role: "other", name: "other number" },
  { role: "begin", name: "begin of a timing" },
  { role: "end", name: "end of a timing" },
  { role: "duration", name: "duration" },
  { role: "variant", name: "variant" },
];
/** With one of these rows are somewhere in time. */
/** Whether rows are timings: of them a marker says what was timed. */
function areTimings(roles: LogColumn["role"][]): boolean {
  const eachTook = roles.includes("duration") && !roles.includes("time");
  return eachTook || roles.includes("begin") || roles.includes("end");
}

const SAY_WHEN = new Set<LogColumn["role"]>(["time", "frame time", "begin", "end", "duration"]);

const SEPARATORS = [
  [",", "comma"],
  [";", "semicolon"],
  ["\t", "tab"],
  ["|", "bar"],
  [" ", "blank"],
  ["  ", "any blanks"],
] as const;

export function Understood(props: {
  log: Log;
  mapping: LogMapping;
  change: (mapping: LogMapping) => void;
}) {
  const { log, mapping, change } = props;
  const seen = usePreview(log.id, mapping);
  const mappings = useMappings();
  const units = mappings.data?.units ?? {};
  const roles = mapping.columns.map((column) => column.role);
  const timings = areTimings(roles);
  const fitting = (mappings.data?.kept ?? []).filter((kept) => fits(kept.mapping, mapping));
  const column = (place: number, to: Partial<LogColumn>) =>
    change({
      ...mapping,
      columns: mapping.columns.map((one, n) => (n === place ? { ...one, ...to } : one)),
    });
  const takeRole = (place: number, role: LogColumn["role"]) => {
    const known = units[role] ?? [];
    const had = mapping.columns[place]?.unit ?? "";
    const unit = known.length === 0 || known.includes(had) ? had : (known[0] ?? "");
    const columns = mapping.columns.map((one, n) => (n === place ? { ...one, role, unit } : one));
    const there = columns.some((one) => one.role === mapping.frames);
    const frames = role === "frame time" ? "frame time" : there ? mapping.frames : "";
    change({ ...mapping, columns, frames });
  };
  return (
    <section aria-label="how it is understood" className="mt-3">
      <div className="flex flex-wrap items-center gap-x-5 gap-y-2">
        {mapping.kind === "separated" && (
          <>
            <label>
              columns parted by{" "}
              <select
                className="field"
                value={mapping.separator}
                onChange={(event) => change({ ...mapping, separator: event.target.value })}
              >
                {SEPARATORS.map(([sign, name]) => (
                  <option key={name} value={sign}>
                    {name}
                  </option>
                ))}
              </select>
            </label>
            <label>
              decimal{" "}
              <select
                className="field"
                value={mapping.decimal}
                onChange={(event) => change({ ...mapping, decimal: event.target.value })}
              >
                <option value=".">point</option>
                <option value=",">comma</option>
              </select>
            </label>
            <label>
              lines before the first row{" "}
              <input
                type="number"
                min={0}
                max={1000}
                className="field w-16"
                value={mapping.header}
                onChange={(event) => change({ ...mapping, header: Number(event.target.value) })}
              />
            </label>
          </>
        )}
        {(roles.includes("frame time") || roles.includes("time")) && (
          <label>
            frames from{" "}
            <select
              className="field"
              value={mapping.frames}
              onChange={(event) => change({ ...mapping, frames: event.target.value })}
            >
              {roles.includes("frame time") && (
                <option value="frame time">the frame time: each row is one frame</option>
              )}
              {roles.includes("time") && (
                <option value="time">the time: each row is a frame shown then</option>
              )}
              <option value="">nothing: rows are samples</option>
            </select>
          </label>
        )}
        {!roles.some((one) => SAY_WHEN.has(one)) && (
          <label>
            no column says when; rows come every{" "}
            <input
              type="number"
              min={0}
              max={86400}
              step="any"
              className="field w-20"
              value={mapping.every_s || ""}
              onChange={(event) =>
                change({ ...mapping, every_s: Math.max(0, Number(event.target.value) || 0) })
              }
            />{" "}
            s
          </label>
        )}
        {roles.includes("marker") && !timings && (
          <label>
            markers are{" "}
            <select
              className="field"
              value={mapping.markers}
              onChange={(event) =>
                change({ ...mapping, markers: event.target.value as LogMapping["markers"] })
              }
            >
              <option value="moments">moments of one run</option>
              <option value="steps">steps of one run</option>
              <option value="runs">stretches that become runs</option>
            </select>
          </label>
        )}
        {roles.filter((one) => one === "duration").length > 1 && !roles.includes("time") && (
          <label>
            each column of durations is{" "}
            <select
              className="field"
              value={mapping.durations ?? "runs"}
              onChange={(event) =>
                change({ ...mapping, durations: event.target.value as LogMapping["durations"] })
              }
            >
              <option value="timings">a timing of the run that its row is</option>
              <option value="runs">a run of its own</option>
            </select>
          </label>
        )}
        {mapping.columns.some((one) => one.unit === "% of the machine") && (
          <label>
            cores of that machine{" "}
            <input
              type="number"
              min={1}
              max={4096}
              className="field w-16"
              value={mapping.cores}
              onChange={(event) => change({ ...mapping, cores: Number(event.target.value) || 1 })}
            />
          </label>
        )}
        {fitting.length > 0 && (
          <label>
            as in{" "}
            <select
              className="field"
              value=""
              onChange={(event) => {
                const kept = fitting.find((one) => one.name === event.target.value);
                if (kept) change({ ...kept.mapping, encoding: mapping.encoding });
              }}
            >
              <option value="">a mapping kept …</option>
              {fitting.map((kept) => (
                <option key={kept.name}>{kept.name}</option>
              ))}
            </select>
          </label>
        )}
      </div>
      <Doubts said={[...log.doubts, ...(seen.data?.doubts ?? [])]} seen={seen.data} />
      {seen.error && (
        <p role="alert" className="mt-2 text-behind">
          It cannot be read this way: {seen.error.message}
        </p>
      )}
      <div className="mt-3 overflow-x-auto" tabIndex={0}>
        <table className="border-collapse">
          <thead>
            <tr className="align-top">
              {mapping.columns.map((one, place) => (
                <th
                  key={`${place}${one.name}`}
                  scope="col"
                  className="min-w-[128px] px-2 text-left"
                >
                  <span className="block truncate" title={one.name}>
                    {one.name}
                  </span>
                  <select
                    aria-label={`what ${one.name} is`}
                    className="field mt-0.5 w-full font-normal"
                    value={one.role}
                    onChange={(event) => takeRole(place, event.target.value as LogColumn["role"])}
                  >
                    {ROLES.map(({ role, name }) => (
                      <option key={role} value={role}>
                        {role === "marker" && timings ? "what was timed" : name}
                      </option>
                    ))}
                  </select>
                  <Extent of={seen.data?.columns[place]} />
                  <Unit
                    column={one}
                    units={units[one.role] ?? []}
                    change={(unit) => column(place, { unit })}
                  />
                </th>
              ))}
            </tr>
          </thead>
          <tbody className="font-mono text-[12px]">
            {Array.from({ length: Math.min(8, log.rows.length) }, (_, row) => row).map((row) => (
              <tr key={row} className="border-b border-line-2">
                {mapping.columns.map((one, place) => (
                  <td
                    key={`${place}${one.name}`}
                    className={`px-2 py-0.5 ${one.role === "skip" ? "text-ink-3" : ""}`}
                  >
                    {(one.role === "skip" || !seen.data
                      ? log.rows[row]?.[place]
                      : seen.data?.columns[place]?.cells[row]) ?? ""}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {seen.data && <Plots seen={seen.data} />}
    </section>
  );
}

/** A mapping fits where the file has the same columns in the same order. */
function fits(kept: LogMapping, mine: LogMapping): boolean {
  return (
    kept.kind === mine.kind &&
    kept.columns.length === mine.columns.length &&
    kept.columns.every((column, n) => column.name === mine.columns[n]?.name)
  );
}

/** The smallest and largest value of a column, and how its values run. */
function Extent(props: { of: Preview["columns"][number] | undefined }) {
  const { of } = props;
  if (!of || of.least === null || of.most === null || of.unit === "date and time") return null;
  const unit = ["time of day", "minutes:seconds"].includes(of.unit) ? `${THIN}s` : "";
  const span = of.most - of.least || 1;
  const points = of.drawn
    .map((value, n) => {
      const x = (n / Math.max(1, of.drawn.length - 1)) * 110;
      return `${x.toFixed(1)},${(17 - ((value - (of.least ?? 0)) / span) * 16).toFixed(1)}`;
    })
    .join(" ");
  return (
    <span className="mt-0.5 block font-normal text-[11px] text-ink-2">
      <svg width="110" height="18" aria-hidden="true">
        <polyline points={points} fill="none" stroke="var(--c1)" strokeWidth={1} />
      </svg>
      <span className="block whitespace-nowrap">
        {significant(of.least)} to {significant(of.most)}
        {unit}
      </span>
    </span>
  );
}

function Unit(props: { column: LogColumn; units: string[]; change: (unit: string) => void }) {
  const { column, units } = props;
  if (["skip", "marker", "variant"].includes(column.role)) return null;
  if (column.role === "other")
    return (
      <input
        aria-label={`unit of ${column.name}`}
        className="field mt-0.5 w-full font-normal"
        placeholder="unit"
        maxLength={40}
        value={column.unit}
        onChange={(event) => props.change(event.target.value)}
      />
    );
  return (
    <select
      aria-label={`unit of ${column.name}`}
      className="field mt-0.5 w-full font-normal"
      value={column.unit}
      onChange={(event) => props.change(event.target.value)}
    >
      {units.map((unit) => (
        <option key={unit}>{unit}</option>
      ))}
    </select>
  );
}

function Doubts(props: { said: string[]; seen: Preview | undefined }) {
  const broken = props.seen?.broken ?? [];
  if (!props.said.length && !broken.length) return null;
  return (
    <section aria-label="doubts" className="mt-3 max-w-[900px] border-l-4 border-brass bg-card p-3">
      <h2 className="font-semibold">To be looked at</h2>
      <ul className="mt-1 list-disc pl-5">
        {props.said.map((one) => (
          <li key={one}>{one}</li>
        ))}
        {broken.length > 0 && (
          <li>
            {count(broken.length, "broken line")} among the first:{" "}
            {broken
              .slice(0, 4)
              .map((one) => `line ${one.line} (${one.why})`)
              .join(", ")}
          </li>
        )}
      </ul>
    </section>
  );
}

const PLAIN: Record<string, string> = {
  "subject.processor": "processor",
  "subject.resident": "memory",
};
const WIDTH = 420;
const HEIGHT = 96;
const LEFT = 54;

/** What the first rows would draw, a small plot for each series. */
function Plots(props: { seen: Preview }) {
  return (
    <section aria-label="what the first rows draw" className="mt-4 flex flex-wrap gap-x-6 gap-y-3">
      {props.seen.series
        .filter((series) => series.at_s.length > 1)
        .map((series) => (
          <Small key={series.name} series={series} />
        ))}
    </section>
  );
}

function Small(props: { series: Preview["series"][number] }) {
  const { at_s, value, name, unit } = props.series;
  const [first, last] = [at_s[0] ?? 0, at_s.at(-1) ?? 1];
  const low = Math.min(0, ...value);
  const most = Math.max(...value);
  const high = most > low ? most : low + 1; // nothing but zeros
  const x = (at: number) => LEFT + ((at - first) / (last - first || 1)) * (WIDTH - LEFT - 8);
  const y = (v: number) => HEIGHT - 20 - ((v - low) / (high - low)) * (HEIGHT - 30);
  const plain = PLAIN[name] ?? name.replace(/^log\./, "");
  return (
    <figure>
      <figcaption className="text-[12px]">
        <b>{plain}</b>
        {unit && `, ${unit}`}
      </figcaption>
      <svg width={WIDTH} height={HEIGHT} role="img" aria-label={`${plain} over time`}>
        <Levels
          ticks={[low, high]}
          left={LEFT}
          right={WIDTH}
          y={y}
          says={(level) => significant(level)}
        />
        <polyline
          points={at_s.map((at, n) => `${x(at)},${y(value[n] ?? 0)}`).join(" ")}
          fill="none"
          stroke="var(--c1)"
          strokeWidth={1.2}
        />
        <text x={LEFT} y={HEIGHT - 5} fontSize={10.5} fill="var(--ink-2)">
          {significant(first)}
        </text>
        <text x={WIDTH - 4} y={HEIGHT - 5} fontSize={10.5} textAnchor="end" fill="var(--ink-2)">
          {significant(last)}
          {THIN}s
        </text>
      </svg>
    </figure>
  );
}
