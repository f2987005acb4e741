/** Addresses of other programs that are told when a plan ends, and whether they took it. */
import { useState } from "react";
import { useDropWebhook, useMakeWebhook, useTryWebhook, useWebhooks } from "../api/people";
import { ShownOnce } from "../parts/ShownOnce";
import { moment } from "../parts/text";

export function Webhooks() {
  const hooks = useWebhooks();
  const make = useMakeWebhook();
  const drop = useDropWebhook();
  const attempt = useTryWebhook();
  const [url, setUrl] = useState("");
  return (
    <section className="mt-6" aria-label="addresses that are told">
      <h2 className="font-semibold">Who is told when a plan ends</h2>
      <p className="text-ink-2">
        The server sends a signed message there, also when a build at the gate is decided, and tries
        again for a day where nobody takes it.
      </p>
      <ul>
        {hooks.data?.map((hook) => {
          const last = hook.deliveries[0];
          return (
            <li key={hook.id} className="border-b border-line-2 py-1">
              <div className="flex items-baseline gap-3">
                <span className="min-w-0 flex-1 truncate font-mono text-[12px]">{hook.url}</span>
                <button type="button" className="act" onClick={() => attempt.mutate(hook.id)}>
                  try it
                </button>
                <button type="button" className="act" onClick={() => drop.mutate(hook.id)}>
                  take out
                </button>
              </div>
              <p
                className={`text-[12px] ${last && last.state !== "sent" && last.attempts ? "text-behind" : "text-ink-2"}`}
              >
                {last
                  ? `${last.event}, ${moment(last.created)}: ${last.answer || "is sent"}${
                      last.state === "waits" && last.attempts > 0
                        ? `, ${last.attempts} tries, goes on`
                        : ""
                    }`
                  : "nothing told yet"}
              </p>
            </li>
          );
        })}
      </ul>
      {make.data ? (
        <ShownOnce
          what={
            <>
              Each message is signed with it: <code>Yardstick-Signature</code> is the HMAC-SHA256 of
              its instant, a dot and the body.
            </>
          }
          text={make.data.secret}
          take="copy the secret"
          note="It is shown this once."
          done={() => {
            make.reset();
            setUrl("");
          }}
        />
      ) : (
        <form
          className="mt-2 flex items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            if (url.trim()) make.mutate(url.trim());
          }}
        >
          <input
            aria-label="address that is told"
            className="field min-w-0 flex-1"
            placeholder="https://builds.example/told"
            maxLength={500}
            value={url}
            onChange={(event) => setUrl(event.target.value)}
          />
          <button type="submit" className="button-quiet" disabled={!url.trim() || make.isPending}>
            Tell it
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
