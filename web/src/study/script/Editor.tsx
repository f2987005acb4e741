/** The script's editor: colours, completion, help and mistakes while typing. */
import { autocompletion, type CompletionContext, closeBrackets } from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap, indentWithTab } from "@codemirror/commands";
import { bracketMatching, indentUnit } from "@codemirror/language";
import { type Diagnostic, linter, lintGutter } from "@codemirror/lint";
import { unifiedMergeView } from "@codemirror/merge";
import { Compartment, EditorState, type Extension, RangeSetBuilder } from "@codemirror/state";
import {
  Decoration,
  drawSelection,
  EditorView,
  highlightActiveLine,
  hoverTooltip,
  keymap,
  lineNumbers,
  ViewPlugin,
  type ViewUpdate,
} from "@codemirror/view";
import { useEffect, useRef } from "react";
import { checkScript } from "../../api/queries";
import { pieces } from "./highlight";
import { choices, helpFor } from "./reference";

const LINT_DELAY_MS = 250;

const marks = {
  word: Decoration.mark({ class: "script-word" }),
  string: Decoration.mark({ class: "script-string" }),
  number: Decoration.mark({ class: "script-number" }),
  comment: Decoration.mark({ class: "script-comment" }),
};

function coloured(view: EditorView) {
  const builder = new RangeSetBuilder<Decoration>();
  for (const { from, to } of view.visibleRanges) {
    for (let at = from; at <= to; ) {
      const line = view.state.doc.lineAt(at);
      let place = line.from;
      for (const piece of pieces(line.text)) {
        if (piece.kind !== "plain")
          builder.add(place, place + piece.text.length, marks[piece.kind]);
        place += piece.text.length;
      }
      at = line.to + 1;
    }
  }
  return builder.finish();
}

const colours = ViewPlugin.fromClass(
  class {
    decorations;
    constructor(view: EditorView) {
      this.decorations = coloured(view);
    }
    update(update: ViewUpdate) {
      if (update.docChanged || update.viewportChanged) this.decorations = coloured(update.view);
    }
  },
  { decorations: (plugin) => plugin.decorations },
);

function complete(context: CompletionContext, windows: string[]) {
  const line = context.state.doc.lineAt(context.pos);
  const before = line.text.slice(0, context.pos - line.from);
  const word = context.matchBefore(/window "[^"]*$/.test(before) ? /[^"]*/ : /\w*/);
  const found = choices(before, context.state.doc.toString(), windows);
  if (!found.length || (word?.from === word?.to && !context.explicit)) return null;
  return {
    from: word?.from ?? context.pos,
    options: found.map(({ word: label, says }) => ({ label, detail: says, type: "keyword" })),
  };
}

const help = hoverTooltip((view, pos) => {
  const line = view.state.doc.lineAt(pos);
  for (const match of line.text.matchAll(/[A-Za-z]+/g)) {
    const from = line.from + match.index;
    const entry = from <= pos && pos <= from + match[0].length ? helpFor(match[0]) : undefined;
    if (entry)
      return {
        pos: from,
        end: from + match[0].length,
        create: () => {
          const dom = document.createElement("div");
          dom.className = "script-help";
          const use = document.createElement("code");
          use.textContent = entry.use;
          dom.append(use, document.createElement("br"), entry.says);
          return { dom };
        },
      };
  }
  return null;
});

/** A mistake in a script: its line, from 1, and what is wrong, in words. */
export interface Mistake {
  line: number;
  text: string;
}

/** The server's mistakes, at their line and column. */
async function mistakes(view: EditorView): Promise<[Diagnostic[], Mistake[]]> {
  const text = view.state.doc.toString();
  const { problems } = await checkScript(text);
  // on one line the word that was meant says more than all that might stand there
  const told = problems.map(({ line, found, meant, expected }) => {
    const rest = meant ? `. Did you mean “${meant}”?` : expected ? `; expected ${expected}.` : ".";
    return { line, text: `line ${line}: ${found}${rest}` };
  });
  const marked = problems.map((problem) => {
    const line = view.state.doc.line(Math.min(problem.line, view.state.doc.lines));
    const from = Math.min(line.from + problem.column - 1, line.to);
    const word = /^\S+/.exec(view.state.sliceDoc(from, line.to))?.[0].length ?? 0;
    const meant = problem.meant && ` Did you mean “${problem.meant}”?`;
    const expected = problem.expected && `; expected ${problem.expected}`;
    return {
      from,
      to: from + word,
      severity: "error" as const,
      message: `line ${problem.line}, column ${problem.column}: ${problem.found}${expected}.${meant}`,
      actions: problem.meant
        ? [
            {
              name: `write “${problem.meant}”`,
              apply: (editor: EditorView, start: number, end: number) =>
                editor.dispatch({ changes: { from: start, to: end, insert: problem.meant } }),
            },
          ]
        : undefined,
    };
  });
  return [marked, told];
}

export function Editor(props: {
  text: string;
  change: (text: string) => void;
  checked: (mistakes: readonly Mistake[]) => void;
  keep: () => void;
  light: number | null;
  /** Titles of windows seen in the last rehearsal. */
  windows: string[];
  /** Show what differs from this text. */
  against: string | null;
}) {
  const place = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(null);
  const latest = useRef(props);
  latest.current = props;
  const difference = useRef(new Compartment());
  useEffect(() => {
    const extensions: Extension[] = [
      lineNumbers(),
      history(),
      drawSelection(),
      highlightActiveLine(),
      bracketMatching(),
      closeBrackets(),
      indentUnit.of("  "),
      EditorState.tabSize.of(2),
      colours,
      help,
      autocompletion({
        override: [(context) => complete(context, latest.current.windows)],
        icons: false,
      }),
      linter(
        async (editor) => {
          const [marked, told] = await mistakes(editor);
          latest.current.checked(told);
          return marked;
        },
        { delay: LINT_DELAY_MS },
      ),
      lintGutter(),
      keymap.of([
        {
          key: "Mod-s",
          preventDefault: true,
          run: () => {
            latest.current.keep();
            return true;
          },
        },
        indentWithTab,
        ...defaultKeymap,
        ...historyKeymap,
      ]),
      EditorView.contentAttributes.of({ "aria-label": "session script" }),
      EditorView.updateListener.of((update) => {
        if (update.docChanged) latest.current.change(update.state.doc.toString());
      }),
      difference.current.of([]),
    ];
    const editor = new EditorView({
      parent: place.current as HTMLElement,
      state: EditorState.create({ doc: latest.current.text, extensions }),
    });
    // It scrolls, so the keyboard must reach it.
    editor.scrollDOM.tabIndex = 0;
    view.current = editor;
    return () => editor.destroy();
  }, []);
  // Text that comes from elsewhere, such as a new layout, takes the place of what stands there.
  useEffect(() => {
    const editor = view.current;
    if (editor && editor.state.doc.toString() !== props.text)
      editor.dispatch({
        changes: { from: 0, to: editor.state.doc.length, insert: props.text },
      });
  }, [props.text]);
  useEffect(() => {
    const shown =
      props.against === null
        ? []
        : unifiedMergeView({ original: props.against, mergeControls: false });
    view.current?.dispatch({ effects: difference.current.reconfigure(shown) });
  }, [props.against]);
  useEffect(() => {
    const editor = view.current;
    if (!editor || props.light === null || props.light > editor.state.doc.lines) return;
    const line = editor.state.doc.line(props.light);
    editor.dispatch({ selection: { anchor: line.from }, scrollIntoView: true });
  }, [props.light]);
  return <div ref={place} className="script-editor min-h-0 flex-1 overflow-hidden" />;
}
