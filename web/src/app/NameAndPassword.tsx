/** Name and password, asked for on coming in: known ones, or new ones of one's own. */
import { useState } from "react";

const LEAST = 12;

export function NameAndPassword(props: {
  fresh?: boolean;
  act: string;
  pending: boolean;
  error: Error | null;
  send: (entry: { name: string; password: string }) => void;
}) {
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  return (
    <>
      <form
        className="mt-5 grid grid-cols-[84px_1fr] items-center gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          props.send({ name, password });
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
          autoComplete={props.fresh ? "new-password" : "current-password"}
          required
          minLength={props.fresh ? LEAST : undefined}
          maxLength={200}
          value={password}
          onChange={(event) => setPassword(event.target.value)}
        />
        {props.fresh && (
          <span className="col-start-2 text-[12px] text-ink-2">
            at least {LEAST} characters, not a common one
          </span>
        )}
        <button type="submit" className="button col-start-2 w-28" disabled={props.pending}>
          {props.act}
        </button>
      </form>
      {props.error && (
        <p role="alert" className="mt-3 text-behind">
          {props.error.message}
        </p>
      )}
    </>
  );
}
