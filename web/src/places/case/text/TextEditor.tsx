import { autocompletion, closeBrackets, completionKeymap } from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap, indentWithTab } from "@codemirror/commands";
import { yaml } from "@codemirror/lang-yaml";
import { bracketMatching } from "@codemirror/language";
import { type Diagnostic, setDiagnostics } from "@codemirror/lint";
import { Compartment, EditorState } from "@codemirror/state";
import { EditorView, hoverTooltip, keymap, lineNumbers } from "@codemirror/view";
import { useEffect, useRef } from "react";
import type { FormatWord, TextFault } from "../../../api";
import { useMay } from "../../../api/may";
import { nonce, references, style } from "../../../parts/typing/look";
import { completeWords, wordAt } from "./words";

interface Props {
  text: string;
  words: FormatWord[];
  names: string[];
  faults: TextFault[];
  change: (text: string) => void;
}

/** The editor of the Text view: completion, hover, and what is wrong at its line. */
export default function TextEditor({ text, words, names, faults, change }: Props) {
  const may = useMay("edit");
  const box = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(undefined);
  const changed = useRef(change);
  changed.current = change;
  const knowing = useRef(new Compartment());
  const given = useRef(text);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the editor is made once; what changes is handed to it below
  useEffect(() => {
    const made = new EditorView({
      parent: box.current as HTMLDivElement,
      state: EditorState.create({
        doc: text,
        extensions: [
          EditorView.cspNonce.of(nonce),
          EditorState.readOnly.of(!may),
          lineNumbers(),
          history(),
          yaml(),
          style,
          references,
          bracketMatching(),
          EditorView.lineWrapping,
          closeBrackets(),
          keymap.of([...completionKeymap, ...defaultKeymap, ...historyKeymap, indentWithTab]),
          knowing.current.of(known(words, names)),
          EditorView.contentAttributes.of({ "aria-label": "The case as text" }),
          EditorView.updateListener.of((update) => {
            if (!update.docChanged) return;
            const next = update.state.doc.toString();
            if (next === given.current) return;
            given.current = next;
            changed.current(next);
          }),
          EditorView.domEventHandlers({ keydown: (event) => event.stopPropagation() }),
        ],
      }),
    });
    view.current = made;
    return () => made.destroy();
  }, []);
  useEffect(() => {
    view.current?.dispatch({ effects: knowing.current.reconfigure(known(words, names)) });
  }, [words, names]);
  useEffect(() => {
    const editor = view.current;
    if (!editor || text === given.current) return;
    given.current = text; // it was changed in the Path, or elsewhere
    const at = Math.min(editor.state.selection.main.head, text.length);
    editor.dispatch({
      changes: { from: 0, to: editor.state.doc.length, insert: text },
      selection: { anchor: at },
    });
  }, [text]);
  useEffect(() => {
    const editor = view.current;
    if (!editor) return;
    const lines = editor.state.doc.lines;
    const found = faults.map((fault): Diagnostic => {
      const line = editor.state.doc.line(Math.min(Math.max(fault.line, 1), lines));
      return { from: line.from, to: line.to, severity: "error", message: fault.sentence };
    });
    editor.dispatch(setDiagnostics(editor.state, found));
  }, [faults]);
  return <div ref={box} className="text-editor" />;
}

function known(words: FormatWord[], names: string[]) {
  return [
    autocompletion({ override: [completeWords(words, names, [])], icons: false }),
    hoverTooltip((view, at) => {
      const line = view.state.doc.lineAt(at);
      const found = wordAt(words, line.text, at - line.from);
      if (!found) return null;
      return {
        pos: line.from + found.from,
        above: true,
        create: () => {
          const dom = document.createElement("div");
          dom.className = "word-hint";
          dom.textContent = `${found.word.text || "[?]"}: ${found.word.about}`;
          return { dom };
        },
      };
    }),
  ];
}
