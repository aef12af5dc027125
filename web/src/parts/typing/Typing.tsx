import { type KeyboardEvent, type ReactNode, useId, useLayoutEffect, useRef, useState } from "react";
import type { Right } from "../../api";
import { useDraft } from "./drafts";
import { Elsewhere } from "./Elsewhere";
import { useGround } from "./ground";
import { fitting, type Insertable, inserted, openReference, type Reference } from "./inserting";
import { Offered, useOthers } from "./Offered";
import { useOneByOne } from "./oneByOne";
import { Refused } from "./Refused";
import { saved } from "./saving";
import { TypingFoot } from "./TypingFoot";
import { useRefusals } from "./useRefusals";

export interface TypingProps {
  text: string;
  label: string;
  save: (text: string) => Promise<string | undefined>;
  close: () => void;
  lines?: boolean;
  hint?: string;
  placeholder?: string;
  insertable?: Insertable;
  below?: (typed: string, put: (text: string) => void) => ReactNode;
  /** Save also what was not changed, as a proposal that is taken. */
  always?: boolean;
  /** It stands there from the beginning, does not take the focus, and is emptied for the next when one was taken. */
  quiet?: boolean;
  /** It opens with the values for its `{place}`. */
  asks?: boolean;
  /** It is there for whoever may. */
  needs?: Right | "self";
}

/** The field itself; with several lines, Ctrl Enter keeps. What was typed is never thrown away but by Escape. */
export function Typing({ text, label, save, close, lines, hint, ...more }: TypingProps) {
  const { placeholder, insertable, below, always, quiet, asks, needs = "edit" } = more;
  const draft = useDraft(useRef(label).current); // it may be called otherwise while it stands open
  const ground = useGround(text, draft);
  const [typed, setTyped] = useState(draft.text ?? text);
  const [problem, setProblem] = useState<string>();
  const [caret, setCaret] = useState(-1);
  const [chosen, setChosen] = useState(0);
  const field = useRef<HTMLInputElement & HTMLTextAreaElement>(null);
  const list = useId();
  const moveTo = useRef(-1);
  const taken = useRef<Reference[]>([]);
  const known = caret < 0 ? [] : fitting(typed, caret, insertable?.known ?? []);
  const asked = caret < 0 ? undefined : openReference(typed, caret);
  const others = useOthers(insertable, asked);
  const offered = asked === undefined ? [] : [...known, ...others];
  const write = (next: string) => {
    setTyped(next);
    setProblem(undefined);
    if (next === ground.begun()) draft.forget();
    else draft.keep(next, ground.begun());
  };
  const left = useRef(false);
  const leave = () => {
    left.current = true;
    draft.forget();
    close();
  };
  const busy = useRef(false);
  // A field in which nothing was changed shows what is changed elsewhere. While it is saved its own text may stand there already, and go
  // again if it is refused.
  // biome-ignore lint/correctness/useExhaustiveDependencies: another text of its place, and nothing else
  useLayoutEffect(() => {
    if (busy.current || text === ground.begun()) return;
    if (ground.changed(typed)) setTyped(text);
  }, [text]);
  const insert = (reference: Reference) => {
    const [next, at] = inserted(typed, caret, reference.name);
    if (reference.keep) taken.current.push(reference);
    write(next);
    setCaret(-1);
    setChosen(0);
    moveTo.current = at;
  };
  /** The other way to a value, without knowing what to type; it takes the place of what is selected, or of a `{place}`. */
  const offer = () => {
    const { selectionStart: begin, selectionEnd: end } = field.current ?? {};
    const hole = begin === end && !lines ? /\{[^{}"]+\}/.exec(typed) : null;
    const at = hole?.index ?? begin ?? typed.length;
    const rest = hole ? typed.slice(hole.index + hole[0].length) : typed.slice(end ?? at);
    write(`${typed.slice(0, at)}[=${rest}`);
    setCaret(at + 2);
    moveTo.current = at + 2;
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, as it opens
  useLayoutEffect(() => {
    if (asks) offer();
    // What is only proposed is replaced by what is typed.
    else if (always) field.current?.select();
  }, []);
  useLayoutEffect(() => {
    if (moveTo.current < 0) return;
    field.current?.focus();
    field.current?.setSelectionRange(moveTo.current, moveTo.current);
    moveTo.current = -1;
  });
  const [locked, setLocked] = useState(false);
  const oneByOne = useOneByOne();
  const now = useRef(typed);
  now.current = typed;
  const [refused, refuse, refusals] = useRefusals(now, (again, why) => {
    write(again);
    setProblem(why);
  });
  /** A field that stays is empty at once for the next, and what was refused comes back. */
  const takeOver = async () => {
    const references = taken.current;
    taken.current = [];
    write("");
    const wrong = await oneByOne(() => saved(save, typed, insertable, references));
    if (wrong) refuse({ typed, sentence: wrong });
  };
  const commit = async (out = false) => {
    if (busy.current || left.current) return;
    if (ground.untouched(typed) && (out || !always)) return out && quiet ? undefined : leave();
    if (ground.clashes(typed)) return setProblem(undefined);
    if (quiet) return takeOver();
    busy.current = true;
    setLocked(true);
    const wrong = await saved(save, typed, insertable, taken.current);
    busy.current = false;
    setLocked(false);
    if (wrong) setProblem(wrong);
    else leave();
  };
  const keys = (event: KeyboardEvent) => {
    event.stopPropagation();
    const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    const reference = offered[chosen];
    if (reference && (by || event.key === "Enter" || event.key === "Tab" || event.key === "Escape")) {
      event.preventDefault();
      if (by) setChosen((chosen + by + offered.length) % offered.length);
      else if (event.key === "Escape") setCaret(-1);
      else insert(reference);
      return;
    }
    if (event.key === "Escape") leave();
    if (event.key === "Enter" && (!lines || event.ctrlKey)) {
      event.preventDefault();
      void commit();
    }
  };
  const common = {
    ref: field,
    value: typed,
    placeholder,
    "aria-label": label,
    "aria-invalid": Boolean(problem),
    "aria-controls": offered.length ? list : undefined,
    "aria-activedescendant": offered.length ? `${list}-${chosen}` : undefined,
    autoFocus: !quiet,
    spellCheck: false,
    readOnly: locked,
    onChange: (event: { target: HTMLInputElement | HTMLTextAreaElement }) => {
      write(event.target.value);
      setCaret(event.target.selectionStart ?? -1);
      setChosen(0);
    },
    onKeyDown: keys,
    onBlur: () => void commit(true),
  };
  return (
    <span className="typing" data-needs={needs}>
      {lines ? (
        <textarea {...common} rows={Math.min(Math.max(typed.split("\n").length, 2), 16)} />
      ) : (
        <input {...common} />
      )}
      {offered.length > 0 && <Offered id={list} offered={offered} chosen={chosen} insert={insert} />}
      {refused.length > 0 && <Refused refused={refused} {...refusals} />}
      {problem && (
        <span className="problem" role="alert">
          {problem}
        </span>
      )}
      {ground.clashes(typed) && !problem && (
        <Elsewhere
          theirs={text}
          leave={leave}
          mine={() => {
            ground.goOn();
            void commit();
          }}
        />
      )}
      {below?.(typed, write)}
      {(insertable || hint) && !problem && (!quiet || typed) && (
        <TypingFoot hint={hint} offer={insertable && offer} />
      )}
    </span>
  );
}
