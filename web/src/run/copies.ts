/** The lanes as they stand, to be taken along: as SVG, PNG or CSV. */
import { type Lane, type LaneSeries, token } from "./series";
import type { Span } from "./span";

const LEFT = 60;
const RIGHT = 12;
const LANE_TOP = 22;
const AXIS = 26;
const WIDTH = 1100;

export interface Drawing {
  title: string;
  lanes: Lane[];
  heights: number[];
  view: Span;
  ticks: number[];
}

const escaped = (text: string) =>
  text.replace(/&/g, "&amp;").replace(/</g, "&lt;").replace(/>/g, "&gt;").replace(/"/g, "&quot;");

/** An SVG picture of lanes, with title, axes and units, that stands by itself. */
export function svgOf(drawing: Drawing): string {
  const { lanes, heights, view, ticks, title } = drawing;
  const ink = token("--ink") || "#1b2430";
  const faint = token("--line") || "#dcd7c9";
  const x = (at: number) =>
    LEFT + ((at - view.from) / (view.to - view.from)) * (WIDTH - LEFT - RIGHT);
  const parts: string[] = [];
  let top = 30;
  lanes.forEach((lane, n) => {
    const height = heights[n] ?? 120;
    const ground = top + LANE_TOP + height;
    const y = (value: number) => ground - (Math.min(value, lane.top) / lane.top) * height;
    parts.push(
      `<text x="${LEFT}" y="${top + 14}" font-weight="600">${escaped(lane.name)}${
        lane.unit ? `, ${escaped(lane.unit)}` : ""
      }</text>`,
    );
    for (const value of [0, lane.top / 2, lane.top]) {
      const text = Number(value.toPrecision(2));
      parts.push(
        `<line x1="${LEFT}" x2="${WIDTH - RIGHT}" y1="${y(value)}" y2="${y(value)}" stroke="${faint}"/>`,
        `<text x="${LEFT - 6}" y="${y(value) + 4}" text-anchor="end">${text}</text>`,
      );
    }
    lane.series.forEach((series, place) => {
      parts.push(seriesSvg(series, lane.series[place - 1], view, x, y));
    });
    top = ground + 6;
  });
  for (const tick of ticks.filter((at) => at >= view.from && at <= view.to))
    parts.push(
      `<line x1="${x(tick)}" x2="${x(tick)}" y1="${top}" y2="${top + 6}" stroke="${ink}"/>`,
      `<text x="${x(tick)}" y="${top + 19}" text-anchor="middle">${Number(tick.toFixed(4))} s</text>`,
    );
  const height = top + AXIS;
  return (
    `<svg xmlns="http://www.w3.org/2000/svg" width="${WIDTH}" height="${height}" viewBox="0 0 ${WIDTH} ${height}" ` +
    `font-family="IBM Plex Sans, sans-serif" font-size="11" fill="${ink}">` +
    `<rect width="${WIDTH}" height="${height}" fill="${token("--paper") || "#f5f3ec"}"/>` +
    `<text x="${LEFT}" y="18" font-size="14" font-weight="600">${escaped(title)}</text>${parts.join("")}</svg>`
  );
}

function seriesSvg(
  series: LaneSeries,
  before: LaneSeries | undefined,
  view: Span,
  x: (at: number) => number,
  y: (value: number) => number,
): string {
  if (series.style === "floor") return "";
  const inside = series.at.flatMap((at, n) => (at >= view.from && at <= view.to ? [n] : []));
  const spot = (n: number) =>
    `${x(series.at[n] as number).toFixed(1)},${y(series.values[n] ?? 0).toFixed(1)}`;
  if (series.style === "dots")
    return inside
      .filter((n) => series.values[n] != null)
      .map((n) => {
        const [cx, cy] = spot(n).split(",");
        return `<circle cx="${cx}" cy="${cy}" r="2.6" fill="${series.colour}"/>`;
      })
      .join("");
  if (series.style === "band") {
    const path = inside
      .map(
        (n) =>
          `M${x(series.at[n] as number).toFixed(1)},${y(before?.values[n] ?? 0).toFixed(1)}L${spot(n)}`,
      )
      .join("");
    return `<path d="${path}" stroke="${series.colour}" fill="none"/>`;
  }
  let pen = "M";
  const path = inside
    .map((n) => {
      if (series.values[n] == null) {
        pen = "M";
        return "";
      }
      const step = `${pen}${spot(n)}`;
      pen = "L";
      return step;
    })
    .join("");
  const dash = series.dash ? ` stroke-dasharray="${series.dash.join(" ")}"` : "";
  return `<path d="${path}" stroke="${series.colour}" stroke-width="${series.width}" fill="none"${dash}/>`;
}

/** The samples in view as CSV: one line a sample, with series, time in s, value and unit. */
export function csvOf(drawing: Drawing): string {
  const { lanes, view } = drawing;
  const lines = ["lane,series,unit,time_s,value"];
  const quoted = (text: string) => `"${text.replace(/"/g, '""')}"`;
  for (const lane of lanes)
    for (const series of lane.series)
      series.at.forEach((at, n) => {
        const value = series.values[n];
        if (value == null || at < view.from || at > view.to) return;
        if (series.style === "floor" && value === 0) return;
        lines.push(
          [quoted(lane.name), quoted(series.name), quoted(lane.unit), at.toFixed(6), value].join(
            ",",
          ),
        );
      });
  return `${lines.join("\n")}\n`;
}
