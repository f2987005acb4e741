/** Findings of a run: what only eyes catch, pinned to a moment or a stretch, with a picture. */
import { useEffect, useRef, useState } from "react";
import type { Finding, RunDetail } from "../api/client";
import { useFindings, usePinFinding, useWithdrawFinding } from "../api/runs";
import { Acts } from "../parts/Acts";
import { useKeys } from "../parts/keyboard";
import { PicturePicker, pastedPicture } from "../parts/PicturePicker";
import { THIN } from "../parts/text";
import type { Span } from "./span";

const KINDS: Finding["kind"][] = ["remark", "feel", "artefact", "wrong result", "crash"];

export function Findings(props: {
  run: RunDetail;
  chosen: Span;
  cursor: number | null;
  show: (finding: Finding) => void;
}) {
  const { run } = props;
  const found = useFindings(run.run.id);
  const withdraw = useWithdrawFinding(run.run.id);
  const [open, setOpen] = useState(false);
  const [gone, setGone] = useState<Finding | null>(null);
  useKeys("Findings", [{ keys: "p", does: "pin a finding", act: () => setOpen(true) }]);
  const list = found.data ?? [];
  return (
    <section aria-label="findings" className="mt-4 border-t border-line pt-2">
      <div className="flex items-baseline justify-between">
        <h3 className="font-semibold">
          Findings{" "}
          <span className="font-normal text-ink-2">{list.length ? list.length : "none yet"}</span>
        </h3>
        {!open && (
          <Acts>
            <button type="button" className="text-brass" onClick={() => setOpen(true)}>
              Pin one <kbd>p</kbd>
            </button>
          </Acts>
        )}
      </div>
      {open && (
        <Acts>
          <Form {...props} done={() => setOpen(false)} />
        </Acts>
      )}
      {gone && (
        <p role="status" className="mt-1 text-[12px] text-ink-2">
          Taken back: “{gone.text.slice(0, 40)}”.{" "}
          <button
            type="button"
            className="text-brass"
            onClick={() => {
              withdraw.mutate({ finding: gone.id, withdrawn: false });
              setGone(null);
            }}
          >
            Undo
          </button>
        </p>
      )}
      {list.map((finding) => (
        <article key={finding.id} className="mt-1.5 border-b border-line-2 pb-1.5">
          <div className="flex items-baseline gap-2 text-[12px]">
            <button
              type="button"
              className="font-mono text-brass"
              onClick={() => props.show(finding)}
            >
              {when(finding)}
            </button>
            <b className={faulty(finding.kind) ? "text-behind" : ""}>{finding.kind}</b>
            <span className="truncate text-ink-2">{finding.by}</span>
            <Acts>
              <button
                type="button"
                aria-label={`take back: ${finding.text.slice(0, 40)}`}
                className="ml-auto text-ink-3 hover:text-behind"
                onClick={() => {
                  withdraw.mutate({ finding: finding.id, withdrawn: true });
                  setGone(finding);
                }}
              >
                ×
              </button>
            </Acts>
          </div>
          <p className="whitespace-pre-wrap">{finding.text}</p>
          {finding.clip === "ready" && (
            <video
              controls
              muted
              playsInline
              preload="metadata"
              aria-label={`clip for: ${finding.text.slice(0, 60)}`}
              className="mt-1 max-h-[200px] w-full border border-line bg-black"
              src={`/api/findings/${finding.id}/clip`}
              poster={finding.picture ? `/api/findings/${finding.id}/picture` : undefined}
            />
          )}
          {finding.clip === "wanted" && (
            <p className="text-[12px] text-ink-2">its clip is being cut …</p>
          )}
          {finding.clip === "failed" && (
            <p className="text-[12px] text-behind">no clip: {finding.clip_problem}</p>
          )}
          {finding.picture && finding.clip !== "ready" && (
            <a href={`/api/findings/${finding.id}/picture`} target="_blank" rel="noreferrer">
              <img
                src={`/api/findings/${finding.id}/picture`}
                alt={`for: ${finding.text.slice(0, 60)}`}
                className="mt-1 max-h-[140px] border border-line"
              />
            </a>
          )}
        </article>
      ))}
    </section>
  );
}

/** The longest clip that a report takes, s; the server says the same. */
const MOST_CLIP_S = 15;

const faulty = (kind: string) => ["crash", "artefact", "wrong result"].includes(kind);

function when(finding: Finding): string {
  const to = finding.until_s == null ? "" : `–${finding.until_s.toFixed(2)}`;
  return `${finding.at_s.toFixed(2)}${to}${THIN}s`;
}

function Form(props: { run: RunDetail; chosen: Span; cursor: number | null; done: () => void }) {
  const { run, chosen, cursor } = props;
  const [about, setAbout] = useState<"moment" | "stretch">(cursor === null ? "stretch" : "moment");
  const [kind, setKind] = useState<Finding["kind"]>("remark");
  const [text, setText] = useState("");
  const [picture, setPicture] = useState<File | null>(null);
  const [kept, setKept] = useState("");
  const filmed = run.film?.state === "ready";
  const [still, setStill] = useState(filmed);
  const [clip, setClip] = useState(false);
  const clipped = about === "moment" || chosen.to - chosen.from <= MOST_CLIP_S;
  const [at] = useState(cursor ?? chosen.from);
  const words = useRef<HTMLTextAreaElement>(null);
  useEffect(() => words.current?.focus(), []);
  const pin = usePinFinding(run.run.id);
  const send = () => {
    if (!text.trim()) return;
    const span = about === "moment" ? { at_s: at } : { at_s: chosen.from, until_s: chosen.to };
    pin.mutate(
      {
        body: {
          ...span,
          kind,
          text: text.trim(),
          kept_picture: kept,
          film_still: still && !picture && !kept,
          film_clip: filmed && clip && clipped,
        },
        picture,
      },
      { onSuccess: props.done },
    );
  };
  return (
    <form
      aria-label="a new finding"
      className="mt-1 space-y-1.5 border border-line bg-paper p-2"
      onSubmit={(event) => {
        event.preventDefault();
        send();
      }}
      onPaste={(event) => {
        const pasted = pastedPicture(event);
        if (pasted) setPicture(pasted);
      }}
      onKeyDown={(event) => event.key === "Escape" && props.done()}
    >
      <div className="flex gap-2">
        <select
          aria-label="what it is about"
          className="field min-w-0 flex-1"
          value={about}
          onChange={(event) => setAbout(event.target.value as "moment" | "stretch")}
        >
          <option value="moment">at {at.toFixed(3)} s</option>
          <option value="stretch">
            {chosen.from.toFixed(2)}–{chosen.to.toFixed(2)} s
          </option>
        </select>
        <select
          aria-label="kind of finding"
          className="field"
          value={kind}
          onChange={(event) => setKind(event.target.value as Finding["kind"])}
        >
          {KINDS.map((one) => (
            <option key={one}>{one}</option>
          ))}
        </select>
      </div>
      <textarea
        aria-label="what was seen"
        ref={words}
        rows={3}
        maxLength={2000}
        className="field w-full"
        placeholder="what was seen, heard or felt; a picture may be pasted here"
        value={text}
        onChange={(event) => setText(event.target.value)}
        onKeyDown={(event) => event.key === "Enter" && event.ctrlKey && send()}
      />
      <div className="flex flex-wrap items-center gap-2 text-[12px]">
        <PicturePicker picture={picture} choose={setPicture} add="add a picture" />
        {filmed && !picture && !kept && (
          <label>
            <input
              type="checkbox"
              className="mr-1 accent-[var(--brass)]"
              checked={still}
              onChange={(event) => setStill(event.target.checked)}
            />
            with what the film shows
          </label>
        )}
        {filmed && (
          <label className={clipped ? "" : "text-ink-3"}>
            <input
              type="checkbox"
              className="mr-1 accent-[var(--brass)]"
              disabled={!clipped}
              checked={clip && clipped}
              onChange={(event) => setClip(event.target.checked)}
            />
            {!clipped
              ? `a clip may take ${MOST_CLIP_S}${THIN}s`
              : about === "moment"
                ? `and a clip, 2${THIN}s before and after`
                : `and a clip of ${(chosen.to - chosen.from).toFixed(1)}${THIN}s`}
          </label>
        )}
        {run.pictures.length > 0 && !picture && (
          <select
            aria-label="a picture kept with the run"
            className="field"
            value={kept}
            onChange={(event) => setKept(event.target.value)}
          >
            <option value="">or one the agent kept</option>
            {run.pictures.map((one) => (
              <option key={one.name} value={one.name}>
                {one.what}
              </option>
            ))}
          </select>
        )}
      </div>
      {pin.error && (
        <p role="alert" className="text-behind">
          {pin.error.message}
        </p>
      )}
      <div className="flex gap-2">
        <button type="submit" className="button py-1" disabled={!text.trim() || pin.isPending}>
          Pin it
        </button>
        <button type="button" className="button-quiet py-1" onClick={props.done}>
          Cancel
        </button>
      </div>
    </form>
  );
}
