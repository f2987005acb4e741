/** A number as a person types it: with a point or a decimal comma, groups apart; null where none. */
export function numberTyped(text: string): number | null {
  const plain = text
    .trim()
    .replace(/[\s\u2009\u202f]/g, "")
    .replace("−", "-");
  const dotted = /^[-+]?\d{1,3}(,\d{3})+(\.\d+)?$/.test(plain)
    ? plain.replaceAll(",", "")
    : plain.replace(",", ".");
  if (!/^[-+]?(\d+\.?\d*|\.\d+)$/.test(dotted)) return null;
  return Number(dotted);
}
