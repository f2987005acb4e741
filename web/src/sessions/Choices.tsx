/** By which metric the sessions of a set are held beside each other. */
import type { SessionTable } from "../api/sessions";

const MOST_CHOICES = 9;

export function Choices(props: { table: SessionTable; choose: (metric: string) => void }) {
  const { table } = props;
  const shown = table.choices.slice(0, MOST_CHOICES);
  const rest = table.choices.slice(MOST_CHOICES);
  const look = (on: boolean) =>
    `mr-3 ${on ? "border-b-2 border-brass font-semibold" : "text-brass"}`;
  return (
    <p className="mt-1 leading-relaxed">
      <button
        type="button"
        aria-pressed={table.chosen === "deciding"}
        className={look(table.chosen === "deciding")}
        onClick={() => props.choose("")}
      >
        what decides each
      </button>
      {shown.map((one) => (
        <button
          key={one.key}
          type="button"
          title={`in ${one.sessions} of ${table.sessions.length} sessions`}
          aria-pressed={table.chosen === one.key}
          className={look(table.chosen === one.key)}
          onClick={() => props.choose(one.key)}
        >
          {one.label}
        </button>
      ))}
      {rest.length > 0 && (
        <select
          aria-label="other metrics"
          className="field"
          value={rest.some((one) => one.key === table.chosen) ? table.chosen : ""}
          onChange={(event) => props.choose(event.target.value)}
        >
          <option value="">{rest.length} more</option>
          {rest.map((one) => (
            <option key={one.key} value={one.key}>
              {one.label}
            </option>
          ))}
        </select>
      )}
    </p>
  );
}
