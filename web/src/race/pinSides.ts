/** On which side of its pin each label stands, so that none lies over another. */

/** Where a pin stands, how wide its label is, and where that would stand if it stood alone. */
export type PinLabel = { at: number; width: number; left: boolean };

/** Between a pin and its label, and around the sign at its head. */
export const GAP = 12;
const SIGN = 8;
const MOST = 8;

/** For each pin whether its label stands to the left. Of equal choices the one nearest to what each
 * would be alone. */
export function pinSides(pins: PinLabel[], width: number): boolean[] {
  const alone = pins.map((pin) => pin.left);
  if (pins.length > MOST) return alone;
  let best = alone;
  let least = Number.POSITIVE_INFINITY;
  for (let turned = 0; turned < 2 ** pins.length; turned++) {
    const sides = pins.map((pin, place) => pin.left !== Boolean((turned >> place) & 1));
    const turns = sides.filter((left, place) => left !== alone[place]).length;
    const cost = hidden(pins, sides, width) * 1000 + turns;
    if (cost < least) [best, least] = [sides, cost];
  }
  return best;
}

/** How much of the labels lies over others, over signs, or beyond the edges. */
function hidden(pins: PinLabel[], sides: boolean[], width: number): number {
  const spans = pins.map((pin, place) => spanOf(pin, sides[place] ?? pin.left));
  let found = 0;
  spans.forEach(([from, to], place) => {
    found += Math.max(0, -from) + Math.max(0, to - width);
    pins.forEach((other, number) => {
      if (number === place) return;
      found += shared([from, to], [other.at - SIGN, other.at + SIGN]);
      if (number > place) found += shared([from, to], spans[number] ?? [0, 0]);
    });
  });
  return found;
}

function spanOf(pin: PinLabel, left: boolean): [number, number] {
  return left ? [pin.at - GAP - pin.width, pin.at - GAP] : [pin.at + GAP, pin.at + GAP + pin.width];
}

const shared = (one: [number, number], other: [number, number]): number =>
  Math.max(0, Math.min(one[1], other[1]) - Math.max(one[0], other[0]));
