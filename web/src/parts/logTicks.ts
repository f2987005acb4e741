/** Round values between two bounds on a log scale: 1, 2 and 5 times powers of ten, not too many. */
export function logTicks(low: number, high: number, most = 5): number[] {
  const found: number[] = [];
  for (let power = Math.floor(Math.log10(low)); power <= Math.ceil(Math.log10(high)); power++)
    for (const part of [1, 2, 5]) {
      const value = Number((part * 10 ** power).toPrecision(6));
      if (value >= low && value <= high) found.push(value);
    }
  if (found.length <= most) return found;
  const tens = found.filter((value) => Number.isInteger(Number(Math.log10(value).toFixed(6))));
  const every = Math.ceil(tens.length / most);
  return tens.length >= 2 ? tens.filter((_, place) => place % every === 0) : found.slice(0, most);
}
