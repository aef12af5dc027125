/** JSON with numbers as they were written: one that a browser would round stays its own text. */

interface Source {
  source?: string;
}
const json = JSON as unknown as {
  rawJSON?: (text: string) => unknown;
  parse: (text: string, reviver: (key: string, value: unknown, context?: Source) => unknown) => unknown;
};

export type Json = null | boolean | number | string | Json[] | { [key: string]: Json };

/** Whether a value is an object with fields, rather than a number that is kept opaque. */
export function isFields(value: Json | undefined): value is { [key: string]: Json } {
  return Boolean(value) && typeof value === "object" && Object.getPrototypeOf(value) === Object.prototype;
}

/** Numbers that a browser may write otherwise than they came: trailing zeros, many digits, exponents, the smallest ones. Where
 * there is none, the plain reader does, which is ten times faster. */
const UNSURE = /\d\.\d*0(?!\d)|[\d.]{16,}|\d[eE]|-0(?![.\d])|0\.00000/;

/** Numbers that would change when written again (1318.40, 9007199254740993) become opaque; `writeExact` gives them back. */
export function readExact(text: string): Json {
  if (!UNSURE.test(text)) return JSON.parse(text) as Json;
  return json.parse(text, (_key, value, context) => {
    if (typeof value !== "number" || !context?.source || !json.rawJSON) return value;
    return String(value) === context.source ? value : json.rawJSON(context.source);
  }) as Json;
}

export const writeExact = (value: unknown): string => JSON.stringify(value);

/** A value as it is typed into a field: JSON where it is that, else text; a text that looks like something else stands in quotes. */
export function readTyped(text: string): Json {
  try {
    return readExact(text.trim());
  } catch {
    return text;
  }
}
