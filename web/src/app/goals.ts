/** Where one can go and what one can do, and which of it a few letters mean. */
import type { Board, Study } from "../api/client";
import type { Key } from "../parts/keyboard";
import { rowKey } from "../study/read/rows";
import { fullName } from "../study/rowChoice";

/** Somewhere to go, or something to do. */
export interface Goal {
  /** What it is, in a word: page, metric, run, script line, fixture, act. */
  kind: string;
  name: string;
  to?: string;
  act?: () => void;
}

/** Goals that hold every word of the text, those that begin with it first. */
export function bestFirst(goals: Goal[], text: string): Goal[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const whole = text.trim().toLowerCase();
  const seen = new Set<string>();
  return goals
    .filter((goal) => {
      const name = goal.name.toLowerCase();
      const known = `${goal.kind} ${goal.kind === "act" ? name : goal.to}`;
      if (seen.has(known) || !words.every((word) => name.includes(word) || goal.kind === word))
        return false;
      seen.add(known);
      return true;
    })
    .sort(
      (a, b) =>
        Number(b.name.toLowerCase().startsWith(whole)) -
        Number(a.name.toLowerCase().startsWith(whole)),
    );
}

/** What the keys of the page do, as acts; walking and finding are left to the keys. */
export function keysAsGoals(groups: { group: string; keys: Key[] }[]): Goal[] {
  return groups
    .filter((group) => group.group !== "Find" && group.group !== "Notches")
    .flatMap((group) => group.keys)
    .filter((key) => !/^(next|previous|back to) /.test(key.does))
    .map((key) => ({
      kind: "act",
      name: `${key.does.charAt(0).toUpperCase()}${key.does.slice(1)}`,
      act: key.act,
    }));
}

/** The metrics, runs and script lines of a study. */
export function goalsInStudy(study: Study, board: Board | undefined): Goal[] {
  const at = `/studies/${study.id}`;
  return [
    ...(board?.rows ?? [])
      .filter((row) => row.judged)
      .map((row) => ({
        kind: "metric",
        name: fullName(row),
        to: `${at}/read?row=${encodeURIComponent(rowKey(row))}`,
      })),
    ...study.runs
      .filter((run) => run.state === "read" || run.state === "running")
      .map((run) => ({
        kind: "run",
        name: `Run ${run.id}, ${study.variants[run.variant]?.name}, ${run.round_label}`,
        to: `/runs/${run.id}`,
      })),
    ...study.script.text.split("\n").flatMap((line, place) =>
      line.trim()
        ? [
            {
              kind: "script line",
              name: `${place + 1}: ${line.trim()}`,
              to: `${at}/script?line=${place + 1}`,
            },
          ]
        : [],
    ),
  ];
}
