/** Fixtures: the files that sessions work on, each known by its content. */
import { useRef } from "react";
import { Link, useSearchParams } from "react-router";
import { useMove } from "../api/asking";
import { useMayChange } from "../api/people";
import { useFixtures, useKeepFixture, useRenameFixture, useThrowFixture } from "../api/workshop";
import { InPlace } from "../parts/InPlace";
import { Trouble, Waiting } from "../parts/Trouble";
import { bytes, count, THIN } from "../parts/text";
import { useOfferUndo } from "../parts/Undo";

export function Fixtures() {
  const fixtures = useFixtures();
  const throwAway = useThrowFixture();
  const move = useMove();
  const rename = useRenameFixture();
  const offer = useOfferUndo();
  const mayChange = useMayChange();
  const asked = useSearchParams()[0].get("file");
  if (fixtures.isPending) return <Waiting what="the fixtures" />;
  if (fixtures.error)
    return <Trouble what="The fixtures" error={fixtures.error} again={() => fixtures.refetch()} />;
  return (
    <>
      <h1 className="text-[22px] font-semibold">{count(fixtures.data.length, "fixture")}</h1>
      <p className="max-w-3xl text-ink-2">
        Each run gets a fresh copy, checked by its SHA-256. Keep a new file under the same name and
        later runs use it; Match then says that the work has changed.
      </p>
      <table className="mt-3 w-full border-collapse">
        <thead>
          <tr className="border-b border-brass/60 text-left text-[12px] text-ink-2">
            <th className="py-1 font-normal">file</th>
            <th className="py-1 text-right font-normal">size</th>
            <th className="py-1 pl-6 font-normal">SHA-256</th>
            <th className="py-1 font-normal">worked on in</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {fixtures.data.map((fixture) => (
            <tr
              key={fixture.name}
              className={`border-b border-line-2 align-baseline ${fixture.name === asked ? "bg-card outline outline-1 outline-brass" : ""}`}
            >
              <td className="py-1.5">
                <a
                  className="plain font-mono text-[12px]"
                  href={`/api/fixtures/${encodeURIComponent(fixture.name)}`}
                  download={fixture.name}
                >
                  {fixture.name}
                </a>
              </td>
              <td className="text-right whitespace-nowrap">{bytes(fixture.size)}</td>
              <td className="pl-6 font-mono text-[12px]" title={fixture.sha256}>
                {fixture.sha256.slice(0, 16)}…
              </td>
              <td>
                {fixture.used_by.map((study) => (
                  <div key={study.study}>
                    <Link className="plain" to={`/studies/${study.study}/script`}>
                      {study.question}
                    </Link>
                  </div>
                ))}
                {fixture.used_by.length === 0 && <span className="text-ink-2">no session</span>}
              </td>
              <td className="text-right">
                {mayChange && fixture.used_by.length === 0 && (
                  <InPlace
                    label={`name of ${fixture.name}`}
                    value={fixture.name}
                    maxLength={200}
                    may={(text) => text !== ""}
                    keep={(wanted) => rename.mutate({ name: fixture.name, wanted })}
                    className="mr-3 w-40 border-line! font-mono text-[12px]"
                  />
                )}
                {mayChange && fixture.used_by.length === 0 && (
                  <button
                    type="button"
                    className="act"
                    onClick={() =>
                      throwAway.mutate(fixture.name, {
                        onSuccess: () =>
                          offer({
                            text: `${fixture.name} was deleted.`,
                            undo: () =>
                              move.mutate({ kind: "fixture", id: fixture.id, state: "active" }),
                          }),
                      })
                    }
                  >
                    delete
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {(throwAway.error ?? rename.error) && (
        <p role="alert" className="mt-2 text-behind">
          {(throwAway.error ?? rename.error)?.message}
        </p>
      )}
      {mayChange && <Add />}
      <HowUsed file={fixtures.data[0]?.name ?? "my-document.txt"} />
    </>
  );
}

/** How a session works on a fixture, in its own words. */
function HowUsed(props: { file: string }) {
  const lines: [string, string][] = [
    [`fixture draft = "${props.file}"`, "names the file at the top of a session"],
    ['start with "{draft}"', "starts the program with it, as a double click on the file would"],
    ['type "{draft}"', "types its name, for example where a program asks which file to open"],
    [
      'ladder picks = 100, 10000\nfixture draft = "runner-{picks}.weft"',
      "plays the session with one file after another",
    ],
  ];
  return (
    <section className="mt-8 max-w-4xl">
      <h2 className="font-semibold">How a session works on one</h2>
      <dl className="mt-1 grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)]">
        {lines.map(([line, says]) => (
          <div key={line} className="contents">
            <dt className="border-b border-line-2 py-1 pr-4 font-mono text-[12px] whitespace-pre-line">
              {line}
            </dt>
            <dd className="border-b border-line-2 py-1 text-ink-2">{says}</dd>
          </div>
        ))}
      </dl>
      <p className="mt-2 text-ink-2">
        What a session writes goes into the same folder and is thrown away after the run.
      </p>
    </section>
  );
}

function Add() {
  const keep = useKeepFixture();
  const input = useRef<HTMLInputElement>(null);
  return (
    <div className="mt-4 flex items-center gap-3">
      <input
        ref={input}
        type="file"
        aria-label="file to keep as a fixture"
        className="sr-only"
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file) keep.mutate(file);
          event.target.value = "";
        }}
      />
      <button
        type="button"
        className="button-quiet"
        disabled={keep.isPending}
        onClick={() => input.current?.click()}
      >
        {keep.isPending ? "Keeping it …" : "Keep a file"}
      </button>
      <span className="text-[12px] text-ink-2">up to 64{THIN}MiB</span>
      {keep.error && (
        <span role="alert" className="text-behind">
          {keep.error.message}
        </span>
      )}
    </div>
  );
}
