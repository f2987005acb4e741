/** The keys of a run's page. */
import { useState } from "react";
import { useNavigate } from "react-router";
import type { RunDetail } from "../api/client";
import { useKeys } from "../parts/keyboard";
import { nearest } from "./nearest";
import type { Shown } from "./series";
import { panned, type Span, spanOf, zoomed } from "./span";
import type { RunView } from "./useRunView";

export function useRunKeys(props: {
  run: RunDetail;
  runs: Shown[];
  view: RunView;
  whole: number;
  spikes: { at_s: number }[];
  cursor: number | null;
  point: (at: number) => void;
  hide: (id: number) => void;
}) {
  const { run, runs, view, whole, cursor, point } = props;
  const navigate = useNavigate();
  const [spike, setSpike] = useState(-1);
  const steps = run.stretches.filter((stretch) => stretch.kind === "step");
  const place = steps.findIndex((step) => Math.abs(step.start_s - view.chosen.from) < 1e-3);
  const step = (by: number) => {
    const next = steps[Math.max(0, Math.min(steps.length - 1, place + by))];
    if (next) view.choose(spanOf(next));
  };
  /** Bring a moment into view without changing how close one looks. */
  const show = (at: number) => {
    point(at);
    const { from, to } = view.view;
    if (at < from || at > to) view.look(panned(view.view, (at - (from + to) / 2) / (to - from)));
  };
  const toSpike = (by: number) => {
    const { spikes } = props;
    const next = (spike + by + spikes.length) % Math.max(1, spikes.length);
    setSpike(next);
    const found = spikes[next];
    if (found) show(found.at_s);
  };
  const frames = runs[0]?.trace?.frames.at_s ?? [];
  const toFrame = (by: number) => {
    const here = nearest(frames, cursor ?? view.chosen.from);
    const next = frames[Math.max(0, Math.min(frames.length - 1, here + by))];
    if (next !== undefined) show(next);
  };
  const zoom = (factor: number) => {
    const { from, to } = view.view;
    const inView = cursor !== null && cursor > from && cursor < to;
    view.look(zoomed(view.view, inView ? cursor : (from + to) / 2, factor, whole));
  };
  const margin = (span: Span) => ({
    from: Math.max(0, span.from - (span.to - span.from) * 0.03),
    to: span.to + (span.to - span.from) * 0.03,
  });
  useKeys("Run", [
    { keys: "[", does: "previous step", act: () => step(-1) },
    { keys: "]", does: "next step", act: () => step(1) },
    { keys: "n", does: "next spike", act: () => toSpike(1) },
    { keys: "N", does: "previous spike", act: () => toSpike(-1) },
    { keys: ",", does: "previous frame", act: () => toFrame(-1) },
    { keys: ".", does: "next frame", act: () => toFrame(1) },
    { keys: "+", does: "zoom in", act: () => zoom(0.5) },
    { keys: "-", does: "zoom out", act: () => zoom(2) },
    { keys: "ArrowLeft", does: "earlier", act: () => view.look(panned(view.view, -0.25)) },
    { keys: "ArrowRight", does: "later", act: () => view.look(panned(view.view, 0.25)) },
    { keys: "f", does: "zoom to the chosen stretch", act: () => view.look(margin(view.chosen)) },
    { keys: "0", does: "the whole run", act: () => view.look(null) },
    {
      keys: "h",
      does: "hold the chosen stretch, to compare the next with it",
      act: () => view.say({ held: heldOf(run.run.id, view.chosen) }),
    },
    { keys: "H", does: "let the held stretch go", act: () => view.say({ held: null }) },
    {
      keys: "t",
      does: "as a table, and back",
      act: () => view.say({ table: view.table ? null : "1" }),
    },
    {
      keys: "s",
      does: "runs over one another, or one below the other",
      act: () => view.say({ stacked: view.stacked ? null : "1" }),
    },
    ...runs.slice(0, 8).map((shown, n) => ({
      keys: String(n + 1),
      does: `run ${shown.detail.run.id} on and off`,
      act: () => runs.length > 1 && props.hide(shown.detail.run.id),
    })),
    {
      keys: "Escape",
      does: "back to the study",
      act: () => navigate(`/studies/${run.study}/read`),
    },
  ]);
}

/** A stretch of a run as an address holds it. */
export function heldOf(run: number, span: Span): string {
  return `${run}:${span.from.toFixed(4)}:${span.to.toFixed(4)}`;
}

/** A held stretch from an address; null where it makes no sense. */
export function heldFrom(text: string | null): { run: number; span: Span } | null {
  const [run, from, to] = (text ?? "").split(":").map(Number);
  if (!run || from === undefined || to === undefined || !(to > from)) return null;
  return { run, span: { from, to } };
}
