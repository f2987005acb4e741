/** Read: every metric on the difference rule, and the evidence of the chosen one. */
import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from "@headlessui/react";
import { useCallback, useMemo, useRef } from "react";
import { Link, useSearchParams } from "react-router";
import type { Board, Row, Study } from "../../api/client";
import { useBoard } from "../../api/queries";
import { useKeys } from "../../parts/keyboard";
import { Trouble, Waiting } from "../../parts/Trouble";
import { count } from "../../parts/text";
import { Looks, VariantName, variantColour } from "../../parts/variants";
import { reachFor, ruleScale } from "../../rule/scale";
import { Caveat } from "../Caveat";
import { Evidence } from "./Evidence";
import { Ladders } from "./Ladders";
import { MetricRow } from "./MetricRow";
import { RULE_WIDTH, RuleHead } from "./RuleLines";
import {
  byFamily,
  byStep,
  echoes,
  FAMILY_NAMES,
  FAMILY_ORDER,
  leadOf,
  matters,
  rowKey,
} from "./rows";

export function Read(props: { study: Study }) {
  const [search] = useSearchParams();
  const asked = Number(search.get("baseline") ?? props.study.baseline);
  const there = asked < props.study.variants.length && asked !== props.study.baseline;
  const board = useBoard(props.study.id, there ? asked : undefined);
  if (board.isPending) return <Waiting what="the board" />;
  if (board.error)
    return <Trouble what="The board" error={board.error} again={() => board.refetch()} />;
  if (!board.data.rows.length)
    return (
      <p className="max-w-xl p-6 text-ink-2">
        Nothing has been measured yet. Every metric of the session will stand here on one rule, with
        the baseline in the middle and better to the right. Press <kbd>g</kbd> <kbd>m</kbd> to
        measure.
      </p>
    );
  return (
    <Looks baseline={board.data.baseline}>
      <Rows study={props.study} board={board.data} />
    </Looks>
  );
}

function Rows(props: { study: Study; board: Board }) {
  const { board, study } = props;
  const [search, setSearch] = useSearchParams();
  const view = viewOf(search.get("show"));
  const bySteps = search.get("by") === "steps";
  const without = search.get("without") ?? "";
  const asked = search.get("row");
  const unfolded = [search.get("unfold") ?? "", leadOf(board.rows, asked)]
    .filter(Boolean)
    .join(",");
  const found = useMemo(() => echoes(board.rows), [board]);
  const tops = useMemo(
    () => new Set(board.rows.filter((row) => row.deciding).map((row) => rowKey(row))),
    [board],
  );
  const rows = useMemo(() => {
    const shown = board.rows.filter(VIEWS[view].shows);
    if (view === "all")
      return shown.sort((a, b) => placeOf(a, tops, bySteps) - placeOf(b, tops, bySteps));
    const open = new Set(unfolded.split(",").filter(Boolean));
    return shown
      .filter((row) => !row.echo_of)
      .flatMap((row) => [row, ...(open.has(rowKey(row)) ? (found.get(rowKey(row)) ?? []) : [])])
      .sort((a, b) => placeOf(a, tops, bySteps) - placeOf(b, tops, bySteps));
  }, [board, view, found, unfolded, bySteps, tops]);
  const facts = rows.filter((row) => row.counted).length;
  const folded = board.rows.filter((row) => row.judged && row.echo_of).length;
  const chosen = rows.find((row) => rowKey(row) === asked) ?? mostTelling(rows);
  const hidden = new Set(without.split(",").filter(Boolean).map(Number));
  const candidates = useMemo(() => {
    const out = new Set(without.split(",").filter(Boolean).map(Number));
    return board.variants
      .map((_, index) => index)
      .filter((index) => index !== board.baseline && !out.has(index));
  }, [board, without]);

  const change = useCallback(
    (name: string, value: string, row?: string) =>
      setSearch(
        (now) => {
          if (value) now.set(name, value);
          else now.delete(name);
          if (row) now.set("row", row);
          return now;
        },
        { replace: true },
      ),
    [setSearch],
  );
  // A stable way to choose lets the rows that stay the same be left as they are.
  const latest = useRef(change);
  latest.current = change;
  const choose = useCallback((key: string) => latest.current("row", key), []);
  const unfold = useCallback(
    (key: string) => {
      const open = new Set(unfolded.split(",").filter(Boolean));
      const folds = open.delete(key);
      if (!folds) open.add(key);
      latest.current("unfold", [...open].join(","), folds ? key : undefined);
    },
    [unfolded],
  );
  const setBaseline = (index: number) =>
    change("baseline", index === props.study.baseline ? "" : String(index));
  // Keys may come faster than the address changes: the walk goes on from where it last went.
  const walked = useRef(chosen);
  walked.current = chosen;
  const step = (by: number) => {
    const place = walked.current ? rows.indexOf(walked.current) : -1;
    const next = rows[Math.max(0, Math.min(rows.length - 1, place + by))];
    if (!next) return;
    walked.current = next;
    change("row", rowKey(next));
  };
  const toggle = (index: number) => {
    if (index === board.baseline || index >= board.variants.length) return;
    if (hidden.has(index)) hidden.delete(index);
    else hidden.add(index);
    change("without", [...hidden].join(","));
  };
  useKeys("Read", [
    { keys: "j", does: "next metric", act: () => step(1) },
    { keys: "k", does: "previous metric", act: () => step(-1) },
    {
      keys: "e",
      does: "next view: what is judged, what matters, main metrics, all that was read",
      act: () => change("show", nextView(view)),
    },
    {
      keys: "f",
      does: "group by family, or by the steps of the session",
      act: () => change("by", bySteps ? "" : "steps"),
    },
    {
      keys: "o",
      does: "show or fold the echoes of this metric",
      act: () => chosen && unfold(rowKey(chosen)),
    },
    {
      keys: "b",
      does: "next variant as baseline",
      act: () => setBaseline((board.baseline + 1) % board.variants.length),
    },
    ...board.variants.map((name, index) => ({
      keys: String(index + 1),
      does: index === board.baseline ? `${name} (baseline, always shown)` : `${name} on and off`,
      act: () => toggle(index),
    })),
  ]);

  // the name of a single candidate stands once, above its verdicts
  const only = candidates.length === 1 ? candidates[0] : undefined;
  const nameWidth =
    only === undefined ? widthOfNames(candidates.map((index) => board.variants[index] ?? "")) : 0;
  const scale = useMemo(
    () =>
      ruleScale(
        RULE_WIDTH,
        reachFor(
          rows.flatMap((row) =>
            candidates.map((index) => row.differences[index]?.gain ?? Number.NaN),
          ),
        ),
      ),
    [rows, candidates],
  );
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_376px]">
      <div tabIndex={0} className="min-h-0 overflow-auto px-6 pb-10">
        <div className="flex items-baseline gap-4 pt-3 pb-1">
          <h1 className="text-[15px] font-semibold">
            {count(facts, "metric")}, {count(candidates.length, "candidate")} against{" "}
            <BaselineChoice board={board} choose={setBaseline} />
          </h1>
          <Link className="plain ml-auto" to={`/studies/${study.id}/race`}>
            Race them
          </Link>
          <fieldset className="flex gap-3">
            <legend className="sr-only">which metrics are shown</legend>
            <button
              type="button"
              className="border-b-2 border-transparent text-brass"
              title={bySteps ? "group by family" : "group by the steps of the session"}
              onClick={() => change("by", bySteps ? "" : "steps")}
            >
              {bySteps ? "by families" : "by steps"}
            </button>
            {(Object.keys(VIEWS) as View[]).map((name) => (
              <button
                key={name}
                type="button"
                aria-pressed={view === name}
                title={VIEWS[name].title}
                className={
                  view === name
                    ? "border-b-2 border-brass font-semibold"
                    : "border-b-2 border-transparent text-brass"
                }
                onClick={() => change("show", name === "judged" ? "" : name)}
              >
                {VIEWS[name].name}
              </button>
            ))}
          </fieldset>
        </div>
        <Notes notes={board.notes} />
        <Ladders board={board} hidden={hidden} />
        <table className="w-full border-collapse">
          <thead className="sticky top-0 z-10 bg-paper text-[12px] text-ink-2">
            <tr>
              <th className="py-1 text-left font-normal">metric</th>
              <th className="text-right font-normal">{board.variants[board.baseline]}</th>
              {only === undefined ? (
                <th style={{ width: nameWidth + 70 }} aria-label="candidate and verdict" />
              ) : (
                <th className="w-[92px] pr-2 pl-3 text-left leading-tight [overflow-wrap:anywhere] [&>span]:whitespace-normal">
                  <VariantName index={only} name={board.variants[only] ?? ""} />
                </th>
              )}
              <th style={{ width: RULE_WIDTH }}>
                <RuleHead scale={scale} />
              </th>
              <th className="pl-2 text-right font-normal">reading</th>
              <th className="text-right font-normal">change</th>
            </tr>
          </thead>
          {grouped(rows, tops, bySteps).map((group) => (
            <tbody key={group.step}>
              <tr>
                <th
                  colSpan={6}
                  scope="rowgroup"
                  className="border-b border-line pt-2.5 pb-0.5 text-left font-semibold"
                >
                  {FAMILY_NAMES[group.step] ?? group.step}
                  {!bySteps && (
                    <FamilyCounts board={board} family={group.step} candidates={candidates} />
                  )}
                </th>
              </tr>
              {group.rows.map((row) => (
                <MetricRow
                  key={rowKey(row)}
                  row={row}
                  board={board}
                  candidates={candidates}
                  nameWidth={nameWidth}
                  scale={scale}
                  chosen={row === chosen}
                  choose={choose}
                  echoes={view === "all" ? NONE : (found.get(rowKey(row)) ?? NONE)}
                  open={unfolded.split(",").includes(rowKey(row))}
                  unfold={unfold}
                  placed={!bySteps || row.deciding}
                />
              ))}
            </tbody>
          ))}
        </table>
        {folded > 0 && view !== "all" && (
          <p className="mt-2 text-[12px] text-ink-2">
            {count(folded, "echo is", "echoes are")} folded under what they follow from, and counted
            there.
          </p>
        )}
      </div>
      <aside tabIndex={0} className="min-h-0 overflow-auto border-l border-line bg-card px-5 py-4">
        {chosen && <Evidence study={study} board={board} row={chosen} candidates={candidates} />}
      </aside>
    </div>
  );
}

const NONE: Row[] = [];
/** Room for the names of candidates, px: a short one needs little, a long one is cut in the end. */
const FEWEST_PX = 56;
const MOST_PX = 112;
const LETTER_PX = 6;

function widthOfNames(names: string[]): number {
  const longest = Math.max(0, ...names.map((name) => name.length));
  return Math.min(MOST_PX, Math.max(FEWEST_PX, LETTER_PX * longest));
}

type View = "judged" | "matters" | "main" | "all";

const VIEWS: Record<View, { name: string; title: string; shows: (row: Row) => boolean }> = {
  matters: {
    name: "only what matters",
    title: "some candidate is ahead or behind",
    shows: (row) => row.judged && matters(row),
  },
  main: {
    name: "main",
    title: "metrics that answer by themselves",
    shows: (row) => row.judged && row.primary,
  },
  judged: { name: "everything", title: "all that is judged", shows: (row) => row.judged },
  all: { name: "all read", title: "also what is read and not judged", shows: () => true },
};

function viewOf(asked: string | null): View {
  return asked && asked in VIEWS ? (asked as View) : "judged";
}

function nextView(view: View): string {
  const names = Object.keys(VIEWS) as View[];
  const next = names[(names.indexOf(view) + 1) % names.length] as View;
  return next === "judged" ? "" : next;
}

/** What cannot be concluded, above all numbers. */
function Notes(props: { notes: Board["notes"] }) {
  if (!props.notes.length) return null;
  return (
    <ul className="mb-1 border-l-2 border-behind bg-card px-3 py-1.5" aria-label="caveats">
      {props.notes.map((note) => (
        <li key={note.text}>
          <Caveat of={note} />
        </li>
      ))}
    </ul>
  );
}

/** Which variant the others are compared with. */
function BaselineChoice(props: { board: Board; choose: (index: number) => void }) {
  const { board } = props;
  return (
    <Listbox value={board.baseline} onChange={props.choose}>
      <ListboxButton
        aria-label={`${board.variants[board.baseline]} ▾, the baseline`}
        className="border-b border-dashed border-brass"
      >
        <VariantName index={board.baseline} name={board.variants[board.baseline] ?? ""} />{" "}
        <span className="text-brass">▾</span>
      </ListboxButton>
      <ListboxOptions
        anchor="bottom start"
        className="z-30 border border-brass bg-card py-1 shadow-lg outline-none"
      >
        {board.variants.map((name, index) => (
          <ListboxOption
            key={name}
            value={index}
            className="cursor-pointer px-3 py-1 text-[13px] data-focus:bg-brass-soft"
          >
            <VariantName index={index} name={name} />
          </ListboxOption>
        ))}
      </ListboxOptions>
    </Listbox>
  );
}

/** What decides stands above everything else, once; then the families, or the steps. */
function grouped(rows: Row[], tops: Set<string>, bySteps: boolean) {
  const decides = rows.filter((row) => onTop(row, tops));
  const rest = rows.filter((row) => !onTop(row, tops));
  const groups = bySteps ? byStep(rest) : byFamily(rest);
  return decides.length ? [{ step: "This decides", rows: decides }, ...groups] : groups;
}

/** Whether a row decides, or echoes one that does. */
function onTop(row: Row, tops: Set<string>): boolean {
  return row.deciding || tops.has([row.echo_of, ...row.stretch].join("~"));
}

/** Where a row stands among all; rows of one place stay in the order of the session. */
function placeOf(row: Row, tops: Set<string>, bySteps: boolean): number {
  if (onTop(row, tops)) return -1;
  return bySteps ? 0 : FAMILY_ORDER.indexOf(row.family);
}

/** How many of a family are behind and ahead, by candidate, as on Home. */
function FamilyCounts(props: { board: Board; family: string; candidates: number[] }) {
  const { board, family, candidates } = props;
  return (
    <span className="float-right flex gap-4 pr-1 text-[12px]">
      {candidates.map((index) => {
        const found = board.families.find((one) => one.variant === index && one.family === family);
        if (!found) return null;
        const words = `${found.behind} behind, ${found.ahead} ahead, ${found.level} level, ${found.open} open`;
        return (
          <span key={index} title={`${board.variants[index]}: ${words}`}>
            <span className="font-dense" style={{ color: variantColour(index) }}>
              {board.variants[index]}
            </span>{" "}
            <span className="text-behind">{found.behind || ""}</span>
            <span aria-hidden="true" className="px-0.5 font-normal text-ink-3">
              |
            </span>
            <span className="text-ahead">{found.ahead || ""}</span>
            <span className="sr-only">{words}</span>
          </span>
        );
      })}
    </span>
  );
}

/** The row to start with: a clear loss, for that is what is overlooked. */
function mostTelling(rows: Row[]): Row | undefined {
  const worst = rows
    .flatMap((row) =>
      row.differences.map((d) => ({
        row,
        weight:
          d?.verdict === "behind" && d.gain != null && row.primary ? -d.gain / (d.band ?? 1) : 0,
      })),
    )
    .sort((a, b) => b.weight - a.weight)[0];
  return worst && worst.weight > 0 ? worst.row : rows[0];
}
