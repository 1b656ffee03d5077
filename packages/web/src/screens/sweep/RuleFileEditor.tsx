import { autocompletion, type CompletionContext, type CompletionResult } from "@codemirror/autocomplete";
import { json } from "@codemirror/lang-json";
import { HighlightStyle, syntaxHighlighting } from "@codemirror/language";
import { linter, type Diagnostic } from "@codemirror/lint";
import { EditorView } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import CodeMirror from "@uiw/react-codemirror";
import { useImperativeHandle, useMemo, useRef, type Ref } from "react";
import { completeRuleFile } from "./ruleFileCompletion";
import { readRuleFile, type RuleFileFault } from "./ruleFileFaults";

/** What others can do with the editor. */
export interface RuleFileEditorHandle {
  /** Selects what is wrong, and brings it into view. */
  show(fault: RuleFileFault): void;
}

// A pause in typing after which what was typed is looked at.
const TYPED_MS = 300;

const STYLE = EditorView.theme({
  "&": {
    height: "19rem",
    fontSize: "0.75rem",
    color: "var(--ink)",
    backgroundColor: "var(--sheet)",
    border: "1px solid var(--rule)",
    borderRadius: "var(--bs-border-radius)",
  },
  "&.cm-focused": { outline: "2px solid var(--ink)", outlineOffset: "2px" },
  ".cm-scroller": { fontFamily: "var(--bs-font-monospace)", lineHeight: "1.5" },
  ".cm-content": { caretColor: "var(--ink)" },
  ".cm-cursor": { borderLeftColor: "var(--ink)" },
  ".cm-gutters": { color: "var(--ink-2)", backgroundColor: "var(--well)", borderRight: "1px solid var(--rule)" },
  ".cm-selectionBackground, &.cm-focused .cm-selectionBackground": { background: "var(--rule) !important" },
  ".cm-matchingBracket": { backgroundColor: "var(--well)", outline: "1px solid var(--ink-2)" },
  ".cm-tooltip": { color: "var(--ink)", backgroundColor: "var(--sheet)", border: "1px solid var(--rule)" },
  ".cm-tooltip-autocomplete > ul > li[aria-selected]": { color: "var(--sheet)", backgroundColor: "var(--ink)" },
  ".cm-diagnostic-error": { borderLeftColor: "var(--over)" },
  ".cm-selectionMatch": { backgroundColor: "var(--well)" },
  ".cm-searchMatch": { backgroundColor: "var(--rule)" },
  ".cm-panels.cm-panels-bottom": { borderTop: "1px solid var(--rule)" },
  ".cm-panels": { color: "var(--ink)", backgroundColor: "var(--well)" },
  ".cm-textfield": { color: "var(--ink)", backgroundColor: "var(--sheet)", border: "1px solid var(--rule)" },
  ".cm-button": {
    color: "var(--ink)",
    backgroundColor: "var(--sheet)",
    backgroundImage: "none",
    border: "1px solid var(--rule)",
  },
});

const COLOURS = syntaxHighlighting(
  HighlightStyle.define([
    { tag: tags.propertyName, fontWeight: "600" },
    { tag: tags.string, color: "var(--ink)" },
    { tag: [tags.number, tags.bool, tags.null], color: "var(--ink)" },
    { tag: [tags.punctuation, tags.separator, tags.bracket], color: "var(--ink-2)" },
  ]),
);

function lint({ state }: EditorView): Diagnostic[] {
  const read = readRuleFile(state.doc.toString());
  const faults = "faults" in read ? read.faults : [];
  return faults.map(({ from, to, text }) => ({ from, to, message: text, severity: "error" }));
}

function complete({ state, pos, explicit }: CompletionContext): CompletionResult | null {
  const found = completeRuleFile(state.doc.toString(), pos);
  // What is being typed has its quote already.
  if (!found || (!explicit && found.from === found.to)) return null;
  return { from: found.from, to: found.to, options: found.texts.map((label) => ({ label })) };
}

const SETUP = {
  foldGutter: false,
  highlightActiveLine: false,
  highlightActiveLineGutter: false,
  autocompletion: false,
};

/** The text of the rule file: faults are marked where they are, fields and values are completed. */
export function RuleFileEditor({
  label,
  text,
  onChange,
  ref,
}: {
  /** Id of what names it. */
  readonly label: string;
  readonly text: string;
  readonly onChange: (text: string) => void;
  readonly ref: Ref<RuleFileEditorHandle>;
}) {
  const view = useRef<EditorView>(undefined);
  const extensions = useMemo(
    () => [
      json(),
      linter(lint, { delay: TYPED_MS }),
      autocompletion({ override: [complete] }),
      STYLE,
      COLOURS,
      EditorView.lineWrapping,
      EditorView.contentAttributes.of({ "aria-labelledby": label, spellcheck: "false", tabindex: "0" }),
    ],
    [label],
  );
  useImperativeHandle(ref, () => ({
    show: ({ from, to }) => {
      view.current?.dispatch({
        selection: { anchor: from, head: to },
        effects: EditorView.scrollIntoView(from, { y: "center" }),
      });
      view.current?.focus();
    },
  }));
  return (
    <CodeMirror
      value={text}
      theme="none"
      basicSetup={SETUP}
      indentWithTab={false}
      extensions={extensions}
      onChange={onChange}
      onCreateEditor={(created) => (view.current = created)}
    />
  );
}
