/** When a claim was put up: before anything was known, or after a look. */
import { count } from "../../parts/text";

/** `put up before the first run`: a prediction; `put up after 27 runs`: those had been read. */
export function putUp(after: number): string {
  return after ? `put up after ${count(after, "run")}` : "put up before the first run";
}
