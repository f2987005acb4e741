/** How a study's parity sheet stands, in the few words of its notch and in a sentence. */
import type { Schemas } from "../../api/client";
import { count } from "../../parts/words";

type Standing = Schemas["Alike"];

export function inShort(standing: Standing): string {
  if (!standing.runs) return "nothing yet";
  if (standing.grave) return `${standing.grave} held back`;
  if (standing.unsettled) return `${standing.unsettled} to settle`;
  return standing.settled ? `${standing.settled} settled` : "alike";
}

export function inASentence(standing: Standing): string {
  const { runs, grave, unsettled, settled } = standing;
  if (!runs) return "No run has been read yet: there is nothing to hold against one another.";
  if (grave)
    return `${count(grave, "difference")} between the runs may be all that is measured: the verdicts it touches are held back until somebody settles it.`;
  if (unsettled)
    return `${count(unsettled, "difference")} between the runs ${unsettled === 1 ? "needs" : "need"} a word; until then it stands beside the verdicts it touches.`;
  if (settled)
    return `What was not alike in the ${count(runs, "run")} has been settled, with reasons.`;
  return `The ${count(runs, "run")} were measured alike, as far as is known.`;
}
