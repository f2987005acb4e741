/** People: oneself, and for owners who is in, who is invited, which programs come, what changed. */
import { useState } from "react";
import { usePassword, useSignOut } from "../api/people";
import { useSession } from "../api/queries";
import { Audit } from "./Audit";
import { Invitations, Members } from "./Members";
import { Storage } from "./Storage";
import { Tokens } from "./Tokens";
import { Webhooks } from "./Webhooks";

export function People() {
  const session = useSession();
  const owner = session.data?.role === "owner";
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-10">
      <div>
        {owner ? (
          <>
            <Members />
            <Invitations />
            <Tokens />
            <Webhooks />
            <Storage />
          </>
        ) : (
          <p className="text-ink-2">The owners of this workspace look after who comes in.</p>
        )}
        <Myself />
      </div>
      {owner && <Audit />}
      <WhoMay />
    </div>
  );
}

const MAY: [string, string][] = [
  ["reader", "looks at every study, run and reading, and takes them along"],
  ["tester", "also asks questions, writes sessions, measures, and says what counts"],
  ["owner", "also says who comes in, what rigs may start, and what is deleted for good"],
  ["share link", "shows one study to whoever holds it, until it ends or is taken back"],
  ["token", "lets a program read, and measure where its scope says so; never change people"],
  ["rig", "takes runs and delivers them; starts only what its own file or an owner names"],
];

/** What each kind of visitor may do. */
function WhoMay() {
  return (
    <section className="col-span-2 max-w-4xl border-t border-line pt-4">
      <h2 className="font-semibold">Who may do what</h2>
      <dl className="mt-1 grid grid-cols-[120px_minmax(0,1fr)]">
        {MAY.map(([who, may]) => (
          <div key={who} className="contents">
            <dt className="border-b border-line-2 py-1">{who}</dt>
            <dd className="border-b border-line-2 py-1 text-ink-2">{may}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}

function Myself() {
  const session = useSession();
  const signOut = useSignOut();
  const password = usePassword();
  const [old, setOld] = useState("");
  const [fresh, setFresh] = useState("");
  const has = session.data?.has_password ?? false;
  return (
    <section className="mt-7">
      <h2 className="font-semibold">Yourself</h2>
      <p>
        You are {session.data?.name}, {session.data?.role}.{" "}
        <button type="button" className="act" onClick={() => signOut.mutate(undefined)}>
          sign out
        </button>
      </p>
      <form
        className="mt-2 flex flex-wrap items-center gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          password.mutate(
            { old, new: fresh },
            {
              onSuccess: () => {
                setOld("");
                setFresh("");
              },
            },
          );
        }}
      >
        {has && (
          <input
            type="password"
            aria-label="your password now"
            placeholder="password now"
            className="field w-40"
            autoComplete="current-password"
            value={old}
            onChange={(event) => setOld(event.target.value)}
          />
        )}
        <input
          type="password"
          aria-label="your new password"
          placeholder="new password"
          className="field w-40"
          autoComplete="new-password"
          minLength={12}
          value={fresh}
          onChange={(event) => setFresh(event.target.value)}
        />
        <button
          type="submit"
          className="button-quiet"
          disabled={fresh.length < 12 || password.isPending}
        >
          {has ? "Change it" : "Set a password"}
        </button>
        {password.isSuccess && <span role="status">kept; your other sessions have ended</span>}
        {password.error && (
          <span role="alert" className="text-behind">
            {password.error.message}
          </span>
        )}
      </form>
    </section>
  );
}
