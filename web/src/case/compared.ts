import { isFields, type Json, writeExact } from "../base/exact";
import { fieldOf } from "../base/places";
import {
  type BodyWay,
  HEADS,
  listWords,
  literally,
  looseWords,
  MORE,
  nameOf,
  put,
  valueAt,
} from "./expectedBody";

/** One place of an expected body and of the answer, side by side. */
export interface Compared {
  key: string;
  depth: number;
  name: string;
  /** Where it stands in the expected body; undefined for what only the answer has. */
  way: BodyWay | undefined;
  /** Where what only the answer has would stand: the object or list of the expected body. */
  parent: BodyWay;
  /** What is expected there, in words where it is loose; empty for what only the answer has. */
  expected: string;
  loose: boolean;
  /** What the answer has there, a branch by its size; undefined where it has nothing. */
  actual: string | undefined;
  value: Json | undefined;
  differs: boolean;
}

/** The places of an expected body and of the answer in one order, what only the answer has below what is expected beside it. `wrong`
 * says of a place, `[*]` for each item of a list, whether the check found it otherwise. */
export function compared(
  body: Json,
  subject: string,
  answer: Json | undefined,
  wrong: (path: string) => boolean,
): Compared[] {
  const found: Compared[] = [];
  const only = (parent: BodyWay, name: string, path: string, value: Json) =>
    found.push({
      key: `only ${path}`,
      depth: parent.length + 1,
      name,
      way: undefined,
      parent,
      expected: "",
      loose: false,
      actual: sized(value),
      value,
      differs: wrong(path),
    });
  const add = (
    expected: Json,
    value: Json | undefined,
    way: BodyWay,
    name: string,
    optional: boolean,
    path: string | undefined,
  ) => {
    const loose = typeof expected === "string" && expected.startsWith("[?");
    const fixed = !loose && !branches(expected) && !(typeof expected === "string" && expected.includes("[="));
    const missing = value === undefined && path !== undefined && !optional && answer !== undefined;
    const otherKind = value !== undefined && branches(expected) !== branches(value) && !loose;
    const otherwise = fixed && value !== undefined && path !== undefined && !sameValue(expected, value);
    found.push({
      key: writeExact(way),
      depth: way.length,
      name: optional ? `${name}?` : name,
      way,
      parent: way.slice(0, -1),
      expected: said(expected),
      loose,
      actual: value === undefined ? undefined : sized(value),
      value,
      differs: missing || otherKind || otherwise || (path !== undefined && wrong(path)),
    });
    if (Array.isArray(expected)) ofList(expected, value, way, path);
    else if (isFields(expected)) ofFields(expected, value, way, path);
  };
  const ofFields = (
    expected: { [name: string]: Json },
    value: Json | undefined,
    way: BodyWay,
    path: string | undefined,
  ) => {
    const has = isFields(value) ? value : {};
    const named = new Set<string>();
    for (const [written, inner] of Object.entries(expected)) {
      const [plain, maybe] = nameOf(written);
      named.add(plain);
      add(inner, has[plain], [...way, written], plain, maybe, path && fieldOf(path, plain));
    }
    if (path !== undefined && !path.includes("[*]"))
      for (const [name, inner] of Object.entries(has)) {
        if (!named.has(name)) only(way, name, fieldOf(path, name), inner);
      }
  };
  const ofList = (expected: Json[], value: Json | undefined, way: BodyWay, path: string | undefined) => {
    const head = HEADS.includes(String(expected[0])) ? String(expected[0]) : "";
    const more = expected.at(-1) === MORE;
    const items = expected.slice(head ? 1 : 0, more ? -1 : undefined);
    const has = Array.isArray(value) ? value : [];
    const every = head === "[?every]";
    items.forEach((item, number) => {
      const place =
        path === undefined || head === "[?any order]" ? undefined : `${path}[${every ? "*" : number}]`;
      const beside = place === undefined ? undefined : has[number];
      add(
        item,
        beside,
        [...way, number + (head ? 1 : 0)],
        every ? "each item" : String(number),
        false,
        place,
      );
    });
    if (!head && !more && path !== undefined && !path.includes("[*]"))
      has.slice(items.length).forEach((item, at) => {
        only(way, String(items.length + at), `${path}[${items.length + at}]`, item);
      });
  };
  add(body, answer, [], "", false, subject);
  return found;
}

/** The expected body with a place that only the answer has, as it is there. */
export function taken(body: Json, row: Compared): Json | undefined {
  const beside = valueAt(body, row.parent) as Json;
  const value = literally(row.value ?? null);
  if (Array.isArray(beside)) {
    const end = beside.at(-1) === MORE ? -1 : undefined;
    return put(body, row.parent, [...beside.slice(0, end), value, ...(end ? [MORE] : [])]);
  }
  const name = row.name.endsWith("?") ? `${row.name}?` : row.name;
  return put(body, row.parent, { ...(beside as { [name: string]: Json }), [name]: value });
}

const branches = (value: Json): boolean => Array.isArray(value) || isFields(value);

const sameValue = (expected: Json, value: Json): boolean =>
  writeExact(expected) === writeExact(value) ||
  (typeof expected !== "string" &&
    typeof value !== "string" &&
    !branches(value) &&
    Number(writeExact(expected)) === Number(writeExact(value)) &&
    typeof expected !== "boolean" &&
    typeof value !== "boolean" &&
    expected !== null &&
    value !== null);

function said(expected: Json): string {
  if (Array.isArray(expected)) {
    const head = HEADS.includes(String(expected[0])) ? 1 : 0;
    return listWords(expected, expected.length - head - (expected.at(-1) === MORE ? 1 : 0));
  }
  if (isFields(expected)) return sized(expected);
  return typeof expected === "string" && expected.startsWith("[?")
    ? looseWords(expected)
    : writeExact(expected);
}

function sized(value: Json): string {
  if (Array.isArray(value)) return value.length === 1 ? "1 item" : `${value.length} items`;
  if (!isFields(value)) return writeExact(value);
  const fields = Object.keys(value).length;
  return fields === 1 ? "1 field" : `${fields} fields`;
}
