/** A chart that can be taken along: as SVG, PNG, and its numbers as CSV. */
import { useRef, useState } from "react";
import { copied, pngOf, standalone } from "./clipboard";

export function Copyable(props: {
  name: string;
  /** The numbers drawn: a line of names, then a line for each point. */
  csv: () => string;
  className?: string;
  children: React.ReactNode;
}) {
  const box = useRef<HTMLDivElement>(null);
  const [said, setSaid] = useState("");
  const take = async (kind: "SVG" | "PNG" | "CSV") => {
    const svg = box.current?.querySelector("svg");
    if (!svg) return;
    const drawn = kind === "CSV" ? props.csv() : standalone(svg);
    const done = await copied(
      kind === "PNG" ? await pngOf(drawn) : drawn,
      `${props.name.replace(/\W+/g, "-")}.${kind.toLowerCase()}`,
    );
    setSaid(done);
    window.setTimeout(() => setSaid(""), 2500);
  };
  return (
    <div ref={box} className={`group/copy ${props.className ?? ""}`}>
      {props.children}
      <p className="text-[11.5px] text-ink-3">
        <span className="opacity-0 group-hover/copy:opacity-100 focus-within:opacity-100">
          copy as{" "}
          {(["SVG", "PNG", "CSV"] as const).map((kind) => (
            <button
              key={kind}
              type="button"
              aria-label={`copy ${props.name} as ${kind}`}
              className="mr-1.5 text-brass"
              onClick={() => take(kind)}
            >
              {kind}
            </button>
          ))}
        </span>
        <span role="status">{said}</span>
      </p>
    </div>
  );
}

/** Lines of CSV from a line of names and rows of values. */
export function csvLines(names: string[], rows: (string | number)[][]): string {
  const cell = (value: string | number) =>
    typeof value === "number" ? String(value) : `"${value.replace(/"/g, '""')}"`;
  return `${[names.map((name) => cell(name)), ...rows.map((row) => row.map(cell))]
    .map((row) => row.join(","))
    .join("\n")}\n`;
}
