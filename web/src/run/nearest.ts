/** Index of the first of sorted values that is not before one, or of the last. */
export function nearest(sorted: number[], at: number): number {
  let low = 0;
  let high = sorted.length - 1;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((sorted[middle] as number) < at) low = middle + 1;
    else high = middle;
  }
  return low;
}
