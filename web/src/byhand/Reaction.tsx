/** A small exercise: how much a person's reactions differ from one another. */
import { useEffect, useRef, useState } from "react";
import { THIN } from "../parts/text";
import { QUICKEST_MS, type Spread, spreadOf } from "./stopwatch";

const TRIALS = 10;
const LEAST_WAIT_MS = 900;
const MOST_WAIT_MS = 2800;

export function Reaction(props: { found: (spread: Spread) => void; leave: () => void }) {
  const [reactions, setReactions] = useState<number[]>([]);
  const [shownAt, setShownAt] = useState<number | null>(null);
  const [early, setEarly] = useState(false);
  const timer = useRef(0);
  const counted = reactions.filter((ms) => ms >= QUICKEST_MS).length;
  const { found } = props;
  useEffect(() => {
    if (counted >= TRIALS) {
      const spread = spreadOf(reactions);
      if (spread) found(spread);
      return;
    }
    setShownAt(null);
    const wait = LEAST_WAIT_MS + Math.random() * (MOST_WAIT_MS - LEAST_WAIT_MS);
    timer.current = window.setTimeout(() => setShownAt(performance.now()), wait);
    return () => window.clearTimeout(timer.current);
  }, [counted, reactions, found]);
  const press = (at: number) => {
    if (shownAt === null) {
      setEarly(true);
      return;
    }
    setEarly(false);
    setShownAt(null); // at once: a second press is too early, not another reaction to the same
    setReactions((now) => [...now, at - shownAt]);
  };
  const latest = useRef(press);
  latest.current = press;
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key !== " " || event.repeat) return;
      event.preventDefault();
      latest.current(event.timeStamp);
    };
    window.addEventListener("keydown", onKey, true);
    return () => window.removeEventListener("keydown", onKey, true);
  }, []);
  return (
    <section aria-label="your reactions" className="max-w-[640px]">
      <h2 className="text-[17px] font-semibold">How much do your reactions differ?</h2>
      <p className="mt-1 text-ink-2">
        Press the space bar, or click, as soon as the field fills. {TRIALS} times; the waits differ.
        What your reactions have in common cancels between the start and the end of a timing; what
        they differ by does not, and becomes the ± of all you time.
      </p>
      <button
        type="button"
        aria-label={shownAt === null ? "wait" : "now"}
        className={`mt-3 flex h-[150px] w-full items-center justify-center border-2 text-[20px] font-semibold ${
          shownAt === null ? "border-line bg-card text-ink-3" : "border-brass bg-head text-head-ink"
        }`}
        onPointerDown={(event) => press(event.timeStamp)}
      >
        {shownAt === null ? "wait …" : "now"}
      </button>
      <p role="status" className="mt-2">
        {counted} of {TRIALS}
        {reactions.length > 0 && `, the last after ${Math.round(reactions.at(-1) ?? 0)}${THIN}ms`}
        {early && <span className="text-behind"> · too early: wait until it fills</span>}
      </p>
      <button type="button" className="button-quiet mt-2" onClick={props.leave}>
        Leave the exercise
      </button>
    </section>
  );
}
