/** A claim as people say it, turned into a signed bound on the change. */
export function claimAmount(
  bound: "at least" | "no more than",
  size: number,
  way: "less" | "more",
): { side: "at most" | "at least"; amount: number } {
  const below = (bound === "at least") === (way === "less");
  return { side: below ? "at most" : "at least", amount: way === "less" ? -size : size };
}
