import type { Exchange } from "../../../app/api";
import { isFields, type Json, readExact, writeExact } from "../../../app/exact";
import { fieldOf, fieldsOn } from "../../../parts/places";
import type { Picked } from "../../../parts/tree/picked";
import type { CheckDocument } from "./document";

/** A value that a request sent: the name it had, the reference that asks for it, and its JSON. */
export interface SentPlace {
  name: string;
  reference: string;
  text: string;
}

const MOST_PLACES = 400;

/** The values of a request's JSON body and of its query; secrets are left out. */
export function sentPlaces(exchange: Exchange | undefined): SentPlace[] {
  if (!exchange) return [];
  const found: SentPlace[] = [];
  const add = (value: Json, name: string, path: string) => {
    if (found.length >= MOST_PLACES) return;
    if (Array.isArray(value)) for (const [at, item] of value.entries()) add(item, name, `${path}[${at}]`);
    else if (isFields(value))
      for (const [key, inner] of Object.entries(value)) add(inner, key, fieldOf(path, key));
    else if (name) found.push({ name, reference: `sent ${quoted(path)}`, text: writeExact(value) });
  };
  try {
    add(readExact(exchange.sentBody), "", "$");
  } catch {
    // it was no JSON
  }
  const query = exchange.address.split("?").slice(1).join("?").split("#")[0];
  for (const [name, value] of new URLSearchParams(query))
    found.push({ name, reference: `sent ${quoted(`query ${name}`)}`, text: writeExact(value) });
  return found.filter((place) => !place.text.includes("●●●"));
}

/** A subject as a reference asks for it: in quotes where it holds what would end the reference. */
const quoted = (subject: string): string =>
  /^[\w $.-]+$/.test(subject) ? subject : `"${subject.replace(/[\\"]/g, (letter) => `\\${letter}`)}"`;

/** A check that a node is what the request sent under the same name; of several the one with its value. */
export function asSent(picked: Picked, path: string, sent: SentPlace[]): CheckDocument | undefined {
  if (picked.kind === "object" || picked.kind === "list") return undefined;
  const name = fieldsOn(picked.path).at(-1) ?? "";
  const alike = sent.filter((place) => plain(place.name) === plain(name));
  const place = alike.find((item) => means(item, picked)) ?? alike[0];
  if (!name || !place) return undefined;
  const pipe = picked.kind === "number" && place.text.startsWith('"') ? " | number" : "";
  return { of: path, is: `[=${place.reference}${pipe}]` };
}

const means = (place: SentPlace, picked: Picked): boolean =>
  place.text === picked.text || place.text === `"${picked.text}"`;

/** `lengthMetres`, `length_metres` and `Length-Metres` are one name. */
const plain = (name: string): string => name.toLowerCase().replace(/[^\p{L}\p{N}]/gu, "");
