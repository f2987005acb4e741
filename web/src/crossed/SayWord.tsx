/** A person's word on whether a variant works: state, remark and picture; or what its runs say. */
import { useState } from "react";
import {
  type CrossedCell,
  type Crossing,
  type CrossingValues,
  useCross,
  useWorksPicture,
} from "../api/crossing";
import { PicturePicker, pastedPicture } from "../parts/PicturePicker";
import { useOfferUndo } from "../parts/Undo";
import { WORKS } from "./cells";

export function SayWord(props: {
  study: number;
  crossing: Crossing;
  cell: CrossedCell;
  done: () => void;
}) {
  const { crossing, cell, study } = props;
  const own = crossing.variants.find((one) => one.position === cell.position);
  const [works, setWorks] = useState(own?.works ?? "");
  const [note, setNote] = useState(own?.note ?? "");
  const [picture, setPicture] = useState<File | null>(null);
  const [without, setWithout] = useState(false);
  const cross = useCross(study);
  const shown = useWorksPicture(study);
  const offer = useOfferUndo();
  const said = (word: { works: string; note: string }): CrossingValues => ({
    second_factor: crossing.second_factor,
    missing: crossing.missing,
    variants: crossing.variants.map((one) =>
      one.position === cell.position ? { ...one, ...word } : one,
    ),
  });
  const keep = async () => {
    await cross.mutateAsync(said({ works, note: works ? note.trim() : "" }));
    if (works && cell.position !== null && (picture || without))
      await shown.mutateAsync({ position: cell.position, picture });
    const before = { works: own?.works ?? "", note: own?.note ?? "" };
    offer({ text: `${cell.variant}: kept`, undo: () => cross.mutate(said(before)) });
    props.done();
  };
  const trouble = cross.error ?? shown.error;
  return (
    <form
      aria-label={`whether ${cell.variant} works`}
      className="mt-1 space-y-2"
      onSubmit={(event) => {
        event.preventDefault();
        keep().catch(() => undefined);
      }}
      onPaste={(event) => {
        const pasted = pastedPicture(event);
        if (pasted) setPicture(pasted);
      }}
      onKeyDown={(event) => event.key === "Escape" && props.done()}
    >
      <label className="block">
        <span className="text-[12px] text-ink-2">does {cell.variant} work?</span>
        <select
          // biome-ignore lint/a11y/noAutofocus: it was asked for by a key or a click just now
          autoFocus
          className="field w-full"
          value={works}
          onChange={(event) => setWorks(event.target.value)}
        >
          <option value="">as its runs and findings say</option>
          {WORKS.map((word) => (
            <option key={word}>{word}</option>
          ))}
        </select>
      </label>
      {works && (
        <>
          <label className="block">
            <span className="text-[12px] text-ink-2">what was seen</span>
            <textarea
              rows={3}
              maxLength={300}
              className="field w-full"
              placeholder="a remark; a picture may be pasted here"
              value={note}
              onChange={(event) => setNote(event.target.value)}
              onKeyDown={(event) =>
                event.key === "Enter" && event.ctrlKey && event.currentTarget.form?.requestSubmit()
              }
            />
          </label>
          <p className="text-[12px]">
            <PicturePicker
              picture={picture}
              choose={setPicture}
              add={cell.picture ? "another picture" : "add a picture"}
            />
            {cell.picture && !picture && (
              <label className="ml-3">
                <input
                  type="checkbox"
                  className="mr-1 accent-[var(--brass)]"
                  checked={without}
                  onChange={(event) => setWithout(event.target.checked)}
                />
                take the old one away
              </label>
            )}
          </p>
        </>
      )}
      {trouble && (
        <p role="alert" className="text-behind">
          {trouble.message}
        </p>
      )}
      <p>
        <button type="submit" className="button" disabled={cross.isPending || shown.isPending}>
          Keep
        </button>{" "}
        <button type="button" className="button-quiet" onClick={props.done}>
          Leave it
        </button>
      </p>
    </form>
  );
}
