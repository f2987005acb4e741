/** The runs shown together: added from the same study, hidden, taken away, laid together. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import type { RunDetail, Study } from "../api/client";
import { useStudy } from "../api/queries";
import { VariantName } from "../parts/variants";
import { alignments, inputBefore } from "./aligned";
import { colourOf, dashOf, type Shown } from "./series";
import { MOST_RUNS, type RunView } from "./useRunView";

/** A button that opens the list of the study's other runs. */
export function AddRun(props: { run: RunDetail; view: RunView }) {
  const study = useStudy(props.run.study);
  return (
    <Popover className="relative">
      <PopoverButton className="button-quiet py-1 whitespace-nowrap">Beside it …</PopoverButton>
      <PopoverPanel
        anchor="bottom end"
        className="z-30 mt-1 max-h-[60vh] w-[340px] overflow-auto border border-line bg-card p-3 shadow-lg"
      >
        {study.data && <Choice study={study.data} {...props} />}
      </PopoverPanel>
    </Popover>
  );
}

function Choice(props: { study: Study; run: RunDetail; view: RunView }) {
  const { study, run, view } = props;
  const full = view.beside.length >= MOST_RUNS - 1;
  const others = study.runs.filter(
    (other) =>
      other.id !== run.run.id &&
      ["measured", "read"].includes(other.state) &&
      other.level === run.run.level,
  );
  const toggle = (id: number) => {
    const now = view.beside.includes(id)
      ? view.beside.filter((one) => one !== id)
      : [...view.beside, id];
    view.say({ with: now.length ? now.join(",") : null });
  };
  return (
    <>
      <p className="mb-2 text-ink-2">
        Up to {MOST_RUNS} runs on one time axis. To see whether variants differ, read the study: it
        takes all its runs together.
      </p>
      {!others.length && <p>This study has no other run of the same load.</p>}
      {study.variants.map((variant, index) => {
        const mine = others.filter((other) => other.variant === index);
        if (!mine.length) return null;
        return (
          <div key={variant.name} className="mb-2">
            <VariantName index={index} name={variant.name} />
            <div className="mt-1 flex flex-wrap gap-1">
              {mine.map((other) => {
                const on = view.beside.includes(other.id);
                return (
                  <button
                    key={other.id}
                    type="button"
                    aria-pressed={on}
                    disabled={full && !on}
                    title={other.round_label}
                    className={`rounded-sm border px-1.5 disabled:opacity-40 ${
                      on ? "border-ink bg-head text-head-ink" : "border-line hover:border-brass"
                    }`}
                    onClick={() => toggle(other.id)}
                  >
                    {other.id}
                    {other.outcome !== "finished" && ` ${other.outcome}`}
                    {other.round === run.run.round && " same round"}
                  </button>
                );
              })}
            </div>
          </div>
        );
      })}
    </>
  );
}

/** The runs on the page, each with its line; what they are laid together at. */
export function Together(props: {
  runs: Shown[];
  view: RunView;
  cursor: number | null;
  hide: (id: number) => void;
}) {
  const { runs, view } = props;
  const main = runs[0]?.detail;
  if (runs.length < 2 || !main) return null;
  const known = alignments(runs.map((run) => run.detail));
  const input = props.cursor === null ? null : inputBefore(main, props.cursor);
  const said = known.some((one) => one.value === view.align);
  return (
    <section
      aria-label="runs side by side"
      className="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-line px-6 py-1.5"
    >
      {runs.map((run, place) => (
        <span key={run.detail.run.id} className="flex items-center gap-1.5 whitespace-nowrap">
          <button
            type="button"
            aria-pressed={run.visible}
            title={`${run.visible ? "hide" : "show"} it (${place + 1})`}
            className={`flex items-center gap-1.5 ${run.visible ? "" : "line-through decoration-2"}`}
            onClick={() => props.hide(run.detail.run.id)}
          >
            <svg width="20" height="6" aria-hidden="true">
              <line
                x1="0"
                x2="20"
                y1="3"
                y2="3"
                stroke={colourOf(run)}
                strokeWidth="2.4"
                strokeDasharray={dashOf(run)?.join(" ")}
              />
            </svg>
            <VariantName index={run.detail.run.variant} name={run.detail.variant_name} /> run{" "}
            {run.detail.run.id}
          </button>
          {place > 0 && (
            <button
              type="button"
              aria-label={`take run ${run.detail.run.id} away`}
              className="text-ink-3 hover:text-behind"
              onClick={() =>
                view.say({
                  with: view.beside.filter((id) => id !== run.detail.run.id).join(",") || null,
                })
              }
            >
              ×
            </button>
          )}
        </span>
      ))}
      <span className="ml-auto flex items-center gap-2">
        <label>
          laid together at{" "}
          <select
            className="field"
            value={view.align}
            onChange={(event) =>
              view.say({ align: event.target.value === "start" ? null : event.target.value })
            }
          >
            {known.map((one) => (
              <option key={one.value} value={one.value}>
                {one.name}
              </option>
            ))}
            {!said && <option value={view.align}>{inputName(main, view.align)}</option>}
          </select>
        </label>
        {input !== null && (
          <button
            type="button"
            className="button-quiet py-0.5"
            title="the last input before the cursor, by its number in each run"
            onClick={() => view.say({ align: `input:${input}` })}
          >
            at the input before the cursor
          </button>
        )}
        <button
          type="button"
          aria-pressed={view.stacked}
          className="button-quiet py-0.5"
          onClick={() => view.say({ stacked: view.stacked ? null : "1" })}
        >
          {view.stacked ? "lay over one another" : "one below the other"}
        </button>
      </span>
    </section>
  );
}

function inputName(run: RunDetail, align: string): string {
  const input = run.first_inputs[Number(align.split(":")[1])];
  return input ? `input “${input.what}” at ${input.at_s.toFixed(2)} s` : "what not all runs have";
}
