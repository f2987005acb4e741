/** Stretches of a run's time: what is in view, what is fetched for it. */

/** A stretch of a run's time, in seconds. */
export interface Span {
  from: number;
  to: number;
}

/** The stretch to fetch for a view: wide enough to pan in, and the same for views near by. */
export function fetched(view: Span, whole: number): Span {
  const width = Math.max(view.to - view.from, 1e-4);
  if (view.from <= 0 && view.to >= whole) return { from: 0, to: Math.max(whole, view.to) };
  const half = 2 ** Math.ceil(Math.log2(width)) / 2;
  const place = Math.floor(view.from / half);
  const from = Math.max(0, (place - 1) * half);
  return { from, to: Math.max((place + 4) * half, from + width) };
}

/** A view moved by a share of its width, not beyond the start. */
export function panned(view: Span, share: number): Span {
  const by = Math.max((view.to - view.from) * share, -view.from);
  return { from: view.from + by, to: view.to + by };
}

/** A view zoomed about a moment, which stays where it is on the screen. */
export function zoomed(view: Span, at: number, factor: number, whole: number): Span {
  const least = 1e-3;
  const width = Math.min(Math.max((view.to - view.from) * factor, least), whole * 1.2);
  const share = (at - view.from) / (view.to - view.from);
  const from = Math.max(0, at - share * width);
  return { from, to: from + width };
}

/** Whether two stretches are the same to 2 ms. */
export function same(a: Span, b: Span): boolean {
  return Math.abs(a.from - b.from) < 2e-3 && Math.abs(a.to - b.to) < 2e-3;
}

export const spanOf = (stretch: { start_s: number; end_s: number }): Span => ({
  from: stretch.start_s,
  to: stretch.end_s,
});
