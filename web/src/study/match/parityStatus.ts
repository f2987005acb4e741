/** How a study's parity sheet stands, in the few words of its notch and in a sentence. */
import type { Schemas } from "../../api/client";
import { count } from "../../parts/text";

type ParityStatus = Schemas["ParityStatus"];

export function inShort(status: ParityStatus): string {
  if (!status.runs) return "nothing yet";
  if (status.grave) return `${status.grave} held back`;
  if (status.open) return `${status.open} to settle`;
  return status.waived ? `${status.waived} settled` : "alike";
}

export function inASentence(status: ParityStatus): string {
  const { runs, grave, open, waived } = status;
  if (!runs) return "No run has been read yet: there is nothing to hold against one another.";
  if (grave)
    return `${count(grave, "difference")} between the runs may be all that is measured: the verdicts it touches are held back until somebody settles it.`;
  if (open)
    return `${count(open, "difference")} between the runs ${open === 1 ? "needs a word; until then it stands beside the verdicts it touches." : "need a word; until then they stand beside the verdicts they touch."}`;
  if (waived)
    return `What was not alike in the ${count(runs, "run")} has been settled, with reasons.`;
  return `The ${count(runs, "run")} were measured alike, as far as is known.`;
}
