import { type KeyboardEvent, type ReactNode, useState } from "react";

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
}

/** A part of a sentence that is changed where it stands: click it or press Enter on it, type, Enter keeps, Escape leaves. */
export function InPlace({ text, label, save, children, lines, hint }: Props) {
  const [open, setOpen] = useState(false);
  if (open) {
    return (
      <Typing text={text} label={label} save={save} lines={lines} hint={hint} close={() => setOpen(false)} />
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
export function Typing({ text, label, save, lines, hint, close, always, quiet, placeholder }: TypingProps) {
  const [typed, setTyped] = useState(text);
  const [problem, setProblem] = useState<string>();
  const commit = async (left = false) => {
    if (typed === text && (left || !always)) return left && quiet ? undefined : close();
    const wrong = await save(typed);
    if (wrong) setProblem(wrong);
    else close();
  };
  const keys = (event: KeyboardEvent) => {
    event.stopPropagation();
    if (event.key === "Escape") close();
    if (event.key === "Enter" && (!lines || event.ctrlKey)) {
      event.preventDefault();
      void commit();
    }
  };
  const field = {
    value: typed,
    placeholder,
    "aria-label": label,
    "aria-invalid": Boolean(problem),
    autoFocus: !quiet,
    spellCheck: false,
    onChange: (event: { target: { value: string } }) => setTyped(event.target.value),
    onKeyDown: keys,
    onBlur: () => void commit(true),
  };
  return (
    <span className="typing">
      {lines ? (
        <textarea {...field} rows={Math.min(Math.max(typed.split("\n").length, 2), 16)} />
      ) : (
        <input {...field} />
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
