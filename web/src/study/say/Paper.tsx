/** HTML of a report as the server wrote it, set by the report's own style and nothing else. */
import { useEffect, useRef } from "react";
import { useNavigate } from "react-router";

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
  const navigate = useNavigate();
  const { html, style, whole } = props;
  useEffect(() => {
    const element = host.current;
    if (!element) return;
    const root = element.shadowRoot ?? element.attachShadow({ mode: "open" });
    root.adoptedStyleSheets = [sheetOf(style)];
    root.innerHTML = whole ? html : `<div class="report part">${html}</div>`;
  }, [html, style, whole]);
  // its links lead to pages of ours without loading everything anew
  useEffect(() => {
    const root = host.current?.shadowRoot;
    const follow = (event: Event) => {
      const mouse = event as MouseEvent;
      const link = event.target instanceof Element ? event.target.closest("a") : null;
      const to = link?.getAttribute("href");
      if (!to?.startsWith("/") || mouse.ctrlKey || mouse.metaKey || mouse.shiftKey) return;
      event.preventDefault();
      navigate(to);
    };
    root?.addEventListener("click", follow);
    return () => root?.removeEventListener("click", follow);
  }, [navigate]);
  return <div ref={host} data-paper={props.label} />;
}
