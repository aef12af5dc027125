import { type KeyboardEvent, useEffect, useId, useRef, useState } from "react";
import { api, type Understood } from "../../../api";
import type { CheckDocument } from "../../../case/document";
import { useDraft } from "../../../parts/typing/drafts";
import { useGround } from "../../../parts/typing/ground";
import { inserted, openReference } from "../../../parts/typing/inserting";
import { useOneByOne } from "../../../parts/typing/oneByOne";
import { Refused } from "../../../parts/typing/Refused";
import { useRefusals } from "../../../parts/typing/useRefusals";
import { VerdictMark } from "../../../parts/VerdictMark";
import { useEdited } from "../state/context";
import { useReferences } from "./useReferences";

interface Props {
  step: string;
  text: string;
  label: string;
  placeholder?: string;
  /** Take the check; the text that is left afterwards is returned. */
  take: (check: CheckDocument) => Promise<string | undefined>;
  close?: () => void;
}

const PAUSE_MS = 120;

/** A check typed as a sentence: says what it understood, how that holds of the last answer, and how the sentence could go
 * on. Enter takes it, the arrows choose a suggestion, Tab takes one over. */
export function SentenceField({ step, text, label, placeholder, take, close }: Props) {
  const { id } = useEdited();
  const list = useId();
  const draft = useDraft(label);
  const ground = useGround(text, draft);
  const [typed, setTyped] = useState(draft.text ?? text);
  const [said, setSaid] = useState<{ of: string; is: Understood }>();
  const [chosen, setChosen] = useState(-1);
  const [problem, setProblem] = useState("");
  const [active, setActive] = useState(Boolean(close));
  const [locked, setLocked] = useState(false);
  const oneByOne = useOneByOne();
  const asked = useRef("");
  const ask = async (sentence: string) => {
    asked.current = sentence;
    try {
      const is = await api.understood(id, step, sentence);
      if (asked.current === sentence) setSaid({ of: sentence, is });
      return is;
    } catch (wrong) {
      setProblem((wrong as Error).message);
      return undefined;
    }
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: asks again only for another text
  useEffect(() => {
    if (!active) return;
    const timer = window.setTimeout(() => void ask(typed), PAUSE_MS);
    return () => window.clearTimeout(timer);
  }, [typed, active]);
  const references = useReferences(step, active ? openReference(typed, typed.length) : undefined);
  const suggestions = !active
    ? []
    : references.length
      ? references.map((name) => inserted(typed, typed.length, name)[0])
      : (said?.is.suggestions ?? []).filter((item) => item !== typed);
  const write = (next: string) => {
    setTyped(next);
    if (next === ground.begun()) draft.forget();
    else draft.keep(next, ground.begun());
  };
  const leave = () => {
    draft.forget();
    close?.();
  };
  const put = (sentence: string) => {
    write(sentence.endsWith("]") ? sentence : `${sentence} `);
    setChosen(-1);
  };
  const now = useRef(typed);
  now.current = typed;
  const [refused, refuse, refusals] = useRefusals(now, (again, why) => {
    write(again);
    setProblem(why);
  });
  /** A sentence as a check; a sentence says why it could not be. */
  const taken = async (sentence: string, known: Understood | undefined): Promise<string | undefined> => {
    const is = known ?? (await ask(sentence));
    if (!is?.check) return is?.problem ?? "It could not be asked what this means.";
    return take(is.check as CheckDocument);
  };
  const commit = async () => {
    if (locked || (!typed.trim() && !close)) return;
    if (close && ground.untouched(typed.trim())) return leave();
    const known = said?.of === typed ? said.is : undefined;
    const mine = typed;
    if (close) {
      setLocked(true);
      const wrong = await oneByOne(() => taken(mine, known));
      setLocked(false);
      return wrong ? setProblem(wrong) : leave();
    }
    // The field is empty at once for the next sentence; what was refused comes back.
    if (known && !known.check) return setProblem(known.problem ?? "");
    write("");
    setSaid(undefined);
    setProblem("");
    const wrong = await oneByOne(() => taken(mine, known));
    if (wrong) refuse({ typed: mine, sentence: wrong });
  };
  const keys = (event: KeyboardEvent) => {
    event.stopPropagation();
    const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (by && suggestions.length) {
      event.preventDefault();
      setChosen((chosen + by + suggestions.length + 1) % (suggestions.length + 1));
    } else if (event.key === "Tab" && !event.shiftKey && suggestions[Math.max(chosen, 0)] && typed.trim()) {
      event.preventDefault();
      put(suggestions[Math.max(chosen, 0)] as string);
    } else if (event.key === "Enter") {
      event.preventDefault();
      if (suggestions[chosen]) put(suggestions[chosen]);
      else void commit();
    } else if (event.key === "Escape") {
      write(text);
      setProblem("");
      leave();
    }
  };
  const outcome = said?.of === typed ? said.is.outcome : null;
  return (
    <span className="typing" data-needs="edit">
      <input
        value={typed}
        placeholder={placeholder}
        aria-label={label}
        role="combobox"
        aria-expanded={suggestions.length > 0}
        aria-controls={list}
        aria-activedescendant={chosen >= 0 ? `${list}-${chosen}` : undefined}
        spellCheck={false}
        readOnly={locked}
        // biome-ignore lint/a11y/noAutofocus: an edited check's field replaces what was just clicked
        autoFocus={Boolean(close)}
        onFocus={() => setActive(true)}
        onBlur={() => {
          setActive(false);
          if (close && ground.untouched(typed.trim())) leave();
        }}
        onChange={(event) => {
          write(event.target.value);
          setProblem("");
        }}
        onKeyDown={keys}
      />
      {active && typed.trim() && said?.of === typed && (
        <span className="understood" aria-live="polite">
          {said.is.check ? (
            <>
              {outcome && <VerdictMark verdict={outcome.verdict} />} {said.is.typed}
              {outcome && <span className="muted"> · {outcome.why?.sentence ?? outcome.actual}</span>}
              {said.is.doubt && <span className="doubt">{said.is.doubt}</span>}
            </>
          ) : (
            !problem && <span className="muted">{said.is.problem}</span>
          )}
        </span>
      )}
      {refused.length > 0 && <Refused refused={refused} {...refusals} />}
      {problem && (
        <span className="problem" role="alert">
          {problem}
        </span>
      )}
      {suggestions.length > 0 && typed.trim() && (
        <span className="suggestions" role="listbox" id={list} aria-label="How it could go on">
          {suggestions.map((item, index) => (
            // biome-ignore lint/a11y/useFocusableInteractive: as above
            <span
              key={item}
              id={`${list}-${index}`}
              role="option"
              aria-selected={index === chosen}
              className={index === chosen ? "mono chosen" : "mono"}
              onMouseDown={(event) => {
                event.preventDefault();
                put(item);
              }}
            >
              {item}
            </span>
          ))}
        </span>
      )}
    </span>
  );
}
