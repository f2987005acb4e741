/** What a stranger sees: how to get in, and nothing else. */
import { useState } from "react";
import { useSignIn } from "../api/people";

const SAID: Record<string, string> = {
  spent: "That link has been used, or is older than an hour. Nothing is lost: ask for a new one.",
  ended: "That link shows nothing any more: it was revoked, or its time is over.",
};

export function SignIn(props: { link: string | null }) {
  const signIn = useSignIn();
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  return (
    <main className="mx-auto mt-[14vh] max-w-md border-t-4 border-brass bg-card p-8">
      <h1 className="text-2xl font-semibold">Noble Yardstick</h1>
      <p className="text-ink-2">Measures what differs between releases, and says how surely.</p>
      {props.link && SAID[props.link] && (
        <p role="alert" className="mt-3 text-behind">
          {SAID[props.link]}
        </p>
      )}
      <form
        className="mt-5 grid grid-cols-[84px_1fr] items-center gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          signIn.mutate({ name, password });
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
          autoComplete="current-password"
          required
          maxLength={200}
          value={password}
          onChange={(event) => setPassword(event.target.value)}
        />
        <button type="submit" className="button col-start-2 w-28" disabled={signIn.isPending}>
          Sign in
        </button>
      </form>
      {signIn.error && (
        <p role="alert" className="mt-3 text-behind">
          {signIn.error.message}
        </p>
      )}
      <p className="mt-6 text-[12px] text-ink-2">
        On a server of your own: <code className="font-mono">./yardstick up</code> prints a link
        that signs its owner in, once. Under People the owner can then set a password and invite
        others. No link left? Stop it with Ctrl-C and start it again: it prints a fresh one and
        keeps all data.
      </p>
    </main>
  );
}
