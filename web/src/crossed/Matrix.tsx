/** The cells of two factors with their readings; between two cells the effect of what differs. */
import type { CrossedEffect, CrossedWhole, Crossing } from "../api/crossing";
import { VariantMark, variantColour } from "../parts/variants";
import { GainMark, RuleGround } from "../rule/marks";
import { reachFor, ruleScale } from "../rule/scale";
import { baseFirst, gridColumn, gridRow } from "./levels";

const RULE = 170;

export function Matrix(props: { crossing: Crossing; chosen: CrossedWhole }) {
  const { crossing, chosen } = props;
  const [baseRow = 0, baseColumn = 0] = crossing.base ?? [];
  const rows = baseFirst(crossing.rows.length, baseRow);
  const columns = baseFirst(crossing.columns.length, baseColumn);
  const gains = [
    ...chosen.along_columns,
    ...chosen.along_rows,
    ...chosen.steps.flatMap((step) => step.interactions),
  ].flatMap((one) => (one.gain === null ? [] : [one.gain]));
  const reach = reachFor([Math.max(0.1, ...gains.map(Math.abs)) * 1.15]);
  const values = chosen.readings.flatMap((one) => one.samples.map((sample) => sample.value));
  const template = `88px ${columns.map((_, n) => (n ? "192px minmax(0,1fr)" : "minmax(0,1fr)")).join(" ")}`;
  const place = (row: number, column: number) => ({ gridRow: row, gridColumn: column });
  const effect = (all: CrossedEffect[], row: number, column: number) =>
    all.find((one) => one.to_cell[0] === row && one.to_cell[1] === column);
  return (
    <div className="mt-2 grid gap-y-1" style={{ gridTemplateColumns: template }}>
      <span className="text-[12px] leading-tight text-ink-2" style={place(1, 1)}>
        {crossing.second_factor}
        <br />
        {crossing.factor || "first factor"}
      </span>
      {columns.map((column, c) => (
        <b key={crossing.columns[column]} className="text-[15px]" style={place(1, gridColumn(c))}>
          {crossing.columns[column]}
        </b>
      ))}
      {rows.map((row, r) => (
        <b
          key={crossing.rows[row]}
          className="self-center text-[15px]"
          style={place(gridRow(r), 1)}
        >
          {crossing.rows[row]}
        </b>
      ))}
      {rows.map((row, r) =>
        columns.map((column, c) => (
          <div key={`${row} ${column}`} style={place(gridRow(r), gridColumn(c))}>
            <Cell crossing={crossing} chosen={chosen} row={row} column={column} all={values} />
          </div>
        )),
      )}
      {rows.map((row, r) =>
        columns.slice(1).map((column, c) => {
          const found = effect(chosen.along_columns, row, column);
          if (!found) return null;
          const words = `${crossing.columns[column]} in ${crossing.rows[row]}`;
          return (
            <div
              key={`${row} ${column}`}
              className="self-center px-2"
              style={place(gridRow(r), gridColumn(c + 1) - 1)}
            >
              <Between words={words} found={found} reach={reach} band={crossing.band} />
            </div>
          );
        }),
      )}
      {rows.slice(1).map((row, r) =>
        columns.map((column, c) => {
          const found = effect(chosen.along_rows, row, column);
          if (!found) return null;
          const words = `${crossing.rows[row]} for ${crossing.rows[baseRow]}, ${crossing.columns[column]}`;
          return (
            <div
              key={`${row} ${column}`}
              className="pl-2"
              style={place(gridRow(r + 1) - 1, gridColumn(c))}
            >
              <Between words={words} found={found} reach={reach} band={crossing.band} />
            </div>
          );
        }),
      )}
      {chosen.steps.flatMap((step) =>
        step.interactions.map((one) => (
          <div
            key={`${one.row} ${one.column}`}
            className="mx-1 rounded-sm bg-brass-soft px-2 py-1"
            style={place(
              gridRow(rows.indexOf(one.row)) - 1,
              gridColumn(columns.indexOf(one.column)) - 1,
            )}
          >
            <p className="text-[12px] font-semibold">
              {crossing.columns[one.column]}{" "}
              {(one.gain ?? 0) >= 0 ? "is better for" : "is worse for"} {crossing.rows[one.row]}
            </p>
            <Rule one={one} reach={reach} band={crossing.band} colour="var(--brass)" />
            <p className="text-[12px] font-semibold">{one.text}</p>
          </div>
        )),
      )}
    </div>
  );
}

function Cell(props: {
  crossing: Crossing;
  chosen: CrossedWhole;
  row: number;
  column: number;
  all: number[];
}) {
  const { crossing, chosen, row, column } = props;
  const cell = crossing.cells.find((one) => one.row === row && one.column === column);
  const reading = chosen.readings.find((one) => one.row === row && one.column === column);
  if (!cell || cell.position === null)
    return (
      <div className="study-row demonstration flex h-full min-h-[92px] items-center border border-line px-3">
        <p className="text-[13px]">{cell?.note || "not measured"}: nothing is said of it</p>
      </div>
    );
  return (
    <div
      className="h-full min-h-[92px] border border-line bg-card px-3 py-1.5"
      style={{ borderTop: `2px solid ${variantColour(cell.position)}` }}
    >
      <p className="flex items-center gap-2">
        <svg width={16} height={16} viewBox="-8 -8 16 16" aria-hidden="true">
          <VariantMark index={cell.position} x={0} y={0} radius={6} />
        </svg>
        <span className="text-[22px] leading-none font-semibold">
          {reading?.text || "no reading"}
        </span>
      </p>
      <Dots position={cell.position} samples={reading?.samples ?? []} all={props.all} />
      <p
        className={`text-[12px] leading-tight ${cell.state === "works" ? "text-ink-2" : "text-behind"}`}
      >
        {reading?.withheld ? "held back: not measured alike" : cell.state}
        {!reading?.withheld && cell.note && `: ${cell.note}`}
      </p>
    </div>
  );
}

/** The rounds of a cell on the scale that all cells share. */
function Dots(props: {
  position: number;
  samples: { run: number; value: number }[];
  all: number[];
}) {
  const low = Math.min(...props.all);
  const span = Math.max(...props.all) - low || 1;
  return (
    <svg
      viewBox="0 0 240 20"
      className="my-0.5 w-full"
      role="img"
      aria-label={`${props.samples.length} rounds`}
    >
      <line x1={2} x2={238} y1={17} y2={17} stroke="var(--brass)" strokeOpacity={0.6} />
      {props.samples.map((one, n) => (
        <circle
          key={one.run}
          cx={6 + (228 * (one.value - low)) / span}
          cy={8 + ((n * 5) % 3) * 2.5}
          r={2.6}
          fill={variantColour(props.position)}
          fillOpacity={0.75}
        />
      ))}
    </svg>
  );
}

function Rule(props: {
  one: { gain: number | null; low: number | null; high: number | null; verdict: string };
  reach: number;
  band: number;
  colour: string;
}) {
  const { one } = props;
  const scale = ruleScale(RULE, props.reach);
  return (
    <svg width={RULE} height={26} aria-hidden="true" className="block">
      <RuleGround scale={scale} height={24} band={props.band} />
      {one.gain !== null && (
        <GainMark
          scale={scale}
          width={RULE}
          middle={12}
          colour={props.colour}
          gain={one.gain}
          low={one.low}
          high={one.high}
          open={one.verdict === "open"}
        />
      )}
    </svg>
  );
}

const WORDS: Record<string, string> = { ahead: "text-ahead", behind: "text-behind" };

function Between(props: { words: string; found: CrossedEffect; reach: number; band: number }) {
  const { found } = props;
  return (
    <>
      <p className="flex items-baseline gap-2 text-[12px] text-ink-2">
        <span className="min-w-0 flex-1 truncate">{props.words}</span>
        <span className={`verdict verdict-${found.verdict}`}>{found.verdict}</span>
      </p>
      <Rule one={found} reach={props.reach} band={props.band} colour="var(--ink)" />
      <p className={`text-[12.5px] font-semibold ${WORDS[found.verdict] ?? "text-ink-2"}`}>
        {found.text || "no interval yet"}
      </p>
    </>
  );
}
