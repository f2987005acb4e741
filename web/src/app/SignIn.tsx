/** What a stranger sees: how to get in, and nothing else. */

export function SignIn(props: { spent: boolean }) {
  return (
    <main className="mx-auto mt-[16vh] max-w-md border-t-4 border-brass bg-card p-8">
      <h1 className="text-2xl font-semibold">Noble Yardstick</h1>
      {props.spent && (
        <p role="alert" className="mt-3 text-behind">
          That link has been used, or is older than an hour. Nothing is lost: ask for a new one.
        </p>
      )}
      <p className="mt-3">
        Sign in with the link that <code className="font-mono">./yardstick up</code> prints in its
        terminal. Each link works once.
      </p>
      <p className="mt-3 text-ink-2">
        No link left? Stop <code className="font-mono">./yardstick up</code> with Ctrl-C and start
        it again: it prints a fresh one and keeps all data.
      </p>
    </main>
  );
}
