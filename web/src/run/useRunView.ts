/** What of a run is looked at, and how: all of it stands in the address. */
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { type LaneState, lanesFrom, lanesTo } from "./lanes";
import type { Span } from "./span";

export const MOST_RUNS = 8;
const SETTLED_MS = 250;

export interface RunView {
  chosen: Span;
  view: Span;
  /** The other runs shown with the page's own. */
  beside: number[];
  align: string;
  stacked: boolean;
  lanes: LaneState[];
  /** A stretch held to compare the chosen one with, RUN:FROM:TO. */
  held: string | null;
  table: boolean;
  choose: (span: Span) => void;
  look: (span: Span | null) => void;
  /** Set or, with null, drop what the address says. */
  say: (values: Record<string, string | null>) => void;
  arrange: (lanes: LaneState[]) => void;
}

export function useRunView(usual: { chosen: Span; view: Span }): RunView {
  const [search, setSearch] = useSearchParams();
  const number = (name: string, fallback: number) => {
    const text = search.get(name);
    const value = text === null ? Number.NaN : Number(text);
    return Number.isFinite(value) ? value : fallback;
  };
  const say = useCallback(
    (values: Record<string, string | null>) =>
      setSearch(
        (now) => {
          for (const [name, value] of Object.entries(values))
            if (value === null) now.delete(name);
            else now.set(name, value);
          return now;
        },
        { replace: true },
      ),
    [setSearch],
  );
  const [view, setView] = useState<Span | null>(() =>
    search.has("left") || search.has("right")
      ? { from: number("left", usual.view.from), to: number("right", usual.view.to) }
      : null,
  );
  const settled = useRef(0);
  const look = useCallback(
    (span: Span | null) => {
      setView(span);
      window.clearTimeout(settled.current);
      settled.current = window.setTimeout(
        () =>
          say({
            left: span ? span.from.toFixed(4) : null,
            right: span ? span.to.toFixed(4) : null,
          }),
        SETTLED_MS,
      );
    },
    [say],
  );
  useEffect(() => () => window.clearTimeout(settled.current), []);
  const choose = useCallback(
    (span: Span) => say({ from: span.from.toFixed(4), to: span.to.toFixed(4) }),
    [say],
  );
  const [lanes, setLanes] = useState(() => lanesFrom(search.get("lanes")));
  const arranged = useRef(0);
  const arrange = useCallback(
    (to: LaneState[]) => {
      setLanes(to);
      window.clearTimeout(arranged.current);
      arranged.current = window.setTimeout(() => say({ lanes: lanesTo(to) }), SETTLED_MS);
    },
    [say],
  );
  const others = search.get("with") ?? "";
  const beside = useMemo(
    () => [...new Set(others.split(",").filter(Boolean).map(Number))].slice(0, MOST_RUNS - 1),
    [others],
  );
  return {
    chosen: { from: number("from", usual.chosen.from), to: number("to", usual.chosen.to) },
    view: view ?? usual.view,
    beside: beside.filter((run) => Number.isInteger(run) && run > 0),
    align: search.get("align") ?? "start",
    stacked: search.get("stacked") === "1",
    lanes,
    held: search.get("held"),
    table: search.get("table") === "1",
    choose,
    look,
    say,
    arrange,
  };
}
