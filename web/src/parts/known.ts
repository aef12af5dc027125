import { createContext } from "react";

/** A value that has a name somewhere: where, and what it reads as there. */
export interface Known {
  from: string;
  value: string;
}

/** Every place that has a value of a name, the nearest first, which is the one that is used. */
export const KnownContext = createContext<(name: string) => Known[]>(() => []);

/** What a reference stands for, in a sentence: what it was last, where it comes from, and what that hides. */
export function told(name: string, last: Known | undefined, places: Known[]): string {
  const bare = name.split("|")[0]?.trim() ?? "";
  const [used, ...others] = places;
  const own = last ?? used;
  if (!own) return "not resolved yet";
  const said = last ? `${last.value}, from ${last.from}` : `${own.value || "nothing yet"}, from ${own.from}`;
  const from = last ? last.from.split(".")[0] : own.from;
  const hidden = (last ? places : others).filter((place) => place.from !== from);
  if (bare.includes(".") || !hidden.length) return said;
  return `${said}; hides ${hidden.map((place) => `${place.value || "a secret"} of the ${place.from}`).join(", ")}`;
}
