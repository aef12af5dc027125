/** A value that can be inserted: its name, where it comes from, what it was last. */
export interface Reference {
  name: string;
  from: string;
  value: string;
  /** It is made up anew from the run's seed. */
  made?: boolean;
  /** Where it is to be kept first, because it is a place of an earlier answer that nothing keeps yet. */
  keep?: { step: string; path: string };
}

/** What can be inserted at a place of a request: values in scope, and places of earlier answers. */
export interface Insertable {
  known: Reference[];
  /** Pipes that fit behind a bar, generators without one, each with what it would give. */
  made: (text: string) => Promise<Reference[]>;
  earlier: (text: string) => Promise<Reference[]>;
  /** Save; the places that were put in are kept by the same edit. */
  keeping: (taken: Reference[], save: () => Promise<string | undefined>) => Promise<string | undefined>;
}

const OPEN = /\[=([^\][]*)$/;

/** The values that fit what is being typed right before the caret; none outside `[=`. */
export function fitting(text: string, caret: number, references: Reference[]): Reference[] {
  const typed = OPEN.exec(text.slice(0, caret))?.[1];
  if (typed === undefined) return [];
  const wanted = typed.trim().toLowerCase();
  return byName(references, wanted).slice(0, 10);
}

/** Those whose name holds what is wanted (in small letters); those that begin with it first. */
export function byName(references: Reference[], wanted: string): Reference[] {
  const at = (item: Reference) => item.name.toLowerCase().indexOf(wanted);
  const begins = references.filter((item) => at(item) === 0);
  return [...begins, ...references.filter((item) => at(item) > 0)];
}

/** What is typed after the `[=` that is open at the caret; undefined outside one. */
export const openReference = (text: string, caret: number): string | undefined =>
  OPEN.exec(text.slice(0, caret))?.[1];

/** The text with the reference put in, and where the caret goes. */
export function inserted(text: string, caret: number, name: string): [string, number] {
  const begin = text.slice(0, caret).replace(OPEN, `[=${name}]`);
  const rest = text.slice(caret);
  return [begin + (rest.startsWith("]") ? rest.slice(1) : rest), begin.length];
}

/** Those that still stand in the text. */
export const putIn = (taken: Reference[], text: string): Reference[] =>
  taken.filter((reference) => text.includes(`[=${reference.name}`));
