/** A link, token or command that is shown this once, to be taken along at once. */
import { useState } from "react";

export function ShownOnce(props: {
  what: React.ReactNode;
  text: string;
  take: string;
  note: string;
  done: () => void;
}) {
  const [copied, setCopied] = useState(false);
  return (
    <div className="mt-2 border-l-2 border-brass bg-card px-3 py-2">
      <p>{props.what}</p>
      <pre className="my-1 overflow-x-auto bg-ground px-2 py-1 font-mono text-[12px]" tabIndex={0}>
        {props.text}
      </pre>
      <p className="text-[12px] text-ink-2">{props.note}</p>
      <div className="mt-1 flex gap-4">
        <button
          type="button"
          className="act"
          onClick={() => navigator.clipboard.writeText(props.text).then(() => setCopied(true))}
        >
          {copied ? "copied" : props.take}
        </button>
        <button type="button" className="act" onClick={props.done}>
          done
        </button>
      </div>
    </div>
  );
}
