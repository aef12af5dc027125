import type { Exchange } from "../api";
import { isFields, type Json, readExact, writeExact } from "../base/exact";
import { fieldOf, fieldsOn } from "../base/places";
import type { Picked } from "../parts/tree/picked";
import { type CheckDocument, type Document, PARTS, type StepDocument, stepsOf } from "./document";

/** A value that a request sent: the name it had, what stands for it in a check, and its JSON as far as it is known. */
export interface SentPlace {
  name: string;
  written: Json;
  text: string;
}

const MOST_PLACES = 400;

/** The values of a request's JSON body and of its query; secrets are left out. */
export function sentPlaces(exchange: Exchange | undefined): SentPlace[] {
  if (!exchange) return [];
  const found = namedIn(read(exchange.sentBody)).map(({ name, path, value }) => ({
    name,
    written: `[=sent ${quoted(path)}]`,
    text: writeExact(value),
  }));
  const query = exchange.address.split("?").slice(1).join("?").split("#")[0];
  for (const [name, value] of new URLSearchParams(query))
    found.push({ name, written: `[=sent ${quoted(`query ${name}`)}]`, text: writeExact(value) });
  return found.filter((place) => !place.text.includes("●●●"));
}

/** What the requests before a step send in their bodies, forms and queries, the nearest first, as it is written there: what was stored is
 * held against it. What is made anew wherever it is written is left out. */
export function sentBefore(document: Document, key: string): SentPlace[] {
  const steps = PARTS.flatMap((part) => stepsOf(document, part));
  const at = steps.findIndex((step) => step.key === key);
  return steps.slice(0, Math.max(at, 0)).reverse().flatMap(writtenIn).filter(lasting).slice(0, MOST_PLACES);
}

function writtenIn(step: StepDocument): SentPlace[] {
  const body = typeof step.json === "string" ? read(inQuotes(step.json)) : step.json;
  const found = namedIn(body).map(({ name, value }) => ({
    name,
    written: value,
    text: single(value) ? "" : writeExact(value),
  }));
  const pairs = [step.form, step.query].flatMap((field) => namedIn(isFields(field) ? field : undefined));
  return [
    ...found,
    ...pairs.map(({ name, value }) => ({
      name,
      written: value,
      text: writeExact(typeof value === "string" ? value : writeExact(value)),
    })),
  ];
}

const REFERENCE = /\[=([^\]]*)\]/g;
const NAME = /^\s*[\p{L}_][\p{L}\p{N}_.-]*\s*(\||$)/u;
const MADE = /^\s*(now|today|clock)\b/;

const single = (value: Json): boolean => typeof value === "string" && /^\[=[^\]]*\]$/.test(value);

/** Whether all that is referred to by it is a value with a name, which means the same in a later step. */
const lasting = ({ written }: SentPlace): boolean =>
  typeof written !== "string" ||
  [...written.matchAll(REFERENCE)].every(([, inner = ""]) => NAME.test(inner) && !MADE.test(inner));

/** JSON as it is typed, with the references that stand outside its texts in quotes, so that it can be read. */
const inQuotes = (body: string): string =>
  body.replace(/"(?:[^"\\]|\\.)*"|\[=[^\]]*\]/gs, (part) =>
    part.startsWith("[=") ? JSON.stringify(part) : part,
  );

function read(text: string | undefined): Json | undefined {
  try {
    return text === undefined ? undefined : readExact(text);
  } catch {
    return undefined; // it is no JSON
  }
}

/** The single values of a document, each with the name of the field that it stands in. */
function namedIn(document: Json | undefined): { name: string; path: string; value: Json }[] {
  const found: { name: string; path: string; value: Json }[] = [];
  const add = (value: Json, name: string, path: string) => {
    if (found.length >= MOST_PLACES) return;
    if (Array.isArray(value)) for (const [at, item] of value.entries()) add(item, name, `${path}[${at}]`);
    else if (isFields(value))
      for (const [key, inner] of Object.entries(value)) add(inner, key, fieldOf(path, key));
    else if (name) found.push({ name, path, value });
  };
  if (document !== undefined) add(document, "", "$");
  return found;
}

/** A subject as a reference asks for it: in quotes where it holds what would end the reference. */
const quoted = (subject: string): string =>
  /^[\w $.-]+$/.test(subject) ? subject : `"${subject.replace(/[\\"]/g, (letter) => `\\${letter}`)}"`;

/** A check that a node is what was sent under the same name; of several the one with its value. */
export function asSent(picked: Picked, path: string, sent: SentPlace[]): CheckDocument | undefined {
  if (picked.kind === "object" || picked.kind === "list") return undefined;
  const name = fieldsOn(picked.path).at(-1) ?? "";
  const alike = sent.filter((place) => plain(place.name) === plain(name));
  const place = alike.find((item) => means(item, picked)) ?? alike[0];
  if (!name || !place) return undefined;
  return { of: path, is: asKind(place, picked.kind) };
}

/** A text that was sent, as the number that it means where a number came. */
function asKind({ written, text }: SentPlace, kind: Picked["kind"]): Json {
  if (kind !== "number" || typeof written !== "string" || !text.startsWith('"')) return written;
  if (single(written)) return written.replace(/\]$/, " | number]");
  const number = read(written);
  return number !== undefined && /^-?\d/.test(written) ? number : written;
}

const means = (place: SentPlace, picked: Picked): boolean =>
  place.text === picked.text || place.text === `"${picked.text}"`;

/** `lengthMetres`, `length_metres` and `Length-Metres` are one name. */
const plain = (name: string): string => name.toLowerCase().replace(/[^\p{L}\p{N}]/gu, "");

/** Checks that nodes, or the leaves below them, are what the request sent under their names. */
export function whatWasSent(
  picked: Picked[],
  sent: SentPlace[],
  pathOf: (item: Picked) => string = (item) => item.path,
): CheckDocument[] {
  const leaves = sent.length ? picked.flatMap((item) => item.below()) : [];
  return leaves
    .map((leaf) =>
      asSent(leaf, picked.length === 1 && leaf.path === picked[0]?.path ? pathOf(leaf) : leaf.path, sent),
    )
    .filter((check) => check !== undefined);
}
