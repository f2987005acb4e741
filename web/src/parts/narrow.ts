/** Whether the page is as narrow as a phone held upright. */
import { useSyncExternalStore } from "react";

const NARROW = "(max-width: 640px)";

function subscribe(changed: () => void): () => void {
  const query = window.matchMedia(NARROW);
  query.addEventListener("change", changed);
  return () => query.removeEventListener("change", changed);
}

export function useNarrow(): boolean {
  return useSyncExternalStore(subscribe, () => window.matchMedia(NARROW).matches);
}
