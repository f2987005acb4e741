/** What stands above a lane: its name, and how it is folded, moved and made higher or lower. */

import { significant } from "../parts/text";
import { type LaneState, within } from "./lanes";
import { LANE_LEFT } from "./Plot";
import type { Lane } from "./series";

const STEP = 24;

export function LaneHead(props: {
  lane: Lane;
  state: LaneState;
  change: (to: Partial<LaneState>) => void;
  move: (by: number) => void;
}) {
  const { lane, state, change } = props;
  const taller = (by: number) => change({ height: within(state.height + by), folded: false });
  return (
    <div className="group mt-1 flex items-baseline gap-1 font-dense text-[12px]">
      <button
        type="button"
        aria-expanded={!state.folded}
        aria-label={`${state.folded ? "show" : "fold"} ${lane.name}`}
        className="shrink-0 text-right text-ink-3 hover:text-brass"
        style={{ width: LANE_LEFT - 4 }}
        onClick={() => change({ folded: !state.folded })}
      >
        {state.folded ? "▸" : "▾"}
      </button>
      <b className="whitespace-nowrap">{lane.name}</b>
      <span className="truncate text-ink-2" title={lane.hint}>
        {lane.unit && `${lane.unit} · `}
        {lane.hint}
      </span>
      {!state.folded && (lane.beyond || state.whole) && (
        <button
          type="button"
          className="shrink-0 whitespace-nowrap text-brass"
          title={
            state.whole
              ? "leave out of the scale what lies far above all others"
              : "the scale would be flat: show it to the last value"
          }
          onClick={() => change({ whole: !state.whole })}
        >
          {lane.beyond && !state.whole
            ? `${lane.beyond.count} beyond the scale, up to ${significant(lane.beyond.most)} ${lane.unit}`
            : "whole scale"}
        </button>
      )}
      <span className="ml-auto flex shrink-0 gap-0.5 opacity-0 focus-within:opacity-100 group-hover:opacity-100">
        {(
          [
            ["↑", "move up", () => props.move(-1)],
            ["↓", "move down", () => props.move(1)],
            ["+", "make higher", () => taller(STEP)],
            ["−", "make lower", () => taller(-STEP)],
          ] as const
        ).map(([sign, does, act]) => (
          <button
            key={does}
            type="button"
            aria-label={`${does}: ${lane.name}`}
            title={does}
            className="rounded-sm border border-line px-1 leading-4 text-ink-2 hover:border-brass"
            onClick={act}
          >
            {sign}
          </button>
        ))}
        {!state.folded && (
          <span
            title="drag to make higher or lower"
            className="cursor-ns-resize touch-none px-1 text-ink-3 select-none"
            onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
            onPointerMove={(event) => {
              if (event.buttons) change({ height: within(state.height + event.movementY) });
            }}
          >
            ⇕
          </span>
        )}
      </span>
    </div>
  );
}
