/** Whether a cell works, as a mark: a whole thread, a knotted one, a torn one, none. */
export function StateMark(props: { state: string }) {
  const { state } = props;
  const colour =
    state === "works" || state === "works with a remark" ? "var(--ahead)" : "var(--behind)";
  return (
    <svg width="14" height="40" viewBox="0 0 14 40" aria-hidden="true" className="shrink-0">
      {state === "not measured" ? (
        <line x1="7" x2="7" y1="2" y2="38" stroke="var(--line)" strokeDasharray="2 4" />
      ) : (
        <g stroke={colour} strokeWidth="3" fill="none" strokeLinecap="round">
          {state === "works" && <line x1="7" x2="7" y1="3" y2="37" />}
          {state === "works with a remark" && (
            <>
              <line x1="7" x2="7" y1="3" y2="37" />
              <circle cx="7" cy="20" r="4" fill="var(--brass)" stroke="var(--brass)" />
            </>
          )}
          {state === "cannot open" && <path d="M7 3V13l-3 3M7 37V27l3 -3" />}
          {state === "does not start" && <path d="M7 37V33l3 -3" />}
        </g>
      )}
    </svg>
  );
}
