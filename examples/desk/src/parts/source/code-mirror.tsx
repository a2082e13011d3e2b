import { autocompletion, closeBrackets, type CompletionContext, type CompletionResult } from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { yaml } from "@codemirror/lang-yaml";
import { HighlightStyle, syntaxHighlighting } from "@codemirror/language";
import { linter, lintGutter, type Diagnostic } from "@codemirror/lint";
import { Compartment, EditorState, type Extension } from "@codemirror/state";
import {
  Decoration,
  EditorView,
  keymap,
  lineNumbers,
  MatchDecorator,
  ViewPlugin,
  type DecorationSet,
  type ViewUpdate,
} from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { useEffect, useRef } from "react";
import "./editor.css";

/** Something at a place of the text, from line and column. */
export interface Remark {
  readonly line: number;
  readonly column: number;
  readonly message: string;
  readonly isWarning?: boolean;
}

export interface EditorProps {
  readonly label: string;
  readonly text: string;
  readonly onText: (text: string) => void;
  readonly onSave?: () => void;
  /** YAML with its line numbers; or a task, in which inputs are marked. */
  readonly as: "yaml" | "task";
  /** Names that are put in by `{{ name }}`, with what they are. */
  readonly inputs?: readonly { readonly name: string; readonly about: string }[];
  readonly remarks?: readonly Remark[];
}

const nonce = document.querySelector<HTMLMetaElement>('meta[property="csp-nonce"]')?.nonce ?? "";

const put = new MatchDecorator({
  regexp: /\{\{.*?\}\}|\{%.*?%\}/g,
  decoration: Decoration.mark({ class: "put-in" }),
});
const markInputs = ViewPlugin.fromClass(
  class {
    decorations: DecorationSet;
    constructor(view: EditorView) {
      this.decorations = put.createDeco(view);
    }
    update(update: ViewUpdate): void {
      this.decorations = put.updateDeco(update, this.decorations);
    }
  },
  { decorations: (plugin) => plugin.decorations },
);

const inks = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], class: "k" },
  { tag: tags.comment, class: "c" },
]);

function completing(inputs: () => EditorProps["inputs"]) {
  return (context: CompletionContext): CompletionResult | null => {
    const before = context.matchBefore(/\{\{\s*[\p{L}\w]*/u);
    if (!before) return null;
    const from = before.from + /^\{\{\s*/.exec(before.text)![0].length;
    return {
      from,
      options: (inputs() ?? []).map(({ name, about }) => ({
        label: name,
        detail: about,
        apply: (view: EditorView, _: unknown, start: number, end: number) => {
          const closes = /^\s*\}\}/.test(view.state.sliceDoc(end, end + 6));
          const lead = before.text.endsWith("{") ? " " : "";
          const insert = `${lead}${name}${closes ? "" : " }}"}`;
          view.dispatch({ changes: { from: start, to: end, insert }, selection: { anchor: start + insert.length } });
        },
      })),
    };
  };
}

function diagnosticsOf(state: EditorState, remarks: readonly Remark[]): Diagnostic[] {
  return remarks.flatMap(({ line, column, message, isWarning }) => {
    if (line < 1 || line > state.doc.lines) return [];
    const own = state.doc.line(line);
    const from = Math.min(own.from + Math.max(0, column - 1), own.to);
    return [{ from, to: own.to, message, severity: isWarning ? ("warning" as const) : ("error" as const) }];
  });
}

/** CodeMirror, fed from outside: what comes from elsewhere takes the place of the text only where it is another one. */
export default function CodeMirror({ label, text, onText, onSave, as, inputs, remarks = [] }: EditorProps) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | undefined>(undefined);
  const now = useRef({ onText, onSave, inputs });
  now.current = { onText, onSave, inputs };
  const lint = useRef(new Compartment());
  useEffect(() => {
    const save = { key: "Mod-s", preventDefault: true, run: () => (now.current.onSave?.(), true) };
    const forYaml: Extension[] = [yaml(), lineNumbers(), lintGutter(), lint.current.of([])];
    const forTask: Extension[] = [
      markInputs,
      EditorView.lineWrapping,
      autocompletion({ override: [completing(() => now.current.inputs)] }),
      closeBrackets(),
    ];
    const made = new EditorView({
      parent: host.current!,
      state: EditorState.create({
        doc: text,
        extensions: [
          EditorView.cspNonce.of(nonce),
          history(),
          syntaxHighlighting(inks),
          ...(as === "yaml" ? forYaml : forTask),
          keymap.of([save, ...defaultKeymap, ...historyKeymap]),
          EditorView.contentAttributes.of({ "aria-label": label }),
          EditorView.updateListener.of((update) => {
            if (update.docChanged && !update.transactions.some((one) => one.isUserEvent("outside")))
              now.current.onText(update.state.doc.toString());
          }),
        ],
      }),
    });
    // What scrolls can be reached by keys.
    made.scrollDOM.tabIndex = 0;
    view.current = made;
    return () => made.destroy();
    // Made once; the text is kept up to date below.
  }, [as, label]);
  useEffect(() => {
    const shown = view.current;
    if (!shown || shown.state.doc.toString() === text) return;
    const { anchor } = shown.state.selection.main;
    shown.dispatch({
      changes: { from: 0, to: shown.state.doc.length, insert: text },
      selection: { anchor: Math.min(anchor, text.length) },
      userEvent: "outside",
    });
  }, [text]);
  const told = JSON.stringify(remarks);
  useEffect(() => {
    if (as !== "yaml") return;
    view.current?.dispatch({ effects: lint.current.reconfigure(linter(({ state }) => diagnosticsOf(state, remarks), { delay: 0 })) });
    // Remarks are known by what they say.
  }, [as, told]);
  return <div ref={host} className={`editor ${as}`} />;
}
