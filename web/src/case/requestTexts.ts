import { isFields, type Json, writeExact } from "../base/exact";
import { indexJson } from "../parts/tree/indexer";
import { isBranch, pathOf, wholeTextOf } from "../parts/tree/reading";
import type { StepDocument } from "./document";

/** One text of a request that a reference can stand for: where, what stands there, and its field of the step with the reference there. */
export interface RequestText {
  words: string;
  value: string;
  field: string;
  with: (reference: string) => Json;
}

/** The texts of a request, each once; of one that is JSON itself its leaves, too. The same as the server's `literals` reads. */
export function requestTexts(step: StepDocument): RequestText[] {
  const pairs = ["query", "headers", "form"].flatMap((field) => pairTexts(step, field));
  return [...addressTexts(step), ...pairs, ...partTexts(step), ...signInTexts(step), ...bodyTexts(step)];
}

/** A text, and what stands in it where it is JSON. `put` writes the whole of it anew. */
function withLeaves(field: string, words: string, value: string, put: (text: string) => Json): RequestText[] {
  const whole = { words, value, field, with: put };
  if (!/^[[{]/.test(value)) return [whole];
  const leaves = leavesOf(value);
  if (!leaves.length) return [whole];
  // A text goes in as it is, so only one that needs no escaping there can.
  const plain = leaves.filter((leaf) => !/["\\]|\p{Cc}/u.test(leaf.plain));
  return plain.map((leaf) => ({
    words: `${words} at ${leaf.path}`,
    value: leaf.plain,
    field,
    with: (reference: string) => put(leaf.with(leaf.quoted ? `"${reference}"` : reference)),
  }));
}

const REFERENCE = /(\[=(?:'[^']*'|"[^"]*"|[^\]'"])*\])/;
const ORIGIN = /^\S+\s+(?:[A-Za-z][\w+.-]*:\/\/[^/?#]*|\[=[^\]]*\])?/;

/** The segments of an address, and the values of the query in it. */
function addressTexts(step: StepDocument): RequestText[] {
  const send = String(step.send);
  const begin = ORIGIN.exec(send)?.[0].length ?? 0;
  const hash = send.indexOf("#", begin);
  const end = hash < 0 ? send.length : hash;
  const mark = send.slice(0, end).indexOf("?", begin);
  const found: RequestText[] = [];
  const piece = (words: (value: string) => string, from: number, to: number, isQuery: boolean) => {
    const written = send.slice(from, to);
    const value = decoded(isQuery ? written.replace(/\+/g, " ") : written);
    const put = (text: string) => {
      const there = text.split(REFERENCE).map((part, at) => (at % 2 ? part : encodeURIComponent(part)));
      return send.slice(0, from) + there.join("") + send.slice(to);
    };
    found.push(...withLeaves("send", words(value), value, put));
  };
  const path = mark < 0 ? end : mark;
  spans(send, begin, path, "/", (from, to) => {
    const open = /^\{[^}]+\}$/.test(send.slice(from, to));
    piece(
      (value) => (open ? `in the address at ${value}` : `in the address instead of ${value}`),
      from,
      to,
      false,
    );
  });
  if (mark >= 0)
    spans(send, mark + 1, end, "&", (from, to) => {
      const equals = send.slice(from, to).indexOf("=");
      if (equals >= 0)
        piece(
          () => `in the parameter ${decoded(send.slice(from, from + equals))}`,
          from + equals + 1,
          to,
          true,
        );
    });
  return found;
}

/** Each stretch between dividers; those within a reference divide nothing. */
function spans(
  text: string,
  from: number,
  to: number,
  divider: string,
  each: (from: number, to: number) => void,
) {
  let begin = from;
  let inside = false;
  for (let at = from; at < to; at++) {
    if (text.startsWith("[=", at)) inside = true;
    else if (text[at] === "]") inside = false;
    else if (text[at] === divider && !inside) {
      each(begin, at);
      begin = at + 1;
    }
  }
  each(begin, to);
}

/** The values of a field of names and values, as a mapping or as pairs. */
function pairTexts(step: StepDocument, field: string): RequestText[] {
  const word = { query: "parameter", headers: "header" }[field] ?? "field";
  const pairs = step[field];
  if (Array.isArray(pairs))
    return pairs.flatMap((pair, at) =>
      Array.isArray(pair)
        ? withLeaves(field, `in the ${word} ${pair[0]}${ordinal(pairs, at)}`, String(pair[1]), (text) =>
            pairs.with(at, [pair[0] as Json, text]),
          )
        : [],
    );
  if (!isFields(pairs)) return [];
  return Object.entries(pairs).flatMap(([name, value]) =>
    withLeaves(field, `in the ${word} ${name}`, String(value), (text) => ({ ...pairs, [name]: text })),
  );
}

/** Which of several with the same name, from the second on. */
function ordinal(pairs: Json[], at: number): string {
  const name = (pairs[at] as Json[])[0];
  const before = pairs.slice(0, at).filter((pair) => Array.isArray(pair) && pair[0] === name).length;
  return before ? ` (${before + 1})` : "";
}

/** The texts of a multipart body's parts. */
function partTexts(step: StepDocument): RequestText[] {
  const parts = step.multipart;
  if (!Array.isArray(parts)) return [];
  return parts.flatMap((part, at) =>
    isFields(part) && part.text !== undefined
      ? withLeaves("multipart", `in the part ${part.name} (${at + 1})`, String(part.text), (text) =>
          parts.with(at, { ...part, text }),
        )
      : [],
  );
}

/** The texts of a sign-in, by what they are. */
function signInTexts(step: StepDocument): RequestText[] {
  const found: RequestText[] = [];
  const walk = (value: Json | undefined, words: string[], put: (text: Json) => Json) => {
    if (typeof value === "string") {
      const said = `in the sign-in, ${words.join(" ")}`;
      found.push(...withLeaves("auth", said, value, put));
    } else if (Array.isArray(value))
      value.forEach((item, index) => {
        walk(item, [...words, ["user", "password"][index] ?? ""], (text) => put(value.with(index, text)));
      });
    else if (isFields(value))
      for (const [name, item] of Object.entries(value))
        walk(item, [...words, name], (text) => put({ ...value, [name]: text }));
  };
  walk(step.auth, [], (text) => text);
  return found;
}

const bodyTexts = (step: StepDocument): RequestText[] =>
  leavesOf(step.json).map((leaf) => ({
    words: `in the body at ${leaf.path}`,
    value: leaf.plain,
    field: "json",
    with: (reference) => leaf.with(`"${reference}"`),
  }));

const MOST_LEAVES = 5_000;

interface Leaf {
  path: string;
  /** As it is written. */
  value: string;
  /** A text without its quotes; anything else as it is written. */
  plain: string;
  /** Whether it is a text. */
  quoted: boolean;
  /** The whole with something else in its place. */
  with: (written: string) => string;
}

/** The leaves of a JSON body with the text that it would be with another one in their place. */
export function leavesOf(body: Json | undefined): Leaf[] {
  if (body === undefined) return [];
  const bytes = new TextEncoder().encode(
    typeof body === "string" ? body : JSON.stringify(JSON.parse(writeExact(body)), null, 2),
  );
  const text = (from: number, to?: number) => new TextDecoder().decode(bytes.subarray(from, to));
  try {
    const index = indexJson(bytes);
    const nodes = Array.from({ length: index.count }, (_none, node) => node).filter(
      (node) => !isBranch(index, node),
    );
    return nodes.slice(0, MOST_LEAVES).map((node) => ({
      ...leafOf(wholeTextOf(index, node)),
      path: pathOf(index, node),
      with: (written) => `${text(0, index.start[node])}${written}${text(index.end[node] as number)}`,
    }));
  } catch {
    return [];
  }
}

function leafOf(value: string) {
  const quoted = value.startsWith('"');
  return { value, quoted, plain: quoted ? (JSON.parse(value) as string) : value };
}

function decoded(segment: string): string {
  try {
    return decodeURIComponent(segment);
  } catch {
    return segment;
  }
}
