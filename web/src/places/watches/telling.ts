/** Who is told, in a watch's sentence: `…, tell desk and night watch`. */

const TELL = /,?\s*\btell\s+([^,]+)/;

/** The names of the routes that a sentence tells. */
export function routesIn(sentence: string): string[] {
  const found = TELL.exec(sentence)?.[1] ?? "";
  return found
    .split(/\s+and\s+/)
    .map((name) => name.trim())
    .filter(Boolean);
}

/** The same sentence, telling these. */
export function withRoutes(sentence: string, names: string[]): string {
  const rest = sentence.replace(TELL, "").trim();
  return names.length ? `${rest}, tell ${names.join(" and ")}` : rest;
}

export const toggled = (sentence: string, name: string): string => {
  const names = routesIn(sentence);
  return withRoutes(sentence, names.includes(name) ? names.filter((one) => one !== name) : [...names, name]);
};
