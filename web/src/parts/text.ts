/** Numbers as people read them: three significant digits, thin spaces, true minus. */

/** A space that no line breaks at, so that a number and its unit stay together; hardly wider than thin. */
export const THIN = "\u00a0";
export const MINUS = "\u2212";

/** A size in the unit that fits: 412 B, 1.05 KiB, 31.2 MiB, 2.00 GiB. */
export function bytes(size: number): string {
  if (size < 1024) return `${size}${THIN}B`;
  const power = Math.min(3, Math.floor(Math.log2(size) / 10));
  return `${significant(size / 1024 ** power)}${THIN}${["B", "KiB", "MiB", "GiB"][power]}`;
}

/** Three significant digits: 0.0712, 6.84, 1310. */
export function significant(value: number, digits = 3): string {
  if (!Number.isFinite(value)) return `${value < 0 ? MINUS : ""}∞`;
  if (value === 0) return "0";
  const size = Math.abs(value);
  const places = Math.max(0, digits - 1 - Math.floor(Math.log10(size)));
  const text = places > 0 ? Number(size.toPrecision(digits)).toFixed(places) : size.toFixed(0);
  const trimmed =
    text.replace(".", "").length > digits &&
    size >= 1 &&
    places > 0 &&
    Number(text) >= 10 ** (digits - places)
      ? Number(size.toPrecision(digits)).toFixed(places - 1)
      : text;
  return (value < 0 ? MINUS : "") + trimmed;
}

/** A length of time as fits: 412 ms, 6.84 s, 3 min 12 s, 5 h 12 min. */
export function duration(seconds: number): string {
  if (seconds < 1) return `${significant(seconds * 1000)}${THIN}ms`;
  if (seconds < 90) return `${significant(seconds)}${THIN}s`;
  if (seconds < 5400) {
    const whole = Math.round(seconds);
    return `${Math.floor(whole / 60)}${THIN}min ${whole % 60}${THIN}s`;
  }
  const minutes = Math.round(seconds / 60);
  return `${Math.floor(minutes / 60)}${THIN}h ${minutes % 60}${THIN}min`;
}

/** How long something will take, to the nearest that one would say: 40 s, 3 min, 2 h. */
export function roughly(seconds: number): string {
  if (seconds < 55)
    return `${Math.max(1, Math.round(seconds / 5) * 5 || Math.round(seconds))}${THIN}s`;
  if (seconds < 5400) return `${Math.round(seconds / 60)}${THIN}min`;
  return `${Math.round(seconds / 3600)}${THIN}h`;
}

/** `1 run`, `3 runs`. */
export function count(number: number, one: string, many = `${one}s`): string {
  return `${number} ${number === 1 ? one : many}`;
}

const SMALL = ["No", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine"];

/** A small number as a word at the start of a heading: Five studies. */
export function countWord(number: number, one: string, many = `${one}s`): string {
  return `${SMALL[number] ?? number} ${number === 1 ? one : many}`;
}

/** Day and time as a run was taken: 12 Nov 14:07. */
export function moment(iso: string | null): string {
  if (!iso) return "";
  const date = new Date(iso);
  const day = date.toLocaleDateString("en-GB", { day: "numeric", month: "short" });
  const time = date.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  return `${day} ${time}`;
}

/** Text of at most so many letters: what is too long ends in an ellipsis. */
export const clipped = (text: string, most: number): string =>
  text.length > most ? `${text.slice(0, most - 1)}…` : text;
