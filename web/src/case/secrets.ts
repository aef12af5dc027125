import type { Case } from "../api";
import { isFields, type Json } from "../base/exact";
import { type Change, type Document, type StepDocument, setField, stepWith } from "./document";
import { requestTexts } from "./requestTexts";

export type WrittenOut = NonNullable<Case["findings"][number]["secret"]>;

/** A secret that is written out in a case: its text, a name for it, and the case with a reference in its place. */
export interface Written {
  text: string;
  name: string;
  without: (name: string) => Change;
}

/** Where a sign-in holds its secret, by its kind, and what that is called. */
const SIGN_INS: { [kind: string]: { way: string[]; called: string } } = {
  bearer: { way: ["bearer"], called: "token" },
  basic: { way: ["basic", "1"], called: "password" },
  digest: { way: ["digest", "1"], called: "password" },
  key: { way: ["key", "value"], called: "key" },
  oauth2: { way: ["oauth2", "client secret"], called: "clientSecret" },
};

/** What a finding speaks of: a header of the step with this key, its sign-in (or the case's own), or one of the case's own values. */
export function writtenSecret(document: Document, key: string, of: WrittenOut): Written | undefined {
  const step = stepWith(document, key);
  if (of.at === "header") {
    const place = step && headerOf(step, of.called);
    const put = (name: string): Change => inHeader(key, of.called, name);
    return place && { text: place.value, name: nameOf(of.called), without: put };
  }
  if (of.at === "sign-in") {
    const owner = step?.auth ? key : "";
    const place = SIGN_INS[of.called];
    const text = place && at((step?.auth ?? document.auth) as Json, place.way);
    if (!place || text === undefined) return undefined;
    return { text, name: place.called, without: (name) => inSignIn(owner, place.way, name) };
  }
  const value = isFields(document.values) ? document.values[of.called] : undefined;
  if (typeof value !== "string") return undefined;
  return { text: value, name: of.called, without: (name) => withoutText(of.called, name) };
}

const headerOf = (step: StepDocument, name: string) =>
  requestTexts(step).find(
    (text) => text.field === "headers" && text.words.toLowerCase() === `in the header ${name}`.toLowerCase(),
  );

/** A header with a reference in it, as it stands when it is put there. */
const inHeader =
  (key: string, header: string, name: string): Change =>
  (document) => {
    const step = stepWith(document, key);
    const place = step && headerOf(step, header);
    return place ? setField(key, place.field, place.with(`[=${name}]`))(document) : document;
  };

/** The text at a place of a sign-in. */
function at(value: Json | undefined, [name, ...rest]: string[]): string | undefined {
  if (name === undefined) return typeof value === "object" || value === undefined ? undefined : String(value);
  return at((value as { [name: string]: Json } | undefined)?.[name], rest);
}

/** A sign-in with a reference in the place of its secret: the step's, or without a key the case's own. */
const inSignIn =
  (key: string, way: string[], name: string): Change =>
  (document) => {
    const auth = (key ? stepWith(document, key)?.auth : document.auth) as Json | undefined;
    if (at(auth, way) === undefined) return document;
    const next = put(auth as Json, way, `[=${name}]`);
    return key ? setField(key, "auth", next)(document) : { ...document, auth: next };
  };

function put(value: Json, [name, ...rest]: string[], text: string): Json {
  if (name === undefined) return text;
  if (Array.isArray(value)) return value.with(Number(name), put(value[Number(name)] as Json, rest, text));
  const fields = value as { [name: string]: Json };
  return { ...fields, [name]: put(fields[name] as Json, rest, text) };
}

const nameOf = (header: string): string => {
  const words = header.replace(/^x-/i, "").split(/[^A-Za-z0-9]+/);
  return words
    .map((word, at) => (at ? word[0]?.toUpperCase() : (word[0]?.toLowerCase() ?? "")) + word.slice(1))
    .join("");
};

/** The case's value gives way to the secret of its name; under another name it stands for that one, since steps speak of it. */
const withoutText =
  (value: string, secret: string): Change =>
  (document) => {
    const { values, ...rest } = document;
    const held = isFields(values) ? values : {};
    if (value !== secret) return { ...rest, values: { ...held, [value]: `[=${secret}]` } };
    const left = Object.entries(held).filter(([other]) => other !== value);
    return left.length ? { ...rest, values: Object.fromEntries(left) } : rest;
  };
