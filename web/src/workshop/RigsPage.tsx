/** Rigs: how each stands, and one in full: what it is, how that changed, what it may start. */
import { Link, useParams } from "react-router";
import type { Rig, Schemas } from "../api/client";
import { useRigs } from "../api/queries";
import { useRig } from "../api/workshop";
import { Rigs } from "../home/Rigs";
import { Trouble, Waiting } from "../parts/Trouble";
import { count, moment } from "../parts/text";
import { apart, known } from "./apart";
import { LatestRuns } from "./LatestRuns";
import { lastWords } from "./Subjects";

type Detail = Schemas["RigDetail"];

export function RigsPage() {
  const rigs = useRigs().data ?? [];
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_360px] gap-8">
      <div>
        <div className="flex items-baseline gap-5">
          <h1 className="text-[22px] font-semibold">{count(rigs.length, "rig")}</h1>
          <Link className="plain" to="/night">
            at night
          </Link>
        </div>
        <table className="mt-2 w-full border-collapse">
          <thead>
            <tr className="border-b border-brass/60 text-left text-[12px] text-ink-2">
              <th className="py-1 font-normal">rig</th>
              <th className="py-1 font-normal">processor, memory</th>
              <th className="py-1 font-normal">system, kernel</th>
              <th className="py-1 font-normal">last heard of</th>
            </tr>
          </thead>
          <tbody>
            {rigs.map((rig) => (
              <tr key={rig.name} className="border-b border-line-2 align-top">
                <td className="py-1.5 pr-4 whitespace-nowrap">
                  <Link className="plain font-medium" to={`/rigs/${rig.name}`}>
                    {rig.name}
                  </Link>
                  <div className={rig.state === "silent" ? "text-behind" : "text-ink-2"}>
                    {rig.state}
                  </div>
                </td>
                <td className="py-1.5 pr-4">
                  {known(rig, "processor")}
                  <div className="text-ink-2">
                    {known(rig, "cores")} cores, {known(rig, "memory")}
                  </div>
                </td>
                <td className="py-1.5 pr-4">
                  {known(rig, "operating system")}
                  <div className="text-ink-2">{known(rig, "kernel")}</div>
                </td>
                <td className="py-1.5 text-ink-2">{moment(rig.last_seen ?? null) || "never"}</td>
              </tr>
            ))}
          </tbody>
        </table>
        <HowTheyDiffer rigs={rigs.filter((rig) => rig.known.length > 0)} />
        <LatestRuns title="Measured last" />
      </div>
      <div className="border-l border-line pl-5">
        <Rigs />
      </div>
    </div>
  );
}

/** Side by side what is not the same on all rigs; what they share is not repeated. */
function HowTheyDiffer(props: { rigs: Rig[] }) {
  const { rigs } = props;
  const names = apart(rigs);
  if (rigs.length < 2) return null;
  return (
    <section className="mt-7">
      <h2 className="font-semibold">How they differ</h2>
      <p className="text-ink-2">
        {names.length
          ? `In ${count(names.length, "fact")}. Within a round all variants run on one rig; runs of different rigs are never mixed.`
          : "In nothing that is known: runs may go to either."}
      </p>
      {names.length > 0 && (
        <table className="mt-2 w-full border-collapse">
          <thead>
            <tr className="border-b border-line text-left text-[12px] text-ink-2">
              <th className="py-1 font-normal">fact</th>
              {rigs.map((rig) => (
                <th key={rig.name} className="py-1 font-normal">
                  {rig.name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {names.map((name) => (
              <tr key={name} className="border-b border-line-2 align-top">
                <td className="py-0.5 pr-4 whitespace-nowrap text-ink-2">{name}</td>
                {rigs.map((rig) => (
                  <td key={rig.name} className="py-0.5 pr-4 break-words">
                    {known(rig, name)}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

export function RigDetailPage() {
  const { name = "" } = useParams();
  const rig = useRig(name);
  if (rig.isPending) return <Waiting what="the rig" />;
  if (rig.error) return <Trouble what="This rig" error={rig.error} again={() => rig.refetch()} />;
  return <OneRig detail={rig.data} />;
}

function OneRig(props: { detail: Detail }) {
  const { rig, known, outcomes, recent } = props.detail;
  const total = outcomes.reduce((sum, one) => sum + one.runs, 0);
  return (
    <>
      <h1 className="text-[22px] font-semibold">
        {rig.name} <span className="text-[15px] font-normal text-ink-2">{rig.state}</span>
      </h1>
      <p className="text-ink-2">
        {rig.agent_version ? `Agent ${rig.agent_version}, ` : ""}
        {rig.last_seen ? `last heard of ${moment(rig.last_seen)}` : "never connected here"}.{" "}
        {total > 0 &&
          `Of its newest ${count(total, "run")}: ${outcomes.map((one) => `${one.runs} ${one.outcome}`).join(", ")}. `}
        {recent.length > 0 && "The last: "}
        {recent.map((run) => (
          <Link key={run} className="plain mr-1" to={`/runs/${run}`}>
            {run}
          </Link>
        ))}
      </p>
      <div className="mt-4 grid grid-cols-[minmax(0,1fr)_minmax(0,1.1fr)] gap-8">
        <section>
          <h2 className="font-semibold">What it is</h2>
          {known.length === 0 && (
            <p className="text-ink-2">Nothing is known yet: its agent says so when it connects.</p>
          )}
          <dl className="mt-1 grid grid-cols-[190px_1fr]">
            {known.map((fact) => (
              <div key={fact.name} className="contents">
                <dt className="border-b border-line-2 py-0.5 text-ink-2">{fact.name}</dt>
                <dd
                  className={`truncate border-b border-line-2 py-0.5 ${fact.value === "unknown" ? "text-ink-3" : ""}`}
                  title={fact.value}
                >
                  {fact.value}
                </dd>
              </div>
            ))}
          </dl>
        </section>
        <div>
          <States detail={props.detail} />
          <Startable detail={props.detail} />
        </div>
      </div>
    </>
  );
}

function States(props: { detail: Detail }) {
  return (
    <section>
      <h2 className="font-semibold">How that changed</h2>
      <ol className="mt-1">
        {props.detail.states.map((state, place) => (
          <li key={state.first_seen} className="border-l-2 border-brass/60 py-1 pl-3">
            <span className="text-[12px] text-ink-2">
              {moment(state.first_seen)} to {place === 0 ? "now" : moment(state.last_seen)},{" "}
              {count(state.runs, "run")}
            </span>
            {state.changed.map((one) => (
              <div key={one.name}>
                {one.name}: {one.before} → <b>{one.after}</b>
              </div>
            ))}
            {state.changed.length === 0 && <div>first seen so</div>}
          </li>
        ))}
      </ol>
    </section>
  );
}

function Startable(props: { detail: Detail }) {
  const { programs } = props.detail;
  return (
    <section className="mt-6">
      <h2 className="font-semibold">What it may start</h2>
      <p className="text-ink-2">
        Written in the rig's own file: the server may start these programs and no others.
      </p>
      {programs.length === 0 && <p className="mt-1">nothing yet</p>}
      {programs.map((program) => (
        <div key={program.name} className="border-b border-line-2 py-1.5">
          <span className="font-mono text-[12px] font-semibold">{program.name}</span>
          {program.variants.length > 0 && (
            <span className="text-ink-2"> for {program.variants.join(", ")}</span>
          )}
          <div className="truncate font-mono text-[12px]" title={program.command}>
            {lastWords(program.command)}
          </div>
          <div className="text-[12px] text-ink-2">
            log: {program.log || "what it prints"}
            {program.installed.length > 0 &&
              ` · installed: ${count(program.installed.length, "place")}`}
            {program.caches.length > 0 && ` · caches: ${program.caches.join(", ")}`}
            {program.companions.length > 0 && ` · companions: ${program.companions.join(", ")}`}
            {program.settings.length > 0 && ` · settings in ${program.settings.join(", ")}`}
            {program.environment.length > 0 && ` · sets ${program.environment.join(", ")}`}
          </div>
        </div>
      ))}
    </section>
  );
}
