/** A few round numbers that span a range, for an axis. */
export function nearbyTicks(low: number, high: number, wanted = 4): number[] {
  const span = high - low || Math.abs(high) || 1;
  const rough = span / wanted;
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 2.5, 5, 10].map((m) => m * power).find((s) => s >= rough) ?? rough;
  const first = Math.floor(low / step);
  const last = Math.ceil(high / step);
  return Array.from({ length: last - first + 1 }, (_, n) =>
    Number(((first + n) * step).toPrecision(10)),
  );
}
