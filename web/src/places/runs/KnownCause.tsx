import { type FormEvent, useState } from "react";
import type { Cause, Known } from "../../api";
import { day, dayOf } from "../../base/format";
import type { KnownActs } from "./useKnown";

const USUALLY_DAYS = 14;
/** Characters of a note in a sentence; its field has all of it. */
const MOST_OF_NOTE = 120;

interface Props {
  cause: Cause;
  acts: KnownActs;
}

/** Whether a cause is known: who looks after it, until which day it is no news, and a note; said and changed here. */
export function KnownCause({ cause, acts }: Props) {
  const [open, setOpen] = useState(false);
  const { known } = cause;
  const mark = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const typed = new FormData(event.currentTarget);
    const text = (name: string) => String(typed.get(name) ?? "");
    const wrong = await acts.mark(cause, { owner: text("owner"), note: text("note"), until: text("until") });
    if (!wrong) setOpen(false);
  };
  if (!open)
    return (
      <p>
        <button type="button" className="plain-link" onClick={() => setOpen(true)}>
          {known ? "Say something else of it" : "Mark it as known…"}
        </button>
        {known && " · "}
        {known && (
          <button
            data-needs="edit"
            type="button"
            className="plain-link"
            onClick={() => void acts.forget(cause.signature)}
          >
            It is known no more
          </button>
        )}
      </p>
    );
  return (
    <form
      className="known-form"
      onSubmit={(event) => void mark(event)}
      onKeyDown={(event) => event.key === "Escape" && setOpen(false)}
    >
      Known until{" "}
      <input
        type="date"
        name="until"
        aria-label="The last day on which it is known"
        // biome-ignore lint/a11y/noAutofocus: it was just asked for
        autoFocus
        required
        defaultValue={known && !known.over ? known.until : dayOf(Date.now() + USUALLY_DAYS * 86_400_000)}
      />
      , looked after by{" "}
      <input name="owner" aria-label="Who looks after it" placeholder="me" defaultValue={known?.owner} />,
      note or ticket{" "}
      <input className="wide-note" name="note" aria-label="A note, or a ticket" defaultValue={known?.note} />{" "}
      <button type="submit" className="plain-button strong">
        {known ? "Keep it so" : "Mark as known"}
      </button>{" "}
      <button type="button" className="plain-link" onClick={() => setOpen(false)}>
        leave it
      </button>
    </form>
  );
}

/** What was known, and did not happen this time: it may be known no more. */
export function NotMet({ known, acts }: { known: Known[]; acts: KnownActs }) {
  return (
    <ul className="not-met" aria-label="Known, and not met this time">
      {known.map((one) => (
        <li key={one.signature}>
          Known, and not met this time: {one.sentence}{" "}
          <span className="muted">({knownSentence(one.said)})</span>{" "}
          <button
            data-needs="edit"
            type="button"
            className="plain-link"
            onClick={() => void acts.forget(one.signature)}
          >
            It is known no more
          </button>
        </li>
      ))}
    </ul>
  );
}

/** “known until 24 Dec 2026, Ines Wathne: BERTH-7” */
export function knownSentence({ owner, note, until, over }: NonNullable<Cause["known"]>): string {
  const told = note.length > MOST_OF_NOTE ? `${note.slice(0, MOST_OF_NOTE)}…` : note;
  return `${over ? "was known" : "known"} until ${day(until)}, ${owner}${told ? `: ${told}` : ""}`;
}
