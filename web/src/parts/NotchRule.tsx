/** A brass rule with notches: the way through pages that belong together. */
import { useId } from "react";
import { Link } from "react-router";

export interface NotchLink {
  id: string;
  name: string;
  /** How it stands there, in two or three words. */
  state: string;
  to: string;
}

export function NotchRule(props: { label: string; notches: NotchLink[]; chosen: string }) {
  const pattern = useId();
  return (
    <nav
      aria-label={props.label}
      className="relative flex h-[57px] shrink-0 justify-center border-b border-brass/60 px-6"
      style={{ background: "linear-gradient(var(--brass-from), var(--brass-to))" }}
    >
      <svg className="absolute inset-x-0 bottom-0 h-[12px] w-full" aria-hidden="true">
        <defs>
          <pattern id={pattern} width="80" height="12" patternUnits="userSpaceOnUse">
            {Array.from({ length: 10 }, (_, n) => (
              <line
                key={n}
                x1={n * 8 + 0.5}
                x2={n * 8 + 0.5}
                y1={12}
                y2={n === 0 ? 2 : n === 5 ? 5 : 8}
                stroke="var(--brass)"
                strokeOpacity={0.55}
              />
            ))}
          </pattern>
        </defs>
        <rect width="100%" height="12" fill={`url(#${pattern})`} />
      </svg>
      {props.notches.map((notch) => (
        <Notch key={notch.id} notch={notch} here={notch.id === props.chosen} />
      ))}
    </nav>
  );
}

function Notch(props: { notch: NotchLink; here: boolean }) {
  const { notch, here } = props;
  return (
    <Link
      to={notch.to}
      aria-current={here ? "page" : undefined}
      className={`relative mx-3 w-[140px] pt-[9px] text-center ${here ? "z-10" : ""}`}
    >
      {here && (
        <svg
          className="absolute inset-0 -z-10"
          width="140"
          height="57"
          viewBox="0 0 140 57"
          aria-hidden="true"
        >
          <path
            d="M.5 0V46L10 56.5H130L139.5 46V0"
            fill="var(--card)"
            stroke="var(--brass)"
            strokeOpacity={0.7}
          />
          <path d="M64 57L70 50L76 57z" fill="var(--brass)" />
        </svg>
      )}
      <div className={`text-[15px] font-semibold ${here ? "text-ink" : "text-[var(--brass-ink)]"}`}>
        {notch.name}
      </div>
      <div className={`text-[11.5px] ${here ? "text-ink-2" : "text-[var(--brass-ink-2)]"}`}>
        {notch.state}
      </div>
    </Link>
  );
}
