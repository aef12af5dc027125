import { fieldsOn } from "../base/places";
import { RESERVED } from "./reserved";

const VERBS: Record<string, string> = {
  GET: "Read",
  POST: "Send",
  PUT: "Replace",
  PATCH: "Change",
  DELETE: "Delete",
};

const WORD = /^[A-Za-z](?:[A-Za-z_-]*[A-Za-z])?\d?$/;
const FILE = /^[\w-]+\.[A-Za-z][A-Za-z0-9]{0,4}$/;
const VERSION = /^v\d$/i;

/** A name that says what a request does: `Read vessels`, and with an id behind it `Read a vessel`; a file keeps its name. */
export function nameFor(method: string, address: string): string {
  const parts = address
    .replace(/^(\w+:\/\/[^/]+|\[=[^\]]*\])/, "")
    .replace(/[?#].*$/s, "")
    .split("/")
    .filter(Boolean);
  const at = parts.findLastIndex((part) => WORD.test(part) && !VERSION.test(part));
  const verb = VERBS[method] ?? method;
  const last = parts.at(-1) ?? "";
  if (FILE.test(last)) return `${verb} ${last}`;
  if (at < 0) return `${verb} an answer`;
  const noun = (parts[at] as string).replace(/[-_]/g, " ");
  return `${verb} ${at < parts.length - 1 || method === "POST" ? one(singular(noun)) : noun}`;
}

const one = (noun: string) => `${/^([aeio]|u(?!s|ni))/i.test(noun) ? "an" : "a"} ${noun}`;

const COLLECTIONS = /^(items|data|list|results|entries|values|content|records|rows)$/i;

const LONGEST = 60;

/** The last field's own name, if that is a word of ours and cannot be a kept value's. */
export function reservedIn(path: string): string | undefined {
  const last = camel(partsOf(path).at(-1) ?? "");
  return RESERVED.has(last) ? last : undefined;
}

/** The words of a subject by which it is called: a path's fields; a header's or a cookie's name; the field of a page whose value a pattern
 * takes; of the end of an address that an answer gives, that it is an id. */
function partsOf(subject: string): string[] {
  const [of = "", ...pipes] = subject.split(" | ");
  if (/^header location$/i.test(of) && pipes.length) return ["id"];
  // Headers are written in any case: `ETag` and `etag` are one.
  const header = /^header (.+)$/i.exec(of)?.[1]?.toLowerCase();
  const named = header ?? /^cookie (.+)$/.exec(of)?.[1] ?? /^body ~.*\bname=["']([^"']+)/.exec(of)?.[1];
  if (named) return [named];
  return of.startsWith("$") ? fieldsOn(of) : (of.match(/[\p{L}_][\p{L}\p{N}_]*/gu) ?? []);
}

/** A name for what stands at a path: `$.id` of an answer to `POST /port-calls` is `portCallId`; `$.count` is `portCallCount`, since `count` is
 * a word of ours. */
export function proposeName(path: string, send: string, taken: string[]): string {
  const parts = partsOf(path);
  const last = parts[parts.length - 1] ?? "value";
  const plain = /^(id|key|name|code|number|state|type|value)$/i.test(last) || RESERVED.has(camel(last));
  const above = parts.length > 1 ? (parts[parts.length - 2] as string) : "";
  const owner = !above || COLLECTIONS.test(above) ? noun(send) : above;
  const name = camel(plain && owner ? `${singular(owner)} ${last}` : last);
  let free = name;
  for (let number = 2; taken.includes(free) || RESERVED.has(free); number++) free = `${name}${number}`;
  return free;
}

function noun(send: string): string | undefined {
  const words = send.replace(/\[=[^\]]*\]/g, "").split(/[?\s]/)[1] ?? "";
  return words
    .replace(/^\w+:\/\/[^/]+/, "")
    .split("/")
    .filter((part) => /^[A-Za-z][A-Za-z_-]*$/.test(part))
    .pop();
}

const singular = (word: string) =>
  word
    .replace(/ies$/, "y")
    .replace(/(ss|x|ch|sh)es$/, "$1")
    .replace(/([^suia])s$/, "$1");
const camel = (text: string) =>
  text
    .replace(/[^\p{L}\p{N}]+(.)/gu, (_all, next: string) => next.toUpperCase())
    .replace(/[^\p{L}\p{N}]/gu, "")
    .replace(/^\P{L}+/u, "")
    .slice(0, LONGEST)
    .replace(/^./u, (first) => first.toLowerCase())
    .replace(/[^\p{L}\p{N}]/gu, "") || "value";
