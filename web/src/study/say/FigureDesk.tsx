/** A figure to show: one difference, table or chart as a picture, chosen, looked at and taken. */
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import type { Study } from "../../api/client";
import { figureAddress, type Report } from "../../api/report";
import { useKeys } from "../../parts/keyboard";

const SHAPES = [
  ["wide", "1920 × 1080"],
  ["square", "1080 × 1080"],
] as const;
const THEMES = ["light", "dark"] as const;

/** All that can be shown by itself; the chosen one is in the address. */
export function Figures(props: { report: Report; figure: string }) {
  const [search] = useSearchParams();
  return (
    <nav aria-label="figures" className="h-full overflow-auto py-3">
      <h2 className="px-4 pb-1 font-semibold">Figures</h2>
      <ul>
        {props.report.figures.map((one) => {
          const query = new URLSearchParams(search);
          query.set("figure", one.key);
          const chosen = one.key === props.figure;
          return (
            <li key={one.key}>
              <Link
                to={`?${query}`}
                replace
                aria-current={chosen}
                className={`block border-t border-line-2 px-4 py-1 ${chosen ? "bg-brass-soft font-semibold" : ""}`}
              >
                {one.title}
              </Link>
            </li>
          );
        })}
      </ul>
    </nav>
  );
}

export function FigureDesk(props: { study: Study; report: Report; figure: string; read?: number }) {
  const { study, report, figure } = props;
  const [search, setSearch] = useSearchParams();
  const [failed, setFailed] = useState("");
  const shape = search.get("shape") ?? "wide";
  const theme = search.get("theme") ?? "light";
  // Read from the address itself: keys may come faster than the page is drawn.
  const now = () => new URLSearchParams(window.location.search);
  const set = (name: string, value: string | null) => {
    const next = now();
    if (value === null) for (const one of ["figure", "shape", "theme"]) next.delete(one);
    else next.set(name, value);
    setSearch(next, { replace: true });
  };
  const place = report.figures.findIndex((one) => one.key === figure);
  const step = (by: number) => {
    const at = report.figures.findIndex((one) => one.key === now().get("figure"));
    const next = report.figures[(at + by + report.figures.length) % report.figures.length];
    if (next) set("figure", next.key);
  };
  const turn = (name: string, first: string, second: string) =>
    set(name, (now().get(name) ?? first) === first ? second : first);
  useKeys("Figures", [
    { keys: "ArrowRight", does: "next figure", act: () => step(1) },
    { keys: "ArrowLeft", does: "figure before", act: () => step(-1) },
    {
      keys: "l",
      does: "light or dark",
      act: () => turn("theme", "light", "dark"),
    },
    {
      keys: "f",
      does: "wide or square",
      act: () => turn("shape", "wide", "square"),
    },
  ]);
  const address = (kind: string) =>
    figureAddress(study.id, { key: figure, shape, theme, kind }, props.read);
  const title = report.figures[place]?.title ?? "a figure";
  return (
    <div className="px-8 py-4">
      <div className="flex flex-wrap items-center gap-x-5 gap-y-2">
        {SHAPES.map(([name, size]) => (
          <button
            key={name}
            type="button"
            aria-pressed={shape === name}
            className={shape === name ? "border-b-2 border-brass font-semibold" : "text-ink-2"}
            onClick={() => set("shape", name)}
          >
            {size}
          </button>
        ))}
        {THEMES.map((name) => (
          <button
            key={name}
            type="button"
            aria-pressed={theme === name}
            className={theme === name ? "border-b-2 border-brass font-semibold" : "text-ink-2"}
            onClick={() => set("theme", name)}
          >
            {name}
          </button>
        ))}
        <span className="flex-1" />
        <a className="act" href={address("png")} download>
          save PNG
        </a>
        <a className="act" href={address("svg")} download>
          save SVG
        </a>
        <button type="button" className="act" onClick={() => set("figure", null)}>
          back to the report
        </button>
      </div>
      {failed === address("svg") ? (
        <p role="alert" className="mt-6">
          This figure cannot be drawn: the report holds it no more. Choose another one.
        </p>
      ) : (
        <img
          src={address("svg")}
          alt={`${title}, ${shape}, ${theme}`}
          className={`mt-4 border border-line ${shape === "wide" ? "w-full" : "mx-auto w-[560px]"}`}
          onError={() => setFailed(address("svg"))}
        />
      )}
      <p className="mt-2 text-[12px] text-ink-2">
        It says within itself what was measured with what, on which machine, from how many rounds
        and how sure, for it will be shown without this page. <kbd>←</kbd> <kbd>→</kbd> other
        figures.
      </p>
    </div>
  );
}
