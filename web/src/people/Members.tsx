/** Who is in the workspace with which role, and who is invited. */
import { useState } from "react";
import {
  type Role,
  useInvitations,
  useInvitePerson,
  useLetBack,
  useMembers,
  useRole,
  useTakeOut,
  useUninvite,
  useWayIn,
} from "../api/people";
import { useSession } from "../api/queries";
import { ShownOnce } from "../parts/ShownOnce";
import { count, moment } from "../parts/text";

const ROLES: Role[] = ["owner", "tester", "reader"];

export function Members() {
  const members = useMembers();
  const session = useSession();
  const role = useRole();
  const takeOut = useTakeOut();
  const letBack = useLetBack();
  const wayIn = useWayIn();
  const error = role.error ?? takeOut.error ?? letBack.error ?? wayIn.error;
  const there = members.data?.filter((member) => !member.taken_out) ?? [];
  const out = members.data?.filter((member) => member.taken_out) ?? [];
  const given = there.find((member) => member.id === wayIn.variables);
  return (
    <section>
      <h1 className="text-[22px] font-semibold">
        {count(there.length, "person", "people")} in {session.data?.workspace}
      </h1>
      <ul className="mt-1">
        {there.map((member) => (
          <li
            key={member.id}
            className="grid grid-cols-[1fr_100px_130px_70px_60px] items-baseline gap-3 border-b border-line-2 py-1"
          >
            <span className="truncate font-medium">{member.name}</span>
            <select
              aria-label={`role of ${member.name}`}
              className="field"
              value={member.role}
              onChange={(event) =>
                role.mutate({ member: member.id, role: event.target.value as Role })
              }
            >
              {ROLES.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
            <span className="text-[12px] text-ink-2">
              {member.last_seen ? `in on ${moment(member.last_seen)}` : "not in yet"}
            </span>
            {member.name === session.data?.name ? (
              <span className="text-[12px] text-ink-2">you</span>
            ) : (
              <button
                type="button"
                className="act"
                title="For a forgotten password: it ends, and a link lets them in once to set another"
                onClick={() => wayIn.mutate(member.id)}
              >
                new way in
              </button>
            )}
            <button type="button" className="act" onClick={() => takeOut.mutate(member.id)}>
              take out
            </button>
          </li>
        ))}
        {out.map((member) => (
          <li
            key={member.id}
            className="grid grid-cols-[1fr_100px_130px_142px] items-baseline gap-3 border-b border-line-2 py-1 text-ink-2"
          >
            <span className="truncate">{member.name}</span>
            <span>{member.role}</span>
            <span className="text-[12px]">taken out</span>
            <button
              type="button"
              className="act text-right"
              onClick={() => letBack.mutate(member.id)}
            >
              let back in
            </button>
          </li>
        ))}
      </ul>
      {wayIn.data && (
        <ShownOnce
          what={`Send this link to ${given?.name ?? "whom it is for"}:`}
          text={wayIn.data.link}
          take="copy the link"
          note="It is shown this once, works once, and holds for an hour. Their old password and sessions have ended; once in, they set another password."
          done={() => wayIn.reset()}
        />
      )}
      {error && (
        <p role="alert" className="mt-1 text-behind">
          {error.message}
        </p>
      )}
    </section>
  );
}

export function Invitations() {
  const invitations = useInvitations();
  const invite = useInvitePerson();
  const uninvite = useUninvite();
  const [whom, setWhom] = useState("");
  const [role, setRole] = useState<Role>("tester");
  const open = (invitations.data ?? []).filter((one) => !one.used_by);
  return (
    <section className="mt-6">
      <h2 className="font-semibold">Invited</h2>
      <ul>
        {open.map((one) => (
          <li
            key={one.id}
            className="grid grid-cols-[1fr_100px_130px_60px] items-baseline gap-3 border-b border-line-2 py-1"
          >
            <span className="truncate">{one.whom}</span>
            <span>{one.role}</span>
            <span className="text-[12px] text-ink-2">until {moment(one.expires)}</span>
            <button type="button" className="act" onClick={() => uninvite.mutate(one.id)}>
              take back
            </button>
          </li>
        ))}
      </ul>
      {invite.data ? (
        <ShownOnce
          what="Send this link to whom it is for:"
          text={invite.data.link}
          take="copy the link"
          note="It is shown this once, works once, and holds for a week."
          done={() => {
            invite.reset();
            setWhom("");
          }}
        />
      ) : (
        <form
          className="mt-2 flex items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            if (whom.trim()) invite.mutate({ whom: whom.trim(), role });
          }}
        >
          <input
            aria-label="whom to invite"
            className="field w-44"
            placeholder="Ida, for the night runs"
            maxLength={120}
            value={whom}
            onChange={(event) => setWhom(event.target.value)}
          />
          as
          <select
            aria-label="role of whom you invite"
            className="field"
            value={role}
            onChange={(event) => setRole(event.target.value as Role)}
          >
            {ROLES.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
          <button type="submit" className="button-quiet" disabled={!whom.trim()}>
            Make an invitation
          </button>
        </form>
      )}
      {invite.error && (
        <p role="alert" className="mt-1 text-behind">
          {invite.error.message}
        </p>
      )}
    </section>
  );
}
