/** The runs on the page with what is drawn of each: details once, traces for what is in view. */
import { useQueries } from "@tanstack/react-query";
import { useMemo, useRef } from "react";
import type { RunDetail } from "../api/client";
import { runQuery, traceQuery } from "../api/runs";
import { shiftOf } from "./aligned";
import { LANES } from "./lanes";
import type { Shown } from "./series";
import { fetched } from "./span";
import type { RunView } from "./useRunView";

const POINTS = 8000;
const POINTS_EACH = 4000;

/** Which counters the open lanes may want; all that are not known by name with the others' lane. */
function countersOf(view: RunView, known: string[]): string[] {
  const open = view.lanes.filter((lane) => !lane.folded).map((lane) => lane.id);
  return LANES.filter((kind) => open.includes(kind.id)).flatMap((kind) => kind.counters(known));
}

/** The list as it was before, where it holds the same things. */
function useStable<T>(list: T[]): T[] {
  const kept = useRef(list);
  const alike =
    kept.current.length === list.length && list.every((one, n) => one === kept.current[n]);
  if (!alike) kept.current = list;
  return kept.current;
}

export function useShown(
  main: RunDetail,
  view: RunView,
  whole: number,
  hidden: Set<number>,
): { runs: Shown[]; error: unknown } {
  const others = useQueries({ queries: view.beside.map(runQuery) });
  const details = useStable([main, ...others.flatMap((one) => (one.data ? [one.data] : []))]);
  const shifts = useStable(details.map((detail) => shiftOf(main, detail, view.align)));
  const traces = useQueries({
    queries: details.map((detail, n) => {
      const shift = shifts[n] ?? 0;
      const mine = { from: Math.max(0, view.view.from - shift), to: view.view.to - shift };
      const span = fetched(mine, whole);
      return {
        ...traceQuery(detail.run.id, {
          from: span.from,
          to: Math.max(span.to, span.from + 1e-3),
          points: details.length > 1 ? POINTS_EACH : POINTS,
          counters: countersOf(view, detail.counters).join(","),
        }),
        enabled: detail.run.state !== "queued" && mine.to > 0,
      };
    }),
  });
  const data = useStable(traces.map((trace) => trace.data));
  const runs = useMemo(
    () =>
      details.map((detail, n) => ({
        detail,
        trace: data[n],
        shift: shifts[n] ?? 0,
        twin: details.slice(0, n).filter((one) => one.run.variant === detail.run.variant).length,
        visible: !hidden.has(detail.run.id),
      })),
    [details, shifts, data, hidden],
  );
  return {
    runs,
    error: [...others, ...traces].find((one) => one.error)?.error,
  };
}
