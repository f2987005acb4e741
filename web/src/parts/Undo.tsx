/** What was just put away or deleted, and the one act that brings it back. */
import { createContext, type ReactNode, useContext, useEffect, useState } from "react";
import { useKeys } from "./keyboard";

interface Offer {
  text: string;
  undo: () => void;
}

const SHOWN_MS = 12_000;
const UndoContext = createContext<(offer: Offer) => void>(() => undefined);

/** Offer to undo what was just done; a newer offer takes the place of an older one. */
export function useOfferUndo() {
  return useContext(UndoContext);
}

export function UndoProvider(props: { children: ReactNode }) {
  const [offer, setOffer] = useState<Offer | null>(null);
  useEffect(() => {
    if (!offer) return;
    const timer = setTimeout(() => setOffer(null), SHOWN_MS);
    return () => clearTimeout(timer);
  }, [offer]);
  return (
    <UndoContext value={setOffer}>
      {props.children}
      {offer && <Bar offer={offer} done={() => setOffer(null)} />}
    </UndoContext>
  );
}

function Bar(props: { offer: Offer; done: () => void }) {
  const undo = () => {
    props.offer.undo();
    props.done();
  };
  useKeys("Just now", [{ keys: "u", does: "undo what was just done", act: undo }]);
  return (
    <div
      role="status"
      className="fixed bottom-4 left-1/2 z-50 flex max-w-2xl -translate-x-1/2 items-baseline gap-4 rounded bg-head px-4 py-2 text-head-ink shadow-lg"
    >
      <span className="min-w-0 truncate">{props.offer.text}</span>
      <button type="button" className="font-semibold underline" onClick={undo}>
        Undo <span className="text-head-ink-2">u</span>
      </button>
      <button type="button" className="text-head-ink-2" aria-label="close" onClick={props.done}>
        ×
      </button>
    </div>
  );
}
