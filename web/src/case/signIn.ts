import { isFields, type Json } from "../base/exact";
import { type Change, type Document, PARTS, type StepDocument, setField, setOwn, stepsOf } from "./document";
import { same } from "./merge";

const NAMES = /\[=\s*(?:kept\.|case\.)?([^\W\d][\w-]*|'[^']*')/gu;

/** The names that a sign-in inserts. */
export function namesOf(auth: Json | undefined): string[] {
  const texts = (value: Json | undefined): string[] => {
    if (typeof value === "string") return [...value.matchAll(NAMES)].map((found) => found[1] as string);
    const inside = Array.isArray(value) ? value : isFields(value) ? Object.values(value) : [];
    return inside.flatMap(texts);
  };
  return [...new Set(texts(auth))];
}

/** What of a sign-in belongs to this case alone: the names that it keeps, sets or holds itself. */
export function ownOf(document: Document, auth: Json | undefined): string[] {
  const own = new Set([
    ...Object.keys((document.values as object) ?? {}),
    ...PARTS.flatMap((part) => stepsOf(document, part)).flatMap(givenBy),
  ]);
  return namesOf(auth).filter((name) => own.has(name));
}

const givenBy = (step: StepDocument): string[] => [
  ...Object.keys((step.keep as object) ?? {}),
  ...Object.keys((step.set as object) ?? {}),
  ...Object.values((step.gives as { [output: string]: string }) ?? {}),
];

/** A step's sign-in made the one of all steps of the case. Those that say the same need not say it any longer; those that run before its
 * values are there, and said nothing, go on without. */
export const toEveryStep =
  (key: string): Change =>
  (document) => {
    const steps = PARTS.flatMap((part) => stepsOf(document, part));
    const auth = steps.find((step) => step.key === key)?.auth;
    if (auth === undefined) return document;
    const wanted = namesOf(auth);
    const ready = steps.findLastIndex((step) => givenBy(step).some((name) => wanted.includes(name)));
    const changes = steps.flatMap((step, at) => {
      if (!step.request) return [];
      if (same(step.auth, auth)) return [setField(step.key as string, "auth", undefined)];
      return step.auth === undefined && at <= ready ? [setField(step.key as string, "auth", "none")] : [];
    });
    return changes.reduce((next, change) => change(next), setOwn("auth", auth)(document));
  };

/** A step as it is taken along to another case: with the sign-in of its own case, which it would not find there. */
export function takenAlong(document: Document, step: StepDocument): StepDocument {
  const { auth } = document;
  const signed: StepDocument =
    step.request && step.auth === undefined && auth !== undefined && auth !== "none"
      ? { ...step, auth }
      : step;
  if (!Array.isArray(signed.steps)) return signed;
  return { ...signed, steps: signed.steps.map((inner) => takenAlong(document, inner as StepDocument)) };
}

/** A step that comes into a case need not say what the case says already. */
export function broughtIn(document: Document, step: StepDocument): StepDocument {
  if (step.auth === undefined || !same(step.auth, document.auth)) return step;
  const { auth: _, ...rest } = step;
  return rest;
}
