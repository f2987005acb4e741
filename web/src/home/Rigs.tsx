/** The rigs: what each does now, pausing and revoking them, letting another machine join. */
import { useState } from "react";
import type { Rig } from "../api/client";
import { useLive } from "../api/live";
import { useInvite, useRigChange, useRigs } from "../api/queries";
import { Acts } from "../parts/Acts";
import { ShownOnce } from "../parts/ShownOnce";
import { duration, moment } from "../parts/text";

export function Rigs() {
  const rigs = useRigs();
  const [joining, setJoining] = useState<string | null>(null);
  return (
    <section>
      <div className="mb-2 flex items-baseline gap-3">
        <h2 className="flex-1 font-semibold">On the rigs now</h2>
        <Acts>
          <button
            type="button"
            className="act"
            aria-expanded={joining !== null}
            onClick={() => setJoining(joining === null ? "" : null)}
          >
            add a rig
          </button>
        </Acts>
      </div>
      {(rigs.data ?? []).map((rig) => (
        <RigLine key={rig.name} rig={rig} rejoin={() => setJoining(rig.name)} />
      ))}
      {joining !== null && <Join key={joining} name={joining} done={() => setJoining(null)} />}
    </section>
  );
}

function RigLine(props: { rig: Rig; rejoin: () => void }) {
  const { rig } = props;
  const live = useLive();
  const change = useRigChange();
  const progress = live.progress?.run === rig.run ? live.progress : null;
  const busy = rig.state === "running" || rig.state === "draining";
  const there = rig.state !== "never seen" && rig.state !== "revoked";
  return (
    <div className="grid grid-cols-[110px_1fr_auto] gap-2 py-0.5">
      <span
        className="truncate font-medium"
        title={rig.agent_version && `agent ${rig.agent_version}`}
      >
        {rig.name}
      </span>
      {busy ? (
        <span>
          run {rig.run}
          {rig.paused && ", then it pauses"}
          {progress && `: ${progress.step}, ${duration(progress.elapsed_ns / 1e9)}`}
        </span>
      ) : (
        <span className={rig.state === "silent" ? "text-behind" : "text-ink-2"}>
          {rig.state === "silent" && `no word since ${moment(rig.last_seen ?? null)}`}
          {rig.state === "idle" && "idle, ready to measure"}
          {rig.state === "paused" && "paused: takes no run"}
          {rig.state === "revoked" && "revoked: its token is no longer taken"}
          {rig.state === "never seen" && "not connected here"}
        </span>
      )}
      <span className="flex gap-3">
        <Acts>
          {there && (
            <button
              type="button"
              className="act"
              onClick={() => change.mutate({ name: rig.name, paused: !rig.paused })}
            >
              {rig.paused ? "let it go on" : "pause"}
            </button>
          )}
          {(rig.state === "silent" || rig.state === "revoked") && (
            <button type="button" className="act" onClick={props.rejoin}>
              new token
            </button>
          )}
        </Acts>
      </span>
    </div>
  );
}

/** One command makes a machine a rig; its token is shown this once. */
function Join(props: { name: string; done: () => void }) {
  const invite = useInvite();
  const [name, setName] = useState(props.name);
  const command = invite.data?.command;
  if (command)
    return (
      <ShownOnce
        what={
          <>
            On the machine that is to be <b>{invite.data?.name}</b>; it needs Python 3.11 and
            nothing else:
          </>
        }
        text={command}
        take="copy the command"
        note="The token in it is shown this once. What the rig may start is said on the rig."
        done={props.done}
      />
    );
  return (
    <form
      className="mt-2 flex items-center gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (name.trim()) invite.mutate(name.trim());
      }}
    >
      <input
        // biome-ignore lint/a11y/noAutofocus: it opens on request, to be typed into
        autoFocus
        aria-label="name of the rig"
        className="field w-40"
        placeholder="loft-2"
        value={name}
        maxLength={59}
        onChange={(event) => setName(event.target.value)}
        onKeyDown={(event) => event.key === "Escape" && props.done()}
      />
      <button type="submit" className="button-quiet" disabled={!name.trim() || invite.isPending}>
        Make its token
      </button>
      {invite.error && (
        <span role="alert" className="text-behind">
          {invite.error.message}
        </span>
      )}
    </form>
  );
}
