/** The dark line on top: where one is, what the rigs do. */
import { Link, useNavigate } from "react-router";
import type { Rig } from "../api/client";
import { useLive } from "../api/live";
import { useRigs, useSession } from "../api/queries";

export function Header(props: { children?: React.ReactNode }) {
  const rigs = useRigs();
  const live = useLive();
  const session = useSession();
  const guest = session.data?.study != null;
  return (
    <header className="flex h-11 shrink-0 items-center gap-4 bg-head px-5 text-head-ink">
      <Link to="/" className="flex items-center gap-2 font-semibold">
        <img src="/yardstick.svg" alt="" width={26} height={18} />
        <span className="max-sm:sr-only">Noble Yardstick</span>
      </Link>
      <div className="min-w-0 flex-1 truncate text-head-ink-2">{props.children}</div>
      {guest && <span className="text-[12px] text-head-ink-2">shared with you, to be read</span>}
      {!live.connected && !guest && (
        <span role="status" className="text-[12px] text-head-ink-2">
          not live: reconnecting …
        </span>
      )}
      {(rigs.data ?? [])
        .filter((rig) => rig.state !== "never seen" && rig.state !== "revoked")
        .map((rig) => (
          <RigLight key={rig.name} rig={rig} />
        ))}
      {!guest && (
        <Link to="/people" className="text-[12px] text-head-ink-2" title="people of the workspace">
          {session.data?.name}
        </Link>
      )}
      <KeysHint />
    </header>
  );
}

const LIGHTS: Record<Rig["state"], string> = {
  idle: "#5bbfae",
  running: "#e0b04a",
  draining: "#e0b04a",
  paused: "#8b93a3",
  silent: "#e2724f",
  revoked: "#8b93a3",
  "never seen": "#8b93a3",
};

export function RigLight(props: { rig: Rig }) {
  const { rig } = props;
  const navigate = useNavigate();
  const words = rig.state === "running" ? `run ${rig.run}` : rig.state;
  const text = (
    <>
      <svg width="9" height="9" aria-hidden="true">
        <circle cx="4.5" cy="4.5" r="4" fill={LIGHTS[rig.state]} />
      </svg>
      <span className="max-sm:sr-only">
        {rig.name} <span className="text-head-ink-2">{words}</span>
      </span>
    </>
  );
  return rig.run ? (
    <button
      type="button"
      className="flex items-center gap-1.5"
      onClick={() => navigate(`/runs/${rig.run}`)}
    >
      {text}
    </button>
  ) : (
    <span className="flex items-center gap-1.5">{text}</span>
  );
}

function KeysHint() {
  const press = () => window.dispatchEvent(new KeyboardEvent("keydown", { key: "?" }));
  return (
    <button
      type="button"
      aria-label="Keys"
      onClick={press}
      className="rounded-sm border border-ink-2 px-1.5 text-[12px] text-head-ink-2"
    >
      ?
    </button>
  );
}
