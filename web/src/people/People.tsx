/** People: oneself, and for owners who is in, who is invited, which programs come, what changed. */
import { useState } from "react";
import { usePassword, useSignOut } from "../api/people";
import { useSession } from "../api/queries";
import { Audit } from "./Audit";
import { Invitations, Members } from "./Members";
import { Tokens } from "./Tokens";

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
          </>
        ) : (
          <p className="text-ink-2">The owners of this workspace look after who comes in.</p>
        )}
        <Myself />
      </div>
      {owner && <Audit />}
    </div>
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
