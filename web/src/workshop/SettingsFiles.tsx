/** The settings files of a subject that are held against one another before and after each run. */
import { useState } from "react";
import type { Schemas } from "../api/client";
import { useMayChange } from "../api/people";
import { type SettingsFile, useChangeSubject } from "../api/workshop";
import { InPlace } from "../parts/InPlace";

export function SettingsFiles(props: { subject: Schemas["Subject"] }) {
  const { subject } = props;
  const change = useChangeSubject(subject.id);
  const mayChange = useMayChange();
  const [file, setFile] = useState("");
  const keep = (settings: SettingsFile[]) => change.mutate({ settings });
  const replace = (place: number, values: Partial<SettingsFile>) =>
    keep(subject.settings.map((one, n) => (n === place ? { ...one, ...values } : one)));
  return (
    <div className="mt-4 max-w-4xl">
      <h2 className="font-semibold">Settings compared between runs</h2>
      <p className="text-ink-2">
        Read before and after each run, from the working folder or where the rig says they lie. What
        differs stands under Match. Values of keys that name a password or token are never taken.
      </p>
      <ul className="mt-1">
        {subject.settings.map((one, place) => (
          <li
            key={one.file}
            className="grid grid-cols-[180px_1fr_1fr_auto] items-baseline gap-3 border-b border-line-2 py-1"
          >
            <span className="font-mono text-[12px]">{one.file}</span>
            <span>
              keys{" "}
              <InPlace
                label={`keys wanted of ${one.file}`}
                value={(one.only ?? []).join(", ")}
                placeholder="all of them"
                keep={(text) => replace(place, { only: listed(text) })}
                className="w-56 font-mono text-[12px]"
              />
            </span>
            <span>
              but not{" "}
              <InPlace
                label={`keys ignored of ${one.file}`}
                value={(one.ignore ?? []).join(", ")}
                placeholder="such as window.*, recent.*"
                keep={(text) => replace(place, { ignore: listed(text) })}
                className="w-56 font-mono text-[12px]"
              />
            </span>
            {mayChange && (
              <button
                type="button"
                className="act"
                onClick={() => keep(subject.settings.filter((_, n) => n !== place))}
              >
                leave it out
              </button>
            )}
          </li>
        ))}
      </ul>
      {mayChange && (
        <form
          className="mt-2 flex gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            const added = { file: file.trim(), only: [], ignore: [] };
            change.mutate(
              { settings: [...subject.settings, added] },
              { onSuccess: () => setFile("") },
            );
          }}
        >
          <input
            aria-label="another settings file"
            className="field w-44 font-mono text-[12px]"
            placeholder="weftwright.ini"
            maxLength={120}
            value={file}
            onChange={(event) => setFile(event.target.value)}
          />
          <button type="submit" className="button-quiet" disabled={!file.trim()}>
            Watch this file
          </button>
          {change.error && (
            <span role="alert" className="text-behind">
              {change.error.message}
            </span>
          )}
        </form>
      )}
    </div>
  );
}

export function listed(text: string): string[] {
  return text
    .split(",")
    .map((part) => part.trim())
    .filter(Boolean);
}
