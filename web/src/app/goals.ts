/** Where one can go, and which of it a few letters mean. */
export interface Goal {
  name: string;
  to: string;
}

/** Goals that hold every word of the text, those that begin with it first. */
export function bestFirst(goals: Goal[], text: string): Goal[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const whole = text.trim().toLowerCase();
  return goals
    .filter((goal) => words.every((word) => goal.name.toLowerCase().includes(word)))
    .sort(
      (a, b) =>
        Number(b.name.toLowerCase().startsWith(whole)) -
        Number(a.name.toLowerCase().startsWith(whole)),
    );
}
