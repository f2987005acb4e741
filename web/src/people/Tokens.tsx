/** Tokens of programs, such as build servers: their scope, their last use, revoking them. */
import { useState } from "react";
import type { Schemas } from "../api/client";
import { useMakeToken, useRevokeToken, useTokens } from "../api/people";
import { ShownOnce } from "../parts/ShownOnce";
import { moment } from "../parts/text";

type Scope = Schemas["NewToken"]["scope"];
const MAY: Record<Scope, string> = {
  read: "may read everything",
  measure: "may read, and start or stop measuring",
};

export function Tokens() {
  const tokens = useTokens();
  const make = useMakeToken();
  const revoke = useRevokeToken();
  const [name, setName] = useState("");
  const [scope, setScope] = useState<Scope>("read");
  return (
    <section className="mt-6">
      <h2 className="font-semibold">Tokens of programs</h2>
      <p className="text-ink-2">
        For build servers and scripts. Rigs have tokens of their own, made where a rig is added.
      </p>
      <ul>
        {tokens.data?.map((token) => (
          <li
            key={token.id}
            className={`grid grid-cols-[1fr_76px_150px_60px] items-baseline gap-3 border-b border-line-2 py-1 ${token.revoked ? "text-ink-3" : ""}`}
          >
            <span className="truncate">
              {token.name} <span className="font-mono text-[12px]">{token.begins}…</span>
            </span>
            <span title={MAY[token.scope]}>{token.scope}</span>
            <span className="text-[12px] text-ink-2">
              {token.revoked
                ? `revoked ${moment(token.revoked)}`
                : token.last_used
                  ? `used ${moment(token.last_used)}`
                  : "not used yet"}
            </span>
            {token.revoked ? (
              <span />
            ) : (
              <button type="button" className="act" onClick={() => revoke.mutate(token.id)}>
                revoke
              </button>
            )}
          </li>
        ))}
      </ul>
      {make.data ? (
        <ShownOnce
          what={
            <>
              Sent with each request as <code className="font-mono">Authorization: Token …</code>
            </>
          }
          text={make.data.token}
          take="copy the token"
          note="It is shown this once; here only its digest is kept."
          done={() => {
            make.reset();
            setName("");
          }}
        />
      ) : (
        <form
          className="mt-2 flex items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            if (name.trim()) make.mutate({ name: name.trim(), scope });
          }}
        >
          <input
            aria-label="name of the token"
            className="field w-44"
            placeholder="nightly build"
            maxLength={80}
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
          which
          <select
            aria-label="scope of the token"
            className="field"
            value={scope}
            onChange={(event) => setScope(event.target.value as Scope)}
          >
            {(Object.keys(MAY) as Scope[]).map((one) => (
              <option key={one} value={one}>
                {MAY[one]}
              </option>
            ))}
          </select>
          <button type="submit" className="button-quiet" disabled={!name.trim()}>
            Make it
          </button>
        </form>
      )}
      {make.error && (
        <p role="alert" className="mt-1 text-behind">
          {make.error.message}
        </p>
      )}
    </section>
  );
}
