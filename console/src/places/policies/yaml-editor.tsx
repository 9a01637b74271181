import { defaultKeymap, history, historyKeymap, indentWithTab } from "@codemirror/commands";
import { yaml } from "@codemirror/lang-yaml";
import { HighlightStyle, indentUnit, syntaxHighlighting } from "@codemirror/language";
import { type Diagnostic, lintGutter, setDiagnostics } from "@codemirror/lint";
import { Compartment, EditorState } from "@codemirror/state";
import { EditorView, keymap, lineNumbers } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { read } from "@/api/queries";
import type { DocumentProblem } from "@/api/types";
import type { Schema } from "./schema";
import { yamlHelp } from "./yaml-help";

const look = EditorView.theme({
  "&": { backgroundColor: "var(--sheet)", color: "var(--ink)", fontSize: "14px", height: "100%" },
  ".cm-content": {
    fontFamily: "var(--font-mono)",
    lineHeight: "21px",
    padding: "10px 0",
    caretColor: "var(--ink)",
  },
  ".cm-scroller": { fontFamily: "var(--font-mono)", lineHeight: "21px" },
  ".cm-gutters": { backgroundColor: "var(--sheet)", color: "var(--ink-second)", border: "none" },
  "&.cm-focused": { outline: "2px solid var(--brass)", outlineOffset: "-1px" },
  ".cm-cursor": { borderLeftColor: "var(--ink)" },
  "&.cm-focused .cm-selectionBackground, .cm-selectionBackground, ::selection": {
    backgroundColor: "color-mix(in srgb, var(--brass) 28%, transparent) !important",
  },
  ".cm-tooltip": { backgroundColor: "var(--paper)", color: "var(--ink)", border: "1px solid var(--hairline)" },
  ".cm-tooltip-autocomplete > ul > li[aria-selected]": { backgroundColor: "var(--brass)", color: "var(--on-brass)" },
  ".cm-diagnostic": { fontFamily: "var(--font-sans)", maxWidth: "460px" },
  ".cm-diagnostic-error": { borderLeft: "4px solid var(--red)" },
  ".cm-diagnostic-warning": { borderLeft: "4px solid var(--brass)" },
});

const colours = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: "var(--ink)", fontWeight: "600" },
  { tag: [tags.string, tags.content], color: "var(--green)" },
  { tag: [tags.number, tags.bool, tags.literal], color: "var(--waiting)" },
  { tag: tags.comment, color: "var(--ink-second)", fontStyle: "italic" },
  { tag: [tags.punctuation, tags.separator], color: "var(--ink-second)" },
]);

function diagnostics(state: EditorState, problems: DocumentProblem[]): Diagnostic[] {
  return problems
    .filter((p) => p.line <= state.doc.lines)
    .map((p) => {
      const line = state.doc.line(Math.max(p.line, 1));
      const from = Math.min(line.from + Math.max(p.column - 1, 0), line.to);
      return { from, to: line.to, severity: p.severity, message: p.message };
    })
    .sort((a, b) => a.from - b.from);
}

type EditorProps = {
  value: string;
  problems: DocumentProblem[];
  readOnly: boolean;
  onChange: (value: string) => void;
  goTo: { line: number } | null; // a place to show
};

/** Edits YAML, with the service's checks beside the lines that they are about. */
export function YamlEditor({ value, problems, readOnly, onChange, goTo }: EditorProps) {
  const place = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(null);
  const changed = useRef(onChange);
  const first = useRef({ value, readOnly });
  const locked = useRef(new Compartment());
  const schema = useQuery(read.policySchema());
  const known = useRef<Schema>(undefined);
  changed.current = onChange;
  known.current = schema.data;

  useEffect(() => {
    if (!place.current) return;
    view.current = new EditorView({
      parent: place.current,
      state: EditorState.create({
        doc: first.current.value,
        extensions: [
          lineNumbers(),
          history(),
          yaml(),
          indentUnit.of("  "),
          syntaxHighlighting(colours),
          lintGutter(),
          look,
          EditorView.lineWrapping,
          yamlHelp(() => known.current),
          EditorView.contentAttributes.of({ "aria-label": "The policy, as YAML" }),
          locked.current.of(EditorState.readOnly.of(first.current.readOnly)),
          keymap.of([...defaultKeymap, ...historyKeymap, indentWithTab]),
          EditorView.updateListener.of((update) => {
            if (update.docChanged) changed.current(update.state.doc.toString());
          }),
        ],
      }),
    });
    view.current.scrollDOM.tabIndex = 0; // so that it can be scrolled by keys
    return () => view.current?.destroy();
  }, []);

  useEffect(() => {
    const editor = view.current;
    if (editor && editor.state.doc.toString() !== value) {
      editor.dispatch({ changes: { from: 0, to: editor.state.doc.length, insert: value } });
    }
  }, [value]);

  useEffect(() => {
    view.current?.dispatch({ effects: locked.current.reconfigure(EditorState.readOnly.of(readOnly)) });
  }, [readOnly]);

  useEffect(() => {
    const editor = view.current;
    if (editor) editor.dispatch(setDiagnostics(editor.state, diagnostics(editor.state, problems)));
  }, [problems]);

  useEffect(() => {
    const editor = view.current;
    if (!editor || !goTo) return;
    const line = editor.state.doc.line(Math.min(Math.max(goTo.line, 1), editor.state.doc.lines));
    editor.dispatch({
      selection: { anchor: line.from },
      effects: EditorView.scrollIntoView(line.from, { y: "center" }),
    });
    editor.focus();
  }, [goTo]);

  return <div ref={place} className="h-[calc(100vh-190px)] min-h-80 overflow-hidden border border-hairline" />;
}
