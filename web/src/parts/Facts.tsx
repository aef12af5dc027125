import { type KeyboardEvent, useRef, useState } from "react";
import type { Exchange } from "../api";
import { singleKeys } from "../base/finding";
import { type Fact, factsOf } from "./answerFacts";
import type { Acts, Watched } from "./tree/picked";

interface Props {
  exchange: Exchange;
  watch: (path: string) => Watched | undefined;
  acts: Acts;
  /** The subject that is acted on at first. */
  begin: string;
}

/** What an answer says besides its body: its status, times, size and headers, pointed at like places of the body. */
export function Facts({ exchange, watch, acts, begin }: Props) {
  const facts = factsOf(exchange);
  const at = (path: string) => facts.findIndex((fact) => fact.path === path);
  const [focus, setFocus] = useState(() => Math.max(at(begin), 0));
  const [acting, setActing] = useState<{ path: string; asked: string } | undefined>(
    begin ? { path: begin, asked: "" } : undefined,
  );
  const list = useRef<HTMLDivElement>(null);
  const act = (fact: Fact, key: string) => {
    if (key && acts.press([fact], key)) setActing(undefined);
    else setActing({ path: fact.path, asked: key });
  };
  const keys = (event: KeyboardEvent) => {
    const fact = facts[focus];
    if (!fact || event.target !== event.currentTarget || event.ctrlKey || event.altKey || event.metaKey)
      return;
    const go = (to: number) => setFocus(Math.max(0, Math.min(facts.length - 1, to)));
    const moves: Record<string, () => void> = {
      ArrowDown: () => go(focus + 1),
      ArrowUp: () => go(focus - 1),
      Home: () => go(0),
      End: () => go(facts.length - 1),
      Enter: () => act(fact, ""),
      Escape: () => setActing(undefined),
    };
    if (acts.keys.includes(event.key) && singleKeys()) act(fact, event.key);
    else if (moves[event.key]) moves[event.key]?.();
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const acted = facts.find((fact) => fact.path === acting?.path);
  return (
    <>
      <div
        ref={list}
        className="facts"
        role="listbox"
        tabIndex={0}
        aria-label="What the answer says besides its body"
        aria-activedescendant={`fact-${focus}`}
        onKeyDown={keys}
      >
        {facts.map((fact, index) => {
          const watched = watch(fact.path);
          return (
            // biome-ignore lint/a11y/useKeyWithClickEvents: the list itself takes the keys (aria-activedescendant)
            // biome-ignore lint/a11y/useFocusableInteractive: as above
            <div
              key={fact.path + fact.shown}
              id={`fact-${index}`}
              role="option"
              aria-selected={index === focus}
              className={index === focus ? "fact focused" : "fact"}
              onClick={() => {
                setFocus(index);
                act(fact, "");
              }}
            >
              <span className="tree-key">{fact.name}</span>
              <span className="fact-value">{fact.shown}</span>
              {watched && <span className={`tree-watch ${watched.tone}`}>{watched.text}</span>}
            </div>
          );
        })}
      </div>
      {acted && acting && (
        <div className="fact-acts">
          {acts.show([acted], acting.asked, () => {
            setActing(undefined);
            list.current?.focus({ preventScroll: true });
          })}
        </div>
      )}
    </>
  );
}
