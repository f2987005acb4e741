/** A page left open while the interface was built anew lacks the parts it has not loaded yet. */

const KEY = "loaded anew at";
const PAUSE_MS = 30_000;

/** Load the page anew where a part of it is gone, but not again and again where that does not help. */
export function loadAnewWhereOld(
  window: Pick<Window, "addEventListener" | "location" | "sessionStorage">,
  now: () => number = Date.now,
): void {
  window.addEventListener("vite:preloadError", (event) => {
    const last = Number(window.sessionStorage.getItem(KEY) ?? 0);
    if (now() - last < PAUSE_MS) return;
    event.preventDefault();
    window.sessionStorage.setItem(KEY, String(now()));
    window.location.reload();
  });
}
