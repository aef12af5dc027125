import { type FormEvent, useState } from "react";
import { api, type Cause, type Known } from "../../api";
import { useStale } from "../../api/stale";

const USUALLY_DAYS = 14;
/** Characters of a note in a sentence; its field has all of it. */
const MOST_OF_NOTE = 120;

interface Props {
  project: string;
  run: string;
  cause: Cause;
}

/** Whether a cause is known: who looks after it, until which day it is no news, and a note; said and changed here. */
export function KnownCause({ project, run, cause }: Props) {
  const tell = useStale();
  const [open, setOpen] = useState(false);
  const [problem, setProblem] = useState("");
  const { known } = cause;
  const act = async (work: Promise<unknown>) => {
    try {
      await work;
      setProblem("");
      setOpen(false);
    } catch (wrong) {
      setProblem((wrong as Error).message);
    } finally {
      await tell("known");
    }
  };
  const mark = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const said = new FormData(event.currentTarget);
    const [owner, note, until] = ["owner", "note", "until"].map((name) => String(said.get(name) ?? ""));
    const seen = known && { owner: known.owner, note: known.note, until: known.until };
    const body = { run, said: { owner: owner ?? "", note: note ?? "", until: until ?? "" }, seen };
    void act(api.markKnown(project, cause.signature, body));
  };
  return (
    <div className="known-cause">
      {open ? (
        <form
          className="known-form"
          onSubmit={mark}
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
            defaultValue={known && !known.over ? known.until : dayIn(USUALLY_DAYS)}
          />
          , looked after by{" "}
          <input name="owner" aria-label="Who looks after it" placeholder="me" defaultValue={known?.owner} />,
          note or ticket{" "}
          <input
            className="wide-note"
            name="note"
            aria-label="A note, or a ticket"
            defaultValue={known?.note}
          />{" "}
          <button type="submit" className="plain-button strong">
            {known ? "Keep it so" : "Mark as known"}
          </button>{" "}
          <button type="button" className="plain-link" onClick={() => setOpen(false)}>
            leave it
          </button>
        </form>
      ) : (
        <p>
          <button type="button" className="plain-link" onClick={() => setOpen(true)}>
            {known ? "Say something else of it" : "Mark it as known…"}
          </button>
          {known && " · "}
          {known && (
            <button
              type="button"
              className="plain-link"
              onClick={() => void act(api.unmarkKnown(project, cause.signature))}
            >
              It is known no more
            </button>
          )}
        </p>
      )}
      {problem && (
        <p className="trouble" role="alert">
          {problem}
        </p>
      )}
    </div>
  );
}

/** What was known, and did not happen this time: it may be known no more. */
export function NotMet({ project, known }: { project: string; known: Known[] }) {
  const tell = useStale();
  const forget = async (one: Known) => {
    await api.unmarkKnown(project, one.signature).catch(() => undefined);
    await tell("known");
  };
  return (
    <ul className="not-met" aria-label="Known, and not met this time">
      {known.map((one) => (
        <li key={one.signature}>
          Known, and not met this time: {one.sentence}{" "}
          <span className="muted">({knownSentence(one.said)})</span>{" "}
          <button type="button" className="plain-link" onClick={() => void forget(one)}>
            It is known no more
          </button>
        </li>
      ))}
    </ul>
  );
}

/** “known until 2026-12-24, Ines Wathne: BERTH-7” */
export function knownSentence({ owner, note, until, over }: NonNullable<Cause["known"]>): string {
  const told = note.length > MOST_OF_NOTE ? `${note.slice(0, MOST_OF_NOTE)}…` : note;
  return `${over ? "was known" : "known"} until ${until}, ${owner}${told ? `: ${told}` : ""}`;
}

function dayIn(days: number): string {
  const then = new Date(Date.now() + days * 86_400_000);
  return [then.getFullYear(), then.getMonth() + 1, then.getDate()]
    .map((part) => String(part).padStart(2, "0"))
    .join("-");
}
