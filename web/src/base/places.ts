/** Exact places of a JSON document as singular JSONPaths (RFC 9535), written as the server writes them. */

const SHORT = /^[A-Za-z_\u0080-\uffff][\w\u0080-\uffff]*$/;

/** The place of an object's field. */
export const fieldOf = (path: string, name: string): string =>
  isShort(name) ? `${path}.${name}` : `${path}['${escaped(name)}']`;

/** A name between apostrophes; JSON's escapes are a path's too, but for the quotes. */
const escaped = (name: string): string =>
  JSON.stringify(name).slice(1, -1).replaceAll('\\"', '"').replaceAll("'", "\\'");

const unescaped = (inside: string): string =>
  JSON.parse(
    `"${inside.replace(/\\.|"/gs, (found) => (found === "\\'" ? "'" : found === '"' ? '\\"' : found))}"`,
  ) as string;

/** Whether a name can stand after a dot. */
export const isShort = (name: string): boolean => SHORT.test(name);

// A name after a dot, an index, a name between apostrophes, or a filter.
const PARTS =
  /\.([A-Za-z_\u0080-\uffff][\w\u0080-\uffff]*)|\[(\d+)\]|\['((?:[^'\\]|\\.)*)'\]|\[\?(?:'(?:[^'\\]|\\.)*'|"(?:[^"\\]|\\.)*"|[^\]'"])*\]/gs;

/** The names and indexes of a path, from its top; what a filter holds is none. */
export const namesOf = (path: string): string[] =>
  [...path.matchAll(PARTS)]
    .filter(([whole]) => !whole.startsWith("[?"))
    .map(([, name, index, quoted]) => name ?? index ?? unescaped(quoted ?? ""));

const isIndex = (name: string): boolean => /^\d+$/.test(name);

/** The names of the fields on a path, without a list's indexes. */
export const fieldsOn = (path: string): string[] => namesOf(path).filter((name) => !isIndex(name));
