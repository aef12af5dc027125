import { createContext, useContext } from "react";

/** What is being typed stands in the browser's storage until it is kept or left, so that a closed tab loses nothing. */
const PREFIX = "salt-path.typed.";

/** Keep a text in this browser; where its storage is full, editing goes on without. */
export function keepLocally(name: string, text: string): void {
  try {
    localStorage.setItem(name, text);
  } catch {
    localStorage.removeItem(name);
  }
}

/** Where the fields below stand: the case's id and the step's key; without it nothing is remembered. */
export const WhereContext = createContext("");

export interface Draft {
  text: string | undefined;
  keep: (text: string) => void;
  forget: () => void;
}

/** The draft of the field with this label. */
export function useDraft(label: string): Draft {
  const where = useContext(WhereContext);
  const name = `${PREFIX}${where}.${label}`;
  if (!where) return { text: undefined, keep: () => undefined, forget: () => undefined };
  return {
    text: localStorage.getItem(name) ?? undefined,
    keep: (text) => keepLocally(name, text),
    forget: () => localStorage.removeItem(name),
  };
}

/** The step of a case in which something was being typed. */
export function stepWithDraft(id: string): string | undefined {
  const begin = `${PREFIX}${id}.`;
  for (let at = 0; at < localStorage.length; at++) {
    const name = localStorage.key(at) ?? "";
    const step = name.startsWith(begin) ? /^[a-z0-9]{6}(?=\.)/.exec(name.slice(begin.length)) : null;
    if (step) return step[0];
  }
  return undefined;
}
