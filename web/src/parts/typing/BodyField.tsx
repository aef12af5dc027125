import { autocompletion, closeBrackets, completionStatus } from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { json } from "@codemirror/lang-json";
import { bracketMatching } from "@codemirror/language";
import { EditorState, type Extension, Prec } from "@codemirror/state";
import { EditorView, keymap } from "@codemirror/view";
import { type RefObject, useEffect, useLayoutEffect, useRef, useState } from "react";
import { completed } from "./completed";
import { useDraft } from "./drafts";
import { Elsewhere } from "./Elsewhere";
import { useGround } from "./ground";
import type { Insertable, Reference } from "./inserting";
import { nonce, references, style } from "./look";
import { saved } from "./saving";

/** What was typed before the editor was there, and whether it was to be kept. */
export interface Early {
  typed: string;
  keep: boolean;
}

interface Props {
  text: string;
  label: string;
  json: boolean;
  hint?: string;
  insertable?: Insertable;
  early: RefObject<Early | undefined>;
  save: (text: string) => Promise<string | undefined>;
  close: () => void;
}

interface BodyActs {
  keep: (left: boolean) => Promise<void> | undefined;
  leave: () => void;
}

/** A body in an editor of its own, while it has the focus. References are marked text: the characters stay what they are. */
export default function BodyField({
  text,
  label,
  json: isJson,
  hint,
  insertable,
  early,
  save,
  close,
}: Props) {
  const draft = useDraft(useRef(label).current); // it may be called otherwise while it stands open
  const box = useRef<HTMLDivElement>(null);
  const [problem, setProblem] = useState("");
  const first = useRef(draft.text ?? text);
  const acts = useRef<BodyActs>({ keep: () => undefined, leave: () => undefined });
  const view = useRef<EditorView>(undefined);
  const taken = useRef<Reference[]>([]);
  const ground = useGround(text, draft);
  const [typedNow, setTypedNow] = useState(first.current);
  const left = useRef(false);
  const leave = () => {
    left.current = true;
    draft.forget();
    close();
  };
  acts.current = {
    leave,
    keep: async (out) => {
      if (left.current) return;
      const typed = view.current?.state.doc.toString() ?? text;
      if (ground.untouched(typed)) return leave();
      if (ground.clashes(typed)) return setProblem("");
      const wrong = await saved(save, typed, insertable, taken.current);
      if (!wrong) return leave();
      setProblem(wrong);
      if (!out) view.current?.focus();
    },
  };
  const note = useRef((typed: string) => {
    setProblem("");
    setTypedNow(typed);
    if (typed === ground.begun()) draft.forget();
    else draft.keep(typed, ground.begun());
  });
  // An editor in which nothing was changed shows what is changed elsewhere.
  useEffect(() => {
    const state = view.current?.state;
    const typed = state?.doc.toString() ?? "";
    if (state && ground.changed(typed) && typed !== text)
      view.current?.dispatch({ changes: { from: 0, to: state.doc.length, insert: text } });
  }, [text, ground]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the editor is made once, before the next key can be pressed, and asks the refs for the rest
  useLayoutEffect(() => {
    const begin = early.current?.typed ?? first.current; // as it is now: what was drawn may be older
    const made = new EditorView({
      parent: box.current as HTMLDivElement,
      state: EditorState.create({
        doc: begin,
        selection: { anchor: begin.length },
        extensions: [
          ...FIXED,
          isJson ? json() : [],
          EditorView.contentAttributes.of({ "aria-label": label }),
          // Before the completion's keys, which take Escape also while they only look for something to offer.
          Prec.highest(
            keymap.of([
              { key: "Mod-Enter", run: () => Boolean(acts.current.keep(false)) || true },
              {
                key: "Escape",
                run: (editor) => {
                  if (completionStatus(editor.state) === "active") return false;
                  acts.current.leave();
                  return true;
                },
              },
            ]),
          ),
          autocompletion({
            override: [(context) => completed(context, insertable, (item) => taken.current.push(item))],
            icons: false,
          }),
          EditorView.updateListener.of((update) => {
            if (update.docChanged) note.current(update.state.doc.toString());
          }),
          EditorView.domEventHandlers({
            blur: () => {
              void acts.current.keep(true);
            },
            keydown: (event) => event.stopPropagation(),
          }),
        ],
      }),
    });
    view.current = made;
    made.focus();
    if (begin !== first.current) note.current(begin);
    if (early.current?.keep) void acts.current.keep(false);
    return () => made.destroy();
  }, []);
  return (
    <span className="typing">
      <div ref={box} className="body-field" />
      {problem && (
        <span className="problem" role="alert">
          {problem}
        </span>
      )}
      {ground.clashes(typedNow) && !problem && (
        <Elsewhere
          theirs={text}
          leave={leave}
          mine={() => {
            ground.goOn();
            void acts.current.keep(false);
          }}
        />
      )}
      {!problem && hint && <span className="muted small">{hint}</span>}
    </span>
  );
}

const FIXED: Extension[] = [
  EditorView.cspNonce.of(nonce),
  history(),
  bracketMatching(),
  closeBrackets(),
  style,
  references,
  EditorView.lineWrapping,
  keymap.of([...defaultKeymap, ...historyKeymap]),
];
