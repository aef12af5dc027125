import { isFields, type Json, readExact, writeExact } from "../base/exact";
import { fieldOf } from "../base/places";

/** The way to a place of an expected body: names of fields as the document writes them, indexes of a list's items. */
export type BodyWay = (string | number)[];

/** One place of an expected body as a line. */
export interface BodyLine {
  way: BodyWay;
  depth: number;
  name: string;
  kind: "object" | "list" | "value";
  /** What is expected there, in words where it is loose. */
  text: string;
  loose: boolean;
  /** The field may be missing. */
  optional: boolean;
  /** Its place in an answer, `[*]` where each item of a list is meant; undefined below a list in any order. */
  path: string | undefined;
}

type Fields = { [name: string]: Json };
export const HEADS = ["[?every]", "[?any order]"];
export const MORE = "[?more]";

/** An expected body as lines, in its order. `subject` is the path that it is expected at. */
export function linesOf(body: Json, subject: string): BodyLine[] {
  const found: BodyLine[] = [];
  const add = (value: Json, way: BodyWay, name: string, optional: boolean, path: string | undefined) => {
    const line = { way, depth: way.length, name, optional, path };
    if (Array.isArray(value)) {
      const head = HEADS.includes(String(value[0])) ? String(value[0]) : "";
      const items = value.slice(head ? 1 : 0, value.at(-1) === MORE ? -1 : undefined);
      found.push({ ...line, kind: "list", text: listWords(value, items.length), loose: head !== "" });
      items.forEach((item, number) => {
        const at = number + (head ? 1 : 0);
        const place =
          path === undefined || head === "[?any order]"
            ? undefined
            : `${path}[${head === "[?every]" ? "*" : number}]`;
        add(item, [...way, at], head === "[?every]" ? "each item" : String(number), false, place);
      });
    } else if (isFields(value)) {
      const fields = Object.entries(value);
      const text = fields.length === 1 ? "1 field" : `${fields.length} fields`;
      found.push({ ...line, kind: "object", text, loose: false });
      for (const [written, inner] of fields) {
        const [plain, maybe] = nameOf(written);
        add(inner, [...way, written], plain, maybe, path === undefined ? undefined : fieldOf(path, plain));
      }
    } else {
      const loose = typeof value === "string" && value.startsWith("[?");
      found.push({ ...line, kind: "value", text: loose ? looseWords(value) : writeExact(value), loose });
    }
  };
  add(body, [], "", false, subject);
  return found;
}

/** `name?` may be missing, `name??` is a field named `name?`. */
export function nameOf(written: string): [string, boolean] {
  if (written.endsWith("??")) return [written.slice(0, -1), false];
  return written.endsWith("?") && written.length > 1 ? [written.slice(0, -1), true] : [written, false];
}

export function listWords(list: Json[], items: number): string {
  if (list[0] === "[?every]") return "a list of any length";
  const counted = items === 1 ? "1 item" : `${items} items`;
  const order = list[0] === "[?any order]" ? " in any order" : "";
  return counted + order + (list.at(-1) === MORE ? ", and maybe more" : "");
}

const NOUNS = [
  "text",
  "number",
  "integer",
  "boolean",
  "list",
  "object",
  "uuid",
  "date",
  "date-time",
  "email",
  "uri",
];

export function looseWords(loose: string): string {
  const inside = loose.slice(2, -1).trim();
  if (!inside) return "anything";
  return NOUNS.includes(inside) ? `any ${inside}` : inside;
}

/** The body with another value at a place; undefined takes it away. */
export function put(body: Json, way: BodyWay, value: Json | undefined): Json | undefined {
  const [step, ...rest] = way;
  if (step === undefined) return value;
  if (Array.isArray(body)) {
    return body.flatMap((item, at) => {
      if (at !== step) return [item];
      const next = put(item, rest, value);
      return next === undefined ? [] : [next];
    });
  }
  const next = Object.entries((body ?? {}) as Fields).map(
    ([name, inner]) => [name, name === step ? put(inner, rest, value) : inner] as const,
  );
  return Object.fromEntries(next.filter(([, inner]) => inner !== undefined)) as Json;
}

/** The body with a field that may be missing, or may not. */
export function putOptional(body: Json, way: BodyWay, on: boolean): Json {
  const above = way.slice(0, -1);
  const last = way.at(-1) as string;
  const [plain] = nameOf(last);
  const escaped = plain.endsWith("?") ? `${plain}?` : plain;
  const renamed = Object.fromEntries(
    Object.entries(valueAt(body, above) as Fields).map(([name, value]) => [
      name === last ? (on ? `${plain}?` : escaped) : name,
      value,
    ]),
  );
  return put(body, above, renamed) as Json;
}

/** How a list is expected: item by item, in any order, each like the first; and whether more may follow. */
export type ListManner = "in order" | "in any order" | "each like the first" | "more may follow";

export function putManner(body: Json, way: BodyWay, manner: ListManner): Json {
  const list = valueAt(body, way) as Json[];
  const more = list.at(-1) === MORE;
  const items = list.slice(HEADS.includes(String(list[0])) ? 1 : 0, more ? -1 : undefined);
  const next = {
    "in order": [...items, ...(more ? [MORE] : [])],
    "in any order": ["[?any order]", ...items, ...(more ? [MORE] : [])],
    "each like the first": ["[?every]", ...items.slice(0, 1)],
    "more may follow": more ? list.slice(0, -1) : [...list, MORE],
  }[manner];
  return put(body, way, next) as Json;
}

/** The manners that a list could be expected in otherwise. */
export function otherManners(body: Json, way: BodyWay): ListManner[] {
  const list = valueAt(body, way) as Json[];
  const every = list[0] === "[?every]";
  const any = list[0] === "[?any order]";
  const bare = list.filter((item) => item !== MORE).length;
  return [
    ...(every || any ? (["in order"] as const) : []),
    ...(any || every || bare < 2 ? [] : (["in any order"] as const)),
    ...(every || bare < 1 ? [] : (["each like the first"] as const)),
    ...(every ? [] : (["more may follow"] as const)),
  ];
}

export function valueAt(body: Json | undefined, way: BodyWay): Json | undefined {
  return way.reduce<Json | undefined>((at, step) => (at as Fields | undefined)?.[step as string], body);
}

/** A value as an expected body writes it: text that would read as something else is written so that it does not. */
export function literally(value: Json): Json {
  if (typeof value === "string")
    return value.startsWith("[?") ? "[?text]" : value.replaceAll("[=", "[='[=']");
  if (Array.isArray(value)) return value.map(literally);
  if (!isFields(value)) return value;
  return Object.fromEntries(
    Object.entries(value).map(([name, inner]) => [name.endsWith("?") ? `${name}?` : name, literally(inner)]),
  );
}

/** What is typed as a value: JSON, a loose value, or plain text. */
export function typedValue(text: string): Json {
  try {
    return readExact(text);
  } catch {
    return text;
  }
}

/** The loose value for anything of a value's kind. */
export function ofKind(value: Json): string {
  if (Array.isArray(value)) return "[?list]";
  if (isFields(value)) return "[?object]";
  if (value === null) return "[?]";
  if (typeof value === "string" || typeof value === "boolean")
    return typeof value === "string" ? "[?text]" : "[?boolean]";
  return "[?number]";
}
