/** Accepting an invitation: a name and a password of one's own. */
import { useNavigate, useParams } from "react-router";
import { useInvited, useJoin } from "../api/people";
import { Waiting } from "../parts/Trouble";
import { NameAndPassword } from "./NameAndPassword";

const MAY: Record<string, string> = {
  owner: "may change everything and look after who comes in",
  tester: "may ask, script, measure and decide",
  reader: "may read everything and change nothing",
};

export function Join() {
  const { token = "" } = useParams();
  const invited = useInvited(token);
  const join = useJoin(token);
  const navigate = useNavigate();
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
          <NameAndPassword
            fresh
            act="Join"
            pending={join.isPending}
            error={join.error}
            send={(entry) => join.mutate(entry, { onSuccess: () => navigate("/") })}
          />
        </>
      )}
    </main>
  );
}
