/** The timings and frame stretches of a session as they are marked on a film: the one that is asked for, and all. */
import type { FilmCourse, FilmMark, Footage } from "../api/footage";
import { THIN } from "../parts/text";
import { same } from "./marks";

export function Sentence(props: {
  film: Footage;
  path: string[];
  mark: FilmMark | undefined;
  proposed: { end: "start" | "end"; picture: number } | null;
  all: FilmCourse;
}) {
  const { film, path, mark, proposed } = props;
  const name = path.at(-1) ?? "";
  const timing = film.timings.find((one) => same(one.path, path));
  const at = proposed ? (props.all.at_s[proposed.picture] ?? 0).toFixed(3) : "";
  return (
    <>
      <p className="text-[12px] font-semibold text-brass">{path.join(" · ")}</p>
      <p className="text-[16px]" aria-live="polite">
        {timing?.rate != null
          ? `${name} shows ${timing.rate.toFixed(1)}${THIN}pictures a second, ± ${(timing.rate_plus_minus ?? 0).toFixed(1)}: ${timing.frames} in ${(timing.end_s - timing.start_s).toFixed(2)}${THIN}s.`
          : timing
            ? `${name} takes ${(timing.end_s - timing.start_s).toFixed(3)}${THIN}s, ± ${timing.plus_minus_s.toFixed(3)}: from picture ${mark?.start} to picture ${mark?.end}.`
            : mark?.start != null
              ? `${name} starts in picture ${mark.start}; where does it end?`
              : `Where does ${name} start?`}
      </p>
      {proposed && (
        <p className="text-ink-2">
          <kbd>Enter</kbd> takes picture {proposed.picture} at {at}
          {THIN}s as its {proposed.end}.
        </p>
      )}
    </>
  );
}

export function Timing(props: {
  path: string[];
  film: Footage;
  all: FilmCourse;
  chosen: boolean;
  choose: () => void;
}) {
  const { path, film, all } = props;
  const mark = film.marks.find((one) => same(one.path, path));
  const timing = film.timings.find((one) => same(one.path, path));
  const at = (picture: number | null | undefined) =>
    picture == null ? "" : (all.at_s[picture] ?? 0).toFixed(3);
  return (
    <tr className={`border-t border-line-2 ${props.chosen ? "bg-brass-soft" : ""}`}>
      <th scope="row" className="py-1 text-left font-normal">
        <button
          type="button"
          aria-pressed={props.chosen}
          className={props.chosen ? "font-semibold" : ""}
          onClick={props.choose}
        >
          {path.at(-1)}
        </button>
      </th>
      <td className="text-right font-mono text-[12px]">{at(mark?.start)}</td>
      <td className="text-right font-mono text-[12px]">{at(mark?.end)}</td>
      <td className="text-right whitespace-nowrap">
        {timing?.rate != null
          ? `${timing.rate.toFixed(1)} ± ${(timing.rate_plus_minus ?? 0).toFixed(1)}${THIN}fps`
          : timing
            ? `${(timing.end_s - timing.start_s).toFixed(3)} ± ${timing.plus_minus_s.toFixed(3)}${THIN}s`
            : mark
              ? "not yet"
              : ""}
      </td>
    </tr>
  );
}
