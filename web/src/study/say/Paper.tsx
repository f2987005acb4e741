/** HTML of a report as the server wrote it, set by the report's own style and nothing else. */
import { useEffect, useRef } from "react";

const SHEETS = new Map<string, CSSStyleSheet>();

function sheetOf(style: string): CSSStyleSheet {
  let sheet = SHEETS.get(style);
  if (!sheet) {
    sheet = new CSSStyleSheet();
    sheet.replaceSync(style);
    SHEETS.set(style, sheet);
  }
  return sheet;
}

/** Shown in a tree of its own: the page's styles do not reach it. `whole` HTML is an article. */
export function Paper(props: { html: string; style: string; whole?: boolean; label?: string }) {
  const host = useRef<HTMLDivElement>(null);
  const { html, style, whole } = props;
  useEffect(() => {
    const element = host.current;
    if (!element) return;
    const root = element.shadowRoot ?? element.attachShadow({ mode: "open" });
    root.adoptedStyleSheets = [sheetOf(style)];
    root.innerHTML = whole ? html : `<div class="report part">${html}</div>`;
  }, [html, style, whole]);
  return <div ref={host} data-paper={props.label} />;
}
