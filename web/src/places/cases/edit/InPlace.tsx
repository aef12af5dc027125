import { type KeyboardEvent, type ReactNode, useId, useLayoutEffect, useRef, useState } from "react";
import { fitting, inserted, type Reference } from "./references";

interface Props {
  /** What is edited, as text. */
  text: string;
  label: string;
  /** Save; a sentence says why it could not be, and the text stays. */
  save: (text: string) => Promise<string | undefined>;
  children: ReactNode;
  lines?: boolean;
  hint?: string;
  placeholder?: string;
  /** Values that `[=` offers. */
  references?: Reference[];
}

/** A part of a sentence that is changed where it stands: click it or press Enter on it, type, Enter keeps, Escape leaves. */
export function InPlace({ text, label, save, children, lines, hint, references }: Props) {
  const [open, setOpen] = useState(false);
  if (open) {
    return (
      <Typing
        text={text}
        label={label}
        save={save}
        lines={lines}
        hint={hint}
        references={references}
        close={() => setOpen(false)}
      />
    );
  }
  return (
    <button type="button" className="in-place" title={label} onClick={() => setOpen(true)}>
      {children}
    </button>
  );
}

type TypingProps = Omit<Props, "children"> & {
  close: () => void;
  /** Save also what was not changed, as a proposal that is taken. */
  always?: boolean;
  /** It stands there from the beginning, and does not take the focus. */
  quiet?: boolean;
};

/** The field itself; with several lines, Ctrl Enter keeps. What was typed is never thrown away but by Escape. */
export function Typing({
  text,
  label,
  save,
  lines,
  hint,
  close,
  always,
  quiet,
  placeholder,
  references,
}: TypingProps) {
  const [typed, setTyped] = useState(text);
  const [problem, setProblem] = useState<string>();
  const [caret, setCaret] = useState(-1);
  const [chosen, setChosen] = useState(0);
  const field = useRef<HTMLInputElement & HTMLTextAreaElement>(null);
  const list = useId();
  const moveTo = useRef(-1);
  const offered = caret < 0 ? [] : fitting(typed, caret, references ?? []);
  const insert = (name: string) => {
    const [next, at] = inserted(typed, caret, name);
    setTyped(next);
    setCaret(-1);
    setChosen(0);
    moveTo.current = at;
  };
  useLayoutEffect(() => {
    if (moveTo.current < 0) return;
    field.current?.setSelectionRange(moveTo.current, moveTo.current);
    moveTo.current = -1;
  });
  const commit = async (left = false) => {
    if (typed === text && (left || !always)) return left && quiet ? undefined : close();
    const wrong = await save(typed);
    if (wrong) setProblem(wrong);
    else close();
  };
  const keys = (event: KeyboardEvent) => {
    event.stopPropagation();
    const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    const reference = offered[chosen];
    if (reference && (by || event.key === "Enter" || event.key === "Tab" || event.key === "Escape")) {
      event.preventDefault();
      if (by) setChosen((chosen + by + offered.length) % offered.length);
      else if (event.key === "Escape") setCaret(-1);
      else insert(reference.name);
      return;
    }
    if (event.key === "Escape") close();
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
    autoFocus: !quiet,
    spellCheck: false,
    onChange: (event: { target: HTMLInputElement | HTMLTextAreaElement }) => {
      setTyped(event.target.value);
      setCaret(event.target.selectionStart ?? -1);
      setChosen(0);
    },
    onKeyDown: keys,
    onBlur: () => void commit(true),
  };
  return (
    <span className="typing">
      {lines ? (
        <textarea {...common} rows={Math.min(Math.max(typed.split("\n").length, 2), 16)} />
      ) : (
        <input {...common} />
      )}
      {offered.length > 0 && (
        <span className="suggestions" role="listbox" id={list} aria-label="Values that can be inserted">
          {offered.map((item, index) => (
            // biome-ignore lint/a11y/useFocusableInteractive: the field takes the keys
            <span
              key={item.name}
              role="option"
              aria-selected={index === chosen}
              className={index === chosen ? "chosen" : undefined}
              onMouseDown={(event) => {
                event.preventDefault();
                insert(item.name);
              }}
            >
              <span className="reference">{item.name}</span> <span className="mono">{item.value}</span>{" "}
              <span className="muted small">{item.from}</span>
            </span>
          ))}
        </span>
      )}
      {problem && (
        <span className="problem" role="alert">
          {problem}
        </span>
      )}
      {!problem && hint && <span className="muted small">{hint}</span>}
    </span>
  );
}
