import { isFields, type Json } from "../base/exact";
import { type Change, type Document, setField, stepWith } from "./document";
import { requestTexts } from "./requestTexts";

/** A secret that is written out in a case: its text, a name for it, and the case with a reference in its place. */
export interface Written {
  text: string;
  name: string;
  without: (name: string) => Change;
}

/** What a finding speaks of: `the header X-Key`, `the basic sign-in`, or one of the case's own values by its name. */
export function writtenSecret(document: Document, key: string, what: string): Written | undefined {
  const step = stepWith(document, key);
  const [, header] = /^the header (.+)$/.exec(what) ?? [];
  if (header && step) {
    const place = requestTexts(step).find(
      (text) =>
        text.field === "headers" && text.words.toLowerCase() === `in the header ${header}`.toLowerCase(),
    );
    return (
      place && { text: place.value, name: nameOf(header), without: (name) => put(place.words, key, name) }
    );
  }
  if (/^the \w+ sign-in$/.test(what)) {
    const owner = step?.auth ? step : { ...document, send: "" };
    const places = requestTexts({ send: "", auth: (owner.auth ?? "") as Json }).filter(
      (text) => text.field === "auth" && !/ (in|name)$/.test(text.words),
    );
    const place = places.findLast((text) => !/ (scope|token url|client id)$/.test(text.words));
    const called = /password|secret|bearer|value/.exec(place?.words ?? "")?.[0] ?? "password";
    const name = { bearer: "token", value: "key", secret: "clientSecret" }[called] ?? called;
    return (
      place && { text: place.value, name, without: (given) => put(place.words, step?.auth ? key : "", given) }
    );
  }
  const value = isFields(document.values) ? document.values[what] : undefined;
  if (typeof value !== "string") return undefined;
  return { text: value, name: what, without: (name) => withoutText(what, name) };
}

const nameOf = (header: string): string => {
  const words = header.replace(/^x-/i, "").split(/[^A-Za-z0-9]+/);
  return words
    .map((word, at) => (at ? word[0]?.toUpperCase() : (word[0]?.toLowerCase() ?? "")) + word.slice(1))
    .join("");
};

/** The place in a step, or without one in the case's own sign-in, with a reference in it, as it stands when it is put there. */
const put =
  (words: string, key: string, name: string): Change =>
  (document) => {
    const held = key ? stepWith(document, key) : { send: "", auth: (document.auth ?? "") as Json };
    const place = held && requestTexts(held).find((text) => text.words === words);
    if (!held || !place) return document;
    const value = place.with(`[=${name}]`);
    if (!key) return { ...document, auth: value };
    return setField(key, place.field, value)(document);
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
