/** Draft from one's own work: the program on the rig is worked with through its picture. */
import { useEffect, useRef, useState } from "react";
import { type Rehearsal, type RemoteInput, token } from "../../api/client";
import { useHands } from "../../api/queries";
import { count, duration } from "../../parts/text";
import { keyHand, pointerHand, together } from "./hands";

const FLUSH_MS = 120;
const NOTCH = 60;

export function Drafting(props: { rehearsal: Rehearsal; take: (text: string) => void }) {
  const { rehearsal, take } = props;
  const { draft, id, state } = rehearsal;
  // The draft is put into the editor once, when it comes; later it can be asked for again.
  const waited = useRef(state !== "ended");
  useEffect(() => {
    if (state !== "ended") waited.current = true; // another draft has begun
    if (state === "ended" && draft && waited.current) {
      waited.current = false;
      take(draft);
    }
  }, [state, draft, take]);
  if (state === "ended")
    return draft ? (
      <p>
        The draft stands in the editor, not kept yet.{" "}
        <button type="button" className="act" onClick={() => take(draft)}>
          put it there again
        </button>
      </p>
    ) : null;
  if (rehearsal.pictures === 0)
    return <p className="text-ink-2">the program is being started on a rig …</p>;
  return <FarScreen key={id} rehearsal={rehearsal} />;
}

function FarScreen(props: { rehearsal: Rehearsal }) {
  const { rehearsal } = props;
  const send = useHands();
  const waiting = useRef<RemoteInput[]>([]);
  const pressed = useRef<{ x: number; y: number; at: number } | null>(null);
  const turned = useRef(0);
  // An image that is being replaced has no size: that of the last one holds.
  const size = useRef({ width: 1, height: 1 });
  const frame = useRef<HTMLDivElement>(null);
  const [chord, setChord] = useState("");
  const { mutate } = send;
  const { id } = rehearsal;
  useEffect(() => {
    // A closed page works no more: the rig is let go at once, and what was done stays as a draft.
    const leave = () => {
      fetch(`/api/rehearsals/${id}/stop`, {
        method: "POST",
        keepalive: true,
        headers: { "X-CSRFToken": token() },
      });
    };
    window.addEventListener("pagehide", leave);
    return () => window.removeEventListener("pagehide", leave);
  }, [id]);
  useEffect(() => {
    const timer = setInterval(() => {
      if (!waiting.current.length) return;
      mutate({ rehearsal: id, hands: together(waiting.current) });
      waiting.current = [];
    }, FLUSH_MS);
    return () => clearInterval(timer);
  }, [id, mutate]);
  const at = (event: { clientX: number; clientY: number }) => {
    const box = frame.current?.getBoundingClientRect() ?? new DOMRect(0, 0, 1, 1);
    return {
      x: ((event.clientX - box.left) / box.width) * size.current.width,
      y: ((event.clientY - box.top) / box.height) * size.current.height,
    };
  };
  const add = (hand: RemoteInput | null) => {
    if (hand) waiting.current.push(hand);
  };
  const wheel = (event: WheelEvent) => {
    event.preventDefault();
    turned.current += event.deltaY;
    const notches = Math.trunc(turned.current / NOTCH);
    if (!notches) return;
    turned.current -= notches * NOTCH;
    const { x, y } = at(event);
    add({
      kind: "scroll",
      way: notches > 0 ? "down" : "up",
      notches: Math.min(20, Math.abs(notches)),
      x: Math.round(x),
      y: Math.round(y),
    });
  };
  const latestWheel = useRef(wheel);
  latestWheel.current = wheel;
  useEffect(() => {
    const screen = frame.current;
    if (!screen) return;
    screen.focus();
    // Only a listener that says it is not passive may keep the page from scrolling meanwhile.
    const turn = (event: WheelEvent) => latestWheel.current(event);
    screen.addEventListener("wheel", turn, { passive: false });
    return () => screen.removeEventListener("wheel", turn);
  }, []);
  return (
    <div>
      <div
        ref={frame}
        tabIndex={0}
        role="application"
        aria-label="the program on the rig: what is typed here goes to it"
        className="touch-none border-2 border-brass select-none"
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          pressed.current = { ...at(event), at: event.timeStamp };
        }}
        onPointerUp={(event) => {
          const from = pressed.current;
          if (from) add(pointerHand(from, at(event), event.timeStamp - from.at, event.button));
          pressed.current = null;
        }}
        onContextMenu={(event) => event.preventDefault()}
        onKeyDown={(event) => {
          if (event.key === "Tab" && event.shiftKey) return;
          event.preventDefault();
          event.stopPropagation();
          add(keyHand(event));
        }}
      >
        <img
          draggable={false}
          onLoad={(event) => {
            const { naturalWidth: width, naturalHeight: height } = event.currentTarget;
            size.current = { width, height };
          }}
          src={`/api/rehearsals/${id}/picture?n=${rehearsal.pictures}`}
          alt={`the program after ${duration(rehearsal.elapsed_s)}`}
          className="block w-full"
        />
      </div>
      <form
        className="mt-1 flex items-center gap-2 text-[12px] text-ink-2"
        onSubmit={(event) => {
          event.preventDefault();
          if (chord.trim()) add({ kind: "press", keys: chord.trim() });
          setChord("");
          frame.current?.focus();
        }}
      >
        <span className="flex-1">
          {count(rehearsal.heard, "key or button", "keys and buttons")} heard. Click, type and turn
          the wheel on the picture; Shift+Tab leaves it.
        </span>
        <label>
          keys the browser keeps to itself{" "}
          <input
            className="field w-20"
            placeholder="Ctrl+W"
            value={chord}
            onChange={(event) => setChord(event.target.value)}
          />
        </label>
        <button type="submit" className="act" disabled={!chord.trim()}>
          send
        </button>
      </form>
      {send.error && (
        <p role="alert" className="text-behind">
          {send.error.message}
        </p>
      )}
    </div>
  );
}
