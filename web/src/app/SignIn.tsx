/** What a stranger sees: how to get in, and nothing else. */
import { useSignIn } from "../api/people";
import { NameAndPassword } from "./NameAndPassword";

const SAID: Record<string, string> = {
  spent: "That link has been used, or is older than an hour. Nothing is lost: ask for a new one.",
  ended: "That link shows nothing any more: it was revoked, or its time is over.",
};

export function SignIn(props: { link: string | null }) {
  const signIn = useSignIn();
  return (
    <main className="mx-auto mt-[14vh] max-w-md border-t-4 border-brass bg-card p-8">
      <h1 className="text-2xl font-semibold">Noble Yardstick</h1>
      <p className="text-ink-2">Measures what differs between releases, and says how surely.</p>
      {props.link && SAID[props.link] && (
        <p role="alert" className="mt-3 text-behind">
          {SAID[props.link]}
        </p>
      )}
      <NameAndPassword
        act="Sign in"
        pending={signIn.isPending}
        error={signIn.error}
        send={(entry) => signIn.mutate(entry)}
      />
      <p className="mt-6 text-[12px] text-ink-2">
        On a server of your own: <code className="font-mono">./yardstick up</code> prints a link
        that signs its owner in, once. Under People the owner can then set a password and invite
        others. No link left? Stop it with Ctrl-C and start it again: it prints a fresh one and
        keeps all data.
      </p>
    </main>
  );
}
