/** What is put away or deleted: brought back with one act; lost for good by owners only. */
import { type Shelved, useMove, usePurge, useShelf } from "../api/asking";
import { useIsOwner, useMayChange } from "../api/people";
import { Trouble, Waiting } from "../parts/Trouble";
import { count, moment } from "../parts/text";

const KINDS: Record<Shelved["kind"], string> = {
  study: "question",
  subject: "program",
  variant: "variant",
  fixture: "file",
  profile: "profile",
};

export function Shelf() {
  const shelf = useShelf();
  const move = useMove();
  const purge = usePurge();
  const owner = useIsOwner();
  const mayChange = useMayChange();
  if (shelf.isPending) return <Waiting what="what is put away" />;
  if (shelf.error)
    return <Trouble what="What is put away" error={shelf.error} again={() => shelf.refetch()} />;
  const trouble = move.error ?? purge.error;
  return (
    <>
      <h1 className="text-[22px] font-semibold">
        {shelf.data.length ? `${shelf.data.length} put away or deleted` : "Nothing is put away"}
      </h1>
      <p className="max-w-3xl text-ink-2">
        What is put away is in no list, and nothing of it is lost. What was deleted can be brought
        back for thirty days, then it is gone with its runs; an owner can delete it for good sooner.
      </p>
      {shelf.data.length > 0 && (
        <table className="mt-3 w-full border-collapse">
          <thead>
            <tr className="border-b border-brass/60 text-left text-[12px] text-ink-2">
              <th className="py-1 font-normal">what</th>
              <th className="py-1 font-normal">kind</th>
              <th className="py-1 font-normal">state</th>
              <th className="py-1 font-normal">by, when</th>
              <th aria-label="acts" />
            </tr>
          </thead>
          <tbody>
            {shelf.data.map((one) => (
              <tr key={`${one.kind} ${one.id}`} className="border-b border-line-2 align-baseline">
                <td className="py-1.5 pr-4">
                  {one.name}
                  {one.runs > 0 && (
                    <span className="text-ink-2"> with {count(one.runs, "measured run")}</span>
                  )}
                </td>
                <td className="pr-4 text-ink-2">{KINDS[one.kind]}</td>
                <td className="pr-4">
                  {one.state === "archived"
                    ? "put away"
                    : `deleted, kept until ${moment(one.until ?? null)}`}
                </td>
                <td className="pr-4 text-ink-2">
                  {one.by}, {moment(one.at ?? null)}
                </td>
                <td className="space-x-4 text-right whitespace-nowrap">
                  {mayChange && (
                    <button
                      type="button"
                      className="act"
                      onClick={() => move.mutate({ kind: one.kind, id: one.id, state: "active" })}
                    >
                      bring back
                    </button>
                  )}
                  {owner && one.state === "deleted" && (
                    <button
                      type="button"
                      className="act text-behind!"
                      onClick={() => purge.mutate({ kind: one.kind, id: one.id })}
                    >
                      lose it for good now
                    </button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {trouble && (
        <p role="alert" className="mt-2 text-behind">
          {trouble.message}
        </p>
      )}
    </>
  );
}
