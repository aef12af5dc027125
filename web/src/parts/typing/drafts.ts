import { createContext, useContext, useEffect } from "react";

/** What is being typed stands in the browser's storage until it is kept or left, so that a closed tab loses nothing; with it what stood
 * there when typing began, so that what was changed elsewhere meanwhile is told from what was typed. */
const PREFIX = "salt-path.typing.";

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
  /** What stood there when it began to be typed. */
  ground: string | undefined;
  keep: (text: string, ground: string) => void;
  forget: () => void;
}

const NOTHING: Draft = {
  text: undefined,
  ground: undefined,
  keep: () => undefined,
  forget: () => undefined,
};
/** How many fields on the page have this draft for their own. */
const fields = new Map<string, number>();

/** The draft of the field with this label. */
export function useDraft(label: string): Draft {
  const where = useContext(WhereContext);
  const name = `${PREFIX}${where}.${label}`;
  useEffect(() => {
    fields.set(name, (fields.get(name) ?? 0) + 1);
    return () => void fields.set(name, (fields.get(name) ?? 1) - 1);
  }, [name]);
  if (!where) return NOTHING;
  const stored = read(name);
  return {
    text: stored?.[0],
    ground: stored?.[1],
    keep: (text, ground) => keepLocally(name, JSON.stringify([text, ground])),
    forget: () => localStorage.removeItem(name),
  };
}

function read(name: string): [string, string] | undefined {
  try {
    const stored: unknown = JSON.parse(localStorage.getItem(name) ?? "null");
    return Array.isArray(stored) && stored.length === 2 && stored.every((part) => typeof part === "string")
      ? (stored as [string, string])
      : undefined;
  } catch {
    return undefined; // not ours, or cut
  }
}

export interface Stray {
  /** Where it was typed: the case's id and the step's key. */
  where: string;
  label: string;
  text: string;
}

const PLACE = /^((?:[^.]|\.[a-z0-9]{6}(?=\.))+)\.(.*)$/s;

/** Texts that are being typed at places that begin so. */
export function drafted(begin: string): Stray[] {
  const found: Stray[] = [];
  for (const [name, text] of drafts()) {
    if (!name.startsWith(PREFIX + begin)) continue;
    const [, where, label] = PLACE.exec(name.slice(PREFIX.length)) ?? [];
    if (where && label) found.push({ where, label, text });
  }
  return found;
}

/** Those of them that no field on the page has for its own. */
export const strays = (begin: string): Stray[] =>
  drafted(begin).filter(({ where, label }) => !fields.get(`${PREFIX}${where}.${label}`));

export function forgetStray({ where, label }: Stray): void {
  localStorage.removeItem(`${PREFIX}${where}.${label}`);
}

function* drafts(): Generator<[string, string]> {
  for (const name of Object.keys(localStorage)) {
    const stored = name.startsWith(PREFIX) ? read(name) : undefined;
    if (stored) yield [name, stored[0]];
  }
}

/** The step of a case in which something was being typed. */
export function stepWithDraft(id: string): string | undefined {
  const begin = `${PREFIX}${id}.`;
  for (const [name] of drafts()) {
    const step = name.startsWith(begin) ? /^[a-z0-9]{6}(?=\.)/.exec(name.slice(begin.length)) : null;
    if (step) return step[0];
  }
  return undefined;
}
