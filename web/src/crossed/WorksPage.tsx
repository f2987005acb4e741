/** What works with what, by itself: every cell, who says so and what shows it; a person's word. */
import { useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import type { Study } from "../api/client";
import { type CrossedCell, type Crossing, useCrossing } from "../api/crossing";
import { useMayChange } from "../api/people";
import { useKeys } from "../parts/keyboard";
import { Trouble, Waiting } from "../parts/Trouble";
import { VariantName } from "../parts/variants";
import { OfStudy } from "../study/OfStudy";
import { cellBeside, inShort, pictureOf } from "./cells";
import { SayWord } from "./SayWord";
import { StateMark } from "./StateMark";

export function WorksPage() {
  const id = Number(useParams().study);
  const crossing = useCrossing(id, "", []);
  return (
    <OfStudy id={id}>
      {(study) => (
        <>
          {crossing.isPending && <Waiting what="what works with what" />}
          {crossing.error && (
            <Trouble
              what="What works with what"
              error={crossing.error}
              again={() => crossing.refetch()}
            />
          )}
          {crossing.data && (
            <Body study={study} crossing={crossing.data} asOf={crossing.dataUpdatedAt} />
          )}
        </>
      )}
    </OfStudy>
  );
}

/** The row and column that an address names, the first where it names none. */
function placeIn(search: URLSearchParams): [number, number] {
  const [row = 0, column = 0] = (search.get("cell") ?? "").split(",").map(Number);
  return [row, column];
}

function Body(props: { study: Study; crossing: Crossing; asOf: number }) {
  const { study, crossing } = props;
  const [search, setSearch] = useSearchParams();
  const navigate = useNavigate();
  const may = useMayChange();
  const [saying, setSaying] = useState(false);
  const [row, column] = placeIn(search);
  const cellAt = (r: number, c: number) =>
    crossing.cells.find((one) => one.row === r && one.column === c);
  const chosen = cellAt(row, column);
  const choose = (to: { row: number; column: number }) => {
    setSaying(false);
    setSearch({ cell: `${to.row},${to.column}` }, { replace: true });
  };
  const size = { rows: crossing.rows.length, columns: crossing.columns.length };
  const go = (rows: number, columns: number) => {
    // keys may come quicker than the page is drawn: the address knows where they have got to
    const from = cellAt(...placeIn(new URLSearchParams(window.location.search)));
    if (from) choose(cellBeside(from, rows, columns, size));
  };
  const say = () => may && chosen?.position !== null && setSaying(true);
  useKeys("What works with what", [
    { keys: "ArrowRight", does: "the cell to the right", act: () => go(0, 1) },
    { keys: "ArrowLeft", does: "the cell to the left", act: () => go(0, -1) },
    { keys: "ArrowDown", does: "the cell below", act: () => go(1, 0) },
    { keys: "ArrowUp", does: "the cell above", act: () => go(-1, 0) },
    {
      keys: "g x",
      does: "what each factor does",
      act: () => navigate(`/studies/${study.id}/crossed`),
    },
    { keys: "w", does: "say whether it works", act: say },
  ]);
  if (!crossing.rows.length)
    return (
      <p className="max-w-[720px] text-ink-2">
        Nothing is crossed here yet.{" "}
        <Link className="plain" to={`/studies/${study.id}/crossed`}>
          Say which levels of two factors the variants have
        </Link>
        ; then every cell stands here, and whether it works.
      </p>
    );
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_356px] gap-6">
      <div className="min-w-0">
        <h1 className="text-[20px] font-semibold">What works with what</h1>
        <p className="mt-1">{inShort(crossing.cells)}</p>
        <p className="text-[12px] text-ink-2">
          From the runs and findings of each; a person’s word goes before both.{" "}
          <Link className="plain" to={`/studies/${study.id}/crossed`}>
            What each factor does <kbd>g x</kbd>
          </Link>
        </p>
        <table className="mt-3 w-full table-fixed border-separate border-spacing-1.5">
          <thead>
            <tr className="text-left">
              <th className="w-28 text-[12px] font-normal text-ink-2">
                {crossing.factor || "first factor"} ↓
                <br />
                {crossing.second_factor} →
              </th>
              {crossing.columns.map((name) => (
                <th key={name} scope="col" className="align-bottom">
                  {name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {crossing.rows.map((name, r) => (
              <tr key={name}>
                <th scope="row" className="text-left align-middle">
                  {name}
                </th>
                {crossing.columns.map((other, c) => (
                  <td key={other} className="h-24 p-0 align-top">
                    <Tile
                      study={study.id}
                      cell={crossing.cells.find((one) => one.row === r && one.column === c)}
                      chosen={r === row && c === column}
                      asOf={props.asOf}
                      choose={() => choose({ row: r, column: c })}
                    />
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {chosen && (
        <aside aria-label="the chosen cell">
          <p className="text-[12px] font-semibold text-brass">
            {crossing.rows[row]} × {crossing.columns[column]}
          </p>
          {saying ? (
            <SayWord
              key={`${row} ${column}`}
              study={study.id}
              crossing={crossing}
              cell={chosen}
              done={() => setSaying(false)}
            />
          ) : (
            <Chosen {...props} cell={chosen} say={may ? say : undefined} />
          )}
        </aside>
      )}
    </div>
  );
}

function Tile(props: {
  study: number;
  cell: CrossedCell | undefined;
  chosen: boolean;
  asOf: number;
  choose: () => void;
}) {
  const { cell } = props;
  if (!cell) return null;
  return (
    <button
      type="button"
      aria-pressed={props.chosen}
      className={`flex h-full w-full gap-2 border bg-card p-2 text-left ${props.chosen ? "border-brass" : "border-line"}`}
      onClick={props.choose}
    >
      <StateMark state={cell.state} />
      <span className="min-w-0 flex-1 leading-tight">
        <b className={cell.state === "not measured" ? "font-normal text-ink-2" : ""}>
          {cell.state}
        </b>
        {cell.note && <span className="mt-0.5 line-clamp-3 block text-[12px]">{cell.note}</span>}
        {cell.by && <span className="block text-[12px] text-ink-2">says {cell.by}</span>}
      </span>
      {cell.picture && (
        <img
          src={pictureOf(props.study, cell, props.asOf)}
          alt=""
          className="max-h-20 max-w-[40%] self-start border border-line object-contain"
        />
      )}
    </button>
  );
}

function Chosen(props: {
  study: Study;
  crossing: Crossing;
  asOf: number;
  cell: CrossedCell;
  say?: (() => void) | undefined;
}) {
  const { cell, study } = props;
  return (
    <>
      {cell.position !== null && (
        <p>
          <VariantName index={cell.position} name={cell.variant} />
        </p>
      )}
      <p className="mt-1 text-[16px]">{cell.state}</p>
      {cell.note && <p className="mt-1">{cell.note}</p>}
      <p className="mt-1 text-ink-2">
        {cell.by
          ? `${cell.by} says so.`
          : cell.position === null
            ? "There is no variant for this cell."
            : "Its runs and findings say so."}{" "}
        {cell.run !== null && (
          <Link className="plain" to={`/runs/${cell.run}`}>
            The run that shows it
          </Link>
        )}
      </p>
      {cell.picture && (
        <a href={pictureOf(study.id, cell, props.asOf)} target="_blank" rel="noreferrer">
          <img
            src={pictureOf(study.id, cell, props.asOf)}
            alt={`${cell.variant}: ${cell.state}`}
            className="mt-2 max-h-[300px] border border-line"
          />
        </a>
      )}
      {props.say && cell.position !== null && (
        <button type="button" className="button mt-3" onClick={props.say}>
          Say whether it works <kbd>w</kbd>
        </button>
      )}
    </>
  );
}
