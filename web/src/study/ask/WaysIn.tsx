/** Ways to say what is compared: an installed program, a command, releases, or what is elsewhere. */
import { useState } from "react";
import {
  type Application,
  type Release,
  useApplications,
  useReleases,
  type WantedVariant,
} from "../../api/asking";
import { useIsOwner } from "../../api/people";
import { count } from "../../parts/text";
import { makersVersion } from "./readiness";
import { releaseName, releaseNames } from "./releaseName";

const SHOWN = 6;
const NAME_LENGTH = 60;

/** What is wanted: the variant, and the name of the program it is of. */
export interface Wanted {
  program: string;
  variants: WantedVariant[];
  /** Whether the name is that of an installed program, not only of a command. */
  installed?: boolean;
}

export type Way = "installed" | "command" | "releases" | "elsewhere";

export const WAYS: Record<Way, string> = {
  installed: "an installed program",
  command: "a command of my own",
  releases: "a folder with releases",
  elsewhere: "measured elsewhere",
};

interface WayProps {
  rig: string | undefined;
  /** The name of the program, where it is said already. */
  program?: string;
  /** A command to begin with: what differs is changed in it. */
  like?: string;
  take: (wanted: Wanted) => void;
  busy: boolean;
}

export function WayIn(props: WayProps & { way: Way }) {
  if (props.way === "command") return <OwnCommand {...props} />;
  if (props.way === "releases") return <Releases {...props} />;
  if (props.way === "elsewhere") return <Elsewhere {...props} />;
  return <Installed {...props} />;
}

/** Programs whose name, package or command holds what is typed; best names first. */
export function matching(programs: Application[], text: string): Application[] {
  const wanted = text.trim().toLowerCase();
  const holds = (part: string) => part.toLowerCase().includes(wanted);
  const rank = (one: Application) => (one.name.toLowerCase().startsWith(wanted) ? 0 : 1);
  return programs
    .filter((one) => [one.name, one.package, one.command.join(" ")].some(holds))
    .sort((a, b) => rank(a) - rank(b));
}

function wantedOf(one: Application): Wanted {
  const version = makersVersion(one.version);
  return {
    program: one.name,
    installed: true,
    variants: [
      {
        name: `${one.name} ${version}`.trim().slice(0, NAME_LENGTH),
        start: { command: one.command, log: "", home: "" },
      },
    ],
  };
}

function Installed(props: WayProps) {
  const installed = useApplications(props.rig);
  const [text, setText] = useState("");
  const [all, setAll] = useState(false);
  const programs = installed.data?.applications ?? [];
  const found = matching(programs, text);
  const shown = all ? found : found.slice(0, SHOWN);
  const first = found[0];
  if (!props.rig)
    return (
      <p className="text-ink-2">
        No rig is connected, so the programs installed there are not known yet. You can enter a
        command already.
      </p>
    );
  return (
    <div>
      <div className="flex items-baseline gap-3">
        <input
          aria-label={`search what is installed on ${props.rig}`}
          placeholder="search"
          className="line-field w-52"
          value={text}
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => {
            if (event.key === "Enter" && first && !props.busy) {
              event.preventDefault();
              props.take(wantedOf(first));
              setText("");
            }
          }}
        />
        <span className="text-ink-2">
          {text
            ? `${found.length} of ${count(programs.length, "program")} found on ${props.rig}`
            : `${count(programs.length, "program")} installed on ${props.rig}`}
        </span>
      </div>
      <ul className="mt-1">
        {shown.map((one) => (
          <li
            key={one.id}
            className="grid grid-cols-[minmax(120px,1fr)_90px_minmax(110px,0.9fr)_minmax(120px,1.2fr)_auto] items-baseline gap-3 border-b border-line-2 py-1"
          >
            <span className="truncate font-medium" title={one.name}>
              {one.name}
            </span>
            <span className="truncate text-ink-2" title={one.version}>
              {makersVersion(one.version)}
            </span>
            <span className="truncate text-[12px] text-ink-2">
              {one.package ? `package ${one.package}` : "in no package"}
            </span>
            <span className="truncate font-mono text-[12px]" title={one.command.join(" ")}>
              {one.command.join(" ")}
            </span>
            <button
              type="button"
              className="act"
              aria-label={`take it: ${one.name}`}
              disabled={props.busy}
              onClick={() => props.take(wantedOf(one))}
            >
              take it
            </button>
          </li>
        ))}
      </ul>
      {installed.data && programs.length === 0 && (
        <p className="mt-1 text-ink-2">
          No program with a menu entry is installed there. Enter a command instead.
        </p>
      )}
      {text && found.length === 0 && programs.length > 0 && (
        <p className="mt-1 text-ink-2">
          No program here is called that. One that is in no menu can be started by a command: type
          it below.
        </p>
      )}
      {found.length > SHOWN && (
        <button type="button" className="act mt-1" onClick={() => setAll(!all)}>
          {all ? "fewer" : `${found.length - SHOWN} more`}
        </button>
      )}
    </div>
  );
}

function OwnCommand(props: WayProps) {
  const [name, setName] = useState("");
  const [typed, setTyped] = useState(props.like ?? "");
  const { program, release } = releaseName(commandName(typed));
  const usual = release || program;
  const submit = (event: React.FormEvent) => {
    event.preventDefault();
    if (!typed.trim() || props.busy) return;
    const called = (name.trim() || usual || "variant").slice(0, NAME_LENGTH);
    props.take({ program: program || called, variants: [{ name: called, typed: typed.trim() }] });
    setName("");
  };
  return (
    <form onSubmit={submit} className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
      <input
        aria-label="what is started"
        className="line-field min-w-0 flex-1 font-mono text-[12px]"
        placeholder="/opt/weftwright-4.2/bin/weftwright --renderer=software"
        value={typed}
        maxLength={8000}
        onChange={(event) => setTyped(event.target.value)}
      />
      <span className="text-ink-2">called</span>
      <input
        aria-label="name of the variant"
        className="line-field w-40"
        placeholder={usual || "4.2"}
        value={name}
        maxLength={NAME_LENGTH}
        onChange={(event) => setName(event.target.value)}
      />
      <button type="submit" className="button-quiet" disabled={!typed.trim() || props.busy}>
        Add it
      </button>
      <span className="w-full text-[12px] text-ink-2">
        The program and its arguments, and NAME=value before it for the environment. No shell: no
        pipes, no wildcards.
      </span>
    </form>
  );
}

/** What a command's program is called: the last part of its path, without what is set before it. */
export function commandName(typed: string): string {
  const word = typed
    .trim()
    .split(/\s+/)
    .find((one) => !/^[A-Za-z_]\w*=/.test(one));
  return word?.split("/").at(-1) ?? "";
}

function Releases(props: WayProps) {
  const owner = useIsOwner();
  const look = useReleases(props.rig ?? "");
  const [folder, setFolder] = useState("");
  const [left, setLeft] = useState<Set<string>>(new Set());
  const found = look.data ?? [];
  const chosen = found.filter((one) => !left.has(one.name));
  if (!owner)
    return (
      <p className="text-ink-2">
        Only an owner of this workspace may look into folders of a rig. Say the commands one by one.
      </p>
    );
  if (!props.rig) return <p className="text-ink-2">No rig is connected.</p>;
  return (
    <div>
      <form
        className="flex items-baseline gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (folder.trim()) look.mutate(folder.trim());
        }}
      >
        <input
          aria-label={`folder on ${props.rig} with releases side by side`}
          className="line-field w-72 font-mono text-[12px]"
          placeholder="~/releases"
          value={folder}
          onChange={(event) => setFolder(event.target.value)}
        />
        <button type="submit" className="button-quiet" disabled={!folder.trim() || look.isPending}>
          {look.isPending ? "Looking …" : "Look there"}
        </button>
        <span className="text-ink-2">each folder or program in it is a release of its own</span>
      </form>
      {look.error && (
        <p role="alert" className="mt-1 text-behind">
          {look.error.message}
        </p>
      )}
      {look.data && found.length === 0 && (
        <p className="mt-1 text-ink-2">Nothing in it can be started, nor in the folders in it.</p>
      )}
      {found.length > 0 && (
        <>
          <ul className="mt-1">
            {found.map((one) => (
              <li key={one.name} className="border-b border-line-2 py-1">
                <label className="flex items-baseline gap-2">
                  <input
                    type="checkbox"
                    className="accent-[var(--brass)]"
                    checked={!left.has(one.name)}
                    onChange={() => setLeft(toggled(left, one.name))}
                  />
                  <b className="w-44 truncate">{one.name}</b>
                  <span className="truncate font-mono text-[12px]">{one.programs[0]}</span>
                </label>
              </li>
            ))}
          </ul>
          <button
            type="button"
            className="button-quiet mt-2"
            disabled={!chosen.length || props.busy}
            onClick={() => props.take(wantedReleases(chosen))}
          >
            Take {count(chosen.length, "release")}
          </button>
        </>
      )}
    </div>
  );
}

/** Variants by name alone: what was measured of them is brought in, as logs, tables or films. */
function Elsewhere(props: WayProps) {
  const [program, setProgram] = useState(props.program ?? "");
  const [typed, setTyped] = useState("");
  const names = namesIn(typed);
  const submit = (event: React.FormEvent) => {
    event.preventDefault();
    if (!names.length || !program.trim() || props.busy) return;
    props.take({
      program: program.trim(),
      variants: names.map((name) => ({ name, elsewhere: true })),
    });
    setTyped("");
  };
  return (
    <form onSubmit={submit} className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
      {!props.program && (
        <input
          aria-label="name of the program"
          className="line-field w-44"
          placeholder="Weftwright"
          value={program}
          maxLength={120}
          onChange={(event) => setProgram(event.target.value)}
        />
      )}
      <input
        aria-label="names of the variants"
        className="line-field min-w-0 flex-1"
        placeholder="its variants, with commas between: 4.1, 4.2"
        value={typed}
        maxLength={500}
        onChange={(event) => setTyped(event.target.value)}
      />
      <button
        type="submit"
        className="button-quiet"
        disabled={!names.length || !program.trim() || props.busy}
      >
        Add {names.length > 1 ? "them" : "it"}
      </button>
      <span className="w-full text-[12px] text-ink-2">
        No rig starts these. What was measured of them, by another instrument or by hand, is brought
        in under Measure: a log, a table of results, a film.
      </span>
    </form>
  );
}

/** Names with commas or semicolons between, each once. */
export function namesIn(typed: string): string[] {
  const names = typed.split(/[,;\n]/).map((name) => name.trim().slice(0, NAME_LENGTH));
  return [...new Set(names.filter(Boolean))];
}

function wantedReleases(chosen: Release[]): Wanted {
  const { program, releases } = releaseNames(chosen.map((one) => one.name));
  return {
    program: program || (chosen[0]?.programs[0]?.split("/").at(-1) ?? ""),
    variants: chosen.map((one, place) => ({
      name: (releases[place] ?? one.name).slice(0, NAME_LENGTH),
      start: { command: one.programs.slice(0, 1), log: "", home: "" },
    })),
  };
}

function toggled(set: Set<string>, name: string): Set<string> {
  const next = new Set(set);
  if (!next.delete(name)) next.add(name);
  return next;
}
