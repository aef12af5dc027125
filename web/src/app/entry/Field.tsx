import { type ReactNode, useId, useState } from "react";

interface Props {
  label: string;
  value: string;
  write: (value: string) => void;
  /** What the browser may fill in (WHATWG HTML, autofill). */
  fill: "username" | "name" | "current-password" | "new-password" | "one-time-code" | "off";
  hint?: ReactNode;
  first?: boolean;
}

/** A field of the pages by which one comes in. A password can be looked at while it is typed. */
export function Field({ label, value, write, fill, hint, first }: Props) {
  const id = useId();
  const secret = fill.endsWith("password");
  const [shown, setShown] = useState(false);
  return (
    <p className="coming-in-field">
      <label htmlFor={id}>{label}</label>
      <input
        id={id}
        type={secret && !shown ? "password" : "text"}
        autoComplete={fill}
        inputMode={fill === "one-time-code" ? "numeric" : undefined}
        spellCheck={false}
        autoCapitalize="none"
        // biome-ignore lint/a11y/noAutofocus: the page has this one thing to do
        autoFocus={first}
        value={value}
        aria-describedby={hint ? `${id}-hint` : undefined}
        onChange={(event) => write(event.target.value)}
      />
      {secret && (
        <button type="button" className="plain-link" aria-pressed={shown} onClick={() => setShown(!shown)}>
          {shown ? "Hide it" : "Show it"}
        </button>
      )}
      {hint && (
        <span id={`${id}-hint`} className="muted small">
          {hint}
        </span>
      )}
    </p>
  );
}
