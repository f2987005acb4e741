/** The session: only launched, worked with and written, taken from another study, or begun with. */
import { useRef, useState } from "react";
import { Link } from "react-router";
import { type Part, useSessionParts } from "../../api/asking";
import { api, type Study, unwrap } from "../../api/client";
import { useMayChange } from "../../api/people";
import { useKeepScript, useStudies } from "../../api/queries";
import { useFixtures, useKeepFixture } from "../../api/workshop";
import { SheetPart } from "../../parts/Sheet";
import { bytes, count } from "../../parts/text";

const NAMES: Record<Part, string> = {
  launch: "Launch",
  open: "Open a file",
  play: "Let it play",
  page: "Page through it",
  type: "Type",
  idle: "Leave it idle",
  laps: "Open and close in laps",
  close: "Close",
};
const ORDER: Part[] = ["launch", "open", "play", "page", "type", "idle", "laps", "close"];
/** What needs a file to work on. */
const WITH_A_FILE: Part[] = ["open", "laps"];
const ALWAYS: Part[] = ["launch", "close"];

type Begun = NonNullable<Study["session"]>;

export function SessionPart(props: { study: Study; proposed: boolean }) {
  const { study } = props;
  const { script } = study;
  const mayChange = useMayChange();
  const [other, setOther] = useState(false);
  const compose = useSessionParts(study.id);
  const keep = useKeepFixture();
  const begun = study.session ?? null;
  const timings = script.stretches.length;
  const write = (parts: Part[], values?: Partial<Begun>) =>
    compose.mutate({
      parts,
      file: values?.file ?? begun?.file ?? script.fixtures[0] ?? "",
      by_keys: values?.by_keys ?? begun?.by_keys ?? false,
      nature: values?.nature ?? begun?.nature ?? "still",
    });
  const launchOnly = begun?.parts.length === 2;
  const command = begun?.nature === "command";
  const choices: [string, string, boolean, () => void][] = [
    [
      "only launch it",
      "ready at once, cold and warm",
      launchOnly,
      () => write(["launch", "close"], command ? { nature: "still" } : {}),
    ],
    [
      "a starting point",
      "to be adapted afterwards",
      begun !== null && !launchOnly && !command,
      () => write(["launch", "page", "close"], command ? { nature: "still" } : {}),
    ],
  ];
  return (
    <SheetPart
      name="Session"
      note={`${props.proposed ? "proposed: " : ""}${count(script.steps.length, "step")}, ${count(timings, "timing")}`}
      state={props.proposed ? "proposed" : "said"}
    >
      {mayChange && (
        <div className="flex flex-wrap gap-x-7 gap-y-1">
          {choices.map(([name, about, chosen, act]) => (
            <button
              key={name}
              type="button"
              aria-pressed={chosen}
              className={`border-b-2 pb-0.5 text-left ${chosen ? "border-brass" : "border-transparent"}`}
              onClick={act}
            >
              <span className={chosen ? "font-semibold" : "font-medium text-brass"}>{name}</span>
              <span className="block text-[12px] text-ink-2">{about}</span>
            </button>
          ))}
          <Link to={`/studies/${study.id}/script`} className="pb-0.5">
            <span className="font-medium text-brass">work with it once</span>
            <span className="block text-[12px] text-ink-2">and have it written, under Script</span>
          </Link>
          <button
            type="button"
            className="pb-0.5 text-left"
            aria-expanded={other}
            onClick={() => setOther(!other)}
          >
            <span className="font-medium text-brass">from another study</span>
            <span className="block text-[12px] text-ink-2">the same script, kept here</span>
          </button>
        </div>
      )}
      {other && <FromAnother study={study} done={() => setOther(false)} />}
      {begun ? (
        <Parts
          begun={begun}
          write={(parts) => write(parts, opened(parts))}
          withFile={(parts, file) =>
            keep.mutate(file, {
              onSuccess: () => write(parts, { file: file.name, ...opened(parts) }),
            })
          }
          is={(nature) => write(begun.parts as Part[], { nature })}
          locked={!mayChange || compose.isPending || keep.isPending}
        />
      ) : (
        <p className="mt-2">
          {script.title}: {script.steps.join(" · ")}{" "}
          <Link className="plain" to={`/studies/${study.id}/script`}>
            read the script
          </Link>
        </p>
      )}
      {Object.keys(script.facts).length > 0 && (
        <p className="mt-1 text-ink-2">
          {Object.entries(script.facts)
            .map(([name, value]) => `${name}: ${value}`)
            .join(" · ")}
        </p>
      )}
      {(compose.error ?? keep.error) && (
        <p role="alert" className="mt-1 text-behind">
          {(compose.error ?? keep.error)?.message}
        </p>
      )}
    </SheetPart>
  );
}

/** A step that opens the file does so in the running program; else it is started with it. */
const opened = (parts: Part[]) => ({ by_keys: parts.includes("open") });

/** The parts of a starting point in the order they are played; a press adds or leaves one out.
 *
 * What works on a file asks for one first where there is none.
 */
function Parts(props: {
  begun: Begun;
  write: (parts: Part[]) => void;
  withFile: (parts: Part[], file: File) => void;
  is: (nature: Begun["nature"]) => void;
  locked: boolean;
}) {
  const { begun } = props;
  const chooser = useRef<HTMLInputElement>(null);
  const wanted = useRef<Part[]>([]);
  const has = (part: Part) => begun.parts.includes(part);
  const may = (part: Part) => !WITH_A_FILE.includes(part) || begun.file !== "";
  const offered = ORDER.filter((part) => {
    if (begun.nature === "command") return part === "launch";
    return !(begun.nature === "moving" && part === "laps");
  });
  return (
    <div className="mt-2 flex flex-wrap gap-1" role="group" aria-label="steps of the session">
      {offered.map((part) => (
        <button
          key={part}
          type="button"
          aria-pressed={has(part)}
          disabled={props.locked || ALWAYS.includes(part)}
          title={may(part) ? undefined : "asks for the file to work on first"}
          className={`px-2.5 py-0.5 font-dense ${
            has(part)
              ? "bg-brass-soft font-semibold"
              : "border border-dashed border-ink-3 text-ink-2"
          }`}
          onClick={() => {
            const parts = has(part)
              ? ORDER.filter((one) => has(one) && one !== part)
              : ORDER.filter((one) => has(one) || one === part);
            wanted.current = parts;
            if (has(part) || may(part)) props.write(parts);
            else chooser.current?.click();
          }}
        >
          {begun.nature === "command"
            ? "Run until it ends"
            : has(part)
              ? NAMES[part]
              : `+ ${NAMES[part].toLowerCase()}`}
          {!has(part) && !may(part) && " …"}
        </button>
      ))}
      <input
        ref={chooser}
        type="file"
        tabIndex={-1}
        aria-label="file that the step works on"
        className="sr-only"
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file) props.withFile(wanted.current, file);
          event.target.value = "";
        }}
      />
      <label className="flex w-full items-baseline gap-1.5 text-ink-2">
        once it is started,
        <select
          className="field"
          value={begun.nature}
          disabled={props.locked}
          onChange={(event) => props.is(event.target.value as Begun["nature"])}
        >
          <option value="still">its window comes to rest, and is waited for</option>
          <option value="moving">it draws by itself, as a player or a game does</option>
          <option value="command">it shows no window and ends by itself, as a command does</option>
        </select>
      </label>
    </div>
  );
}

function FromAnother(props: { study: Study; done: () => void }) {
  const studies = useStudies();
  const keep = useKeepScript(props.study.id);
  const others = (studies.data ?? []).filter((one) => one.id !== props.study.id);
  const take = async (id: number) => {
    const found = await unwrap(
      api.GET("/api/studies/{study}", { params: { path: { study: id } } }),
    );
    keep.mutate(found.script.text, { onSuccess: props.done });
  };
  return (
    <div className="mt-2 border-l-2 border-brass pl-3">
      {others.length === 0 && <p className="text-ink-2">There is no other study yet.</p>}
      {others.map((one) => (
        <button
          key={one.id}
          type="button"
          className="block text-left text-brass"
          onClick={() => take(one.id)}
        >
          {one.question} <span className="text-ink-2">{one.subject}</span>
        </button>
      ))}
      {keep.error && (
        <p role="alert" className="text-behind">
          {keep.error.message}
        </p>
      )}
    </div>
  );
}

/** The files the session works on; each run gets fresh copies. */
export function FilesPart(props: { study: Study }) {
  const { study } = props;
  const begun = study.session ?? null;
  const compose = useSessionParts(study.id);
  const keep = useKeepFixture();
  const fixtures = useFixtures();
  const mayChange = useMayChange();
  const files = study.script.fixtures;
  const choose = (file: string, by_keys = begun?.by_keys ?? false) => {
    if (!begun) return;
    const parts = ORDER.filter((part) =>
      part === "open" ? by_keys && file !== "" : begun.parts.includes(part),
    );
    compose.mutate({ parts, file, by_keys, nature: begun.nature });
  };
  const upload = (file: File | undefined) => {
    if (file) keep.mutate(file, { onSuccess: () => choose(file.name) });
  };
  const size = (name: string) => fixtures.data?.find((one) => one.name === name)?.size;
  return (
    <SheetPart
      name="Files"
      note={files.length ? "the same for all" : "none, if it needs none"}
      state={files.length ? "said" : "proposed"}
    >
      {files.map((name) => (
        <p key={name}>
          <span className="font-mono text-[12px]">{name}</span>{" "}
          <span className="text-ink-2">
            {size(name) !== undefined && `${bytes(size(name) ?? 0)}, `}a fresh copy for each run
          </span>
          {begun && mayChange && (
            <button type="button" className="act ml-3" onClick={() => choose("")}>
              without it
            </button>
          )}
        </p>
      ))}
      {begun && files.length > 0 && (
        <p className="mt-1 text-ink-2">
          It is opened{" "}
          <select
            aria-label="how the file is opened"
            className="field"
            disabled={!mayChange}
            value={begun.by_keys ? "keys" : "start"}
            onChange={(event) => choose(begun.file, event.target.value === "keys")}
          >
            <option value="start">with the program, as its first argument</option>
            <option value="keys">in the running program, by Ctrl+O and its name</option>
          </select>
        </p>
      )}
      {begun && mayChange && (
        <p className="mt-1 flex flex-wrap items-baseline gap-x-3">
          <label className="act cursor-pointer">
            {files.length ? "another file" : "choose a file"}
            <input
              type="file"
              aria-label="file the session works on"
              className="sr-only"
              onChange={(event) => {
                upload(event.target.files?.[0]);
                event.target.value = "";
              }}
            />
          </label>
          {(fixtures.data?.length ?? 0) > 0 && (
            <select
              aria-label="a file that is kept here"
              className="field max-w-56"
              value=""
              onChange={(event) => event.target.value && choose(event.target.value)}
            >
              <option value="">or one that is kept here …</option>
              {fixtures.data?.map((one) => (
                <option key={one.name}>{one.name}</option>
              ))}
            </select>
          )}
          {keep.isPending && <span className="text-ink-2">keeping it …</span>}
        </p>
      )}
      {!begun && (
        <p className="text-ink-2">
          {files.length ? "Named in the script." : "The script names none."}
        </p>
      )}
      {(keep.error ?? compose.error) && (
        <p role="alert" className="text-behind">
          {(keep.error ?? compose.error)?.message}
        </p>
      )}
    </SheetPart>
  );
}
