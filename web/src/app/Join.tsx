/** Accepting an invitation: a name and a password of one's own. */
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { useInvited, useJoin } from "../api/people";
import { Waiting } from "../parts/Trouble";

const MAY: Record<string, string> = {
  owner: "may change everything and look after who comes in",
  tester: "may ask, script, measure and decide",
  reader: "may read everything and change nothing",
};
const LEAST = 12;

export function Join() {
  const { token = "" } = useParams();
  const invited = useInvited(token);
  const join = useJoin(token);
  const navigate = useNavigate();
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  if (invited.isPending) return <Waiting what="your invitation" />;
  return (
    <main className="mx-auto mt-[14vh] max-w-md border-t-4 border-brass bg-card p-8">
      <h1 className="text-2xl font-semibold">Noble Yardstick</h1>
      {invited.error ? (
        <p role="alert" className="mt-3 text-behind">
          This invitation has been used, taken back, or is older than a week. Ask for a new one.
        </p>
      ) : (
        <>
          <p className="mt-2 text-[15px]">
            {invited.data.by} invites {invited.data.whom} into <b>{invited.data.workspace}</b> as{" "}
            <b>{invited.data.role}</b>, who {MAY[invited.data.role]}.
          </p>
          <form
            className="mt-5 grid grid-cols-[84px_1fr] items-center gap-2"
            onSubmit={(event) => {
              event.preventDefault();
              join.mutate({ name, password }, { onSuccess: () => navigate("/") });
            }}
          >
            <label htmlFor="name">Name</label>
            <input
              id="name"
              className="field"
              autoComplete="username"
              required
              maxLength={150}
              value={name}
              onChange={(event) => setName(event.target.value)}
            />
            <label htmlFor="password">Password</label>
            <input
              id="password"
              type="password"
              className="field"
              autoComplete="new-password"
              required
              minLength={LEAST}
              maxLength={200}
              value={password}
              onChange={(event) => setPassword(event.target.value)}
            />
            <span className="col-start-2 text-[12px] text-ink-2">
              at least {LEAST} characters, not a common one
            </span>
            <button type="submit" className="button col-start-2 w-28" disabled={join.isPending}>
              Join
            </button>
          </form>
          {join.error && (
            <p role="alert" className="mt-3 text-behind">
              {join.error.message}
            </p>
          )}
        </>
      )}
    </main>
  );
}
