import type { Json } from "../base/exact";
import {
  type Change,
  type Document,
  inStep,
  PARTS,
  type StepDocument,
  setKeep,
  setOwn,
  setPart,
  stepFrom,
  stepsOf,
} from "./document";
import { newKey } from "./keys";
import { requestTexts } from "./requestTexts";

/** A place in a later step that a value can be put into. `change` puts the reference there. */
export interface Place {
  key: string;
  step: string;
  place: string;
  fits: boolean;
  change: (reference: string) => Change;
}

/** The places of a request, each once: those that hold one of these values first. */
export function placesFor(step: StepDocument, values: string[]): Place[] {
  const found = (values.length ? values : [""]).flatMap((value) => placesIn(step, value));
  const sorted = found.sort((left, right) => Number(right.fits) - Number(left.fits));
  return sorted.filter((place, at) => sorted.findIndex((other) => other.place === place.place) === at);
}

/** Whether the case can run over a list in the answer of this step: it has no rows yet, and the step stands before all the others. */
export function canRunOver(document: Document, key: string): boolean {
  if (document.case === undefined || document.rows !== undefined) return false;
  const [first, second] = stepsOf(document, "steps");
  const isFirst = first?.key === key && second !== undefined;
  return isFirst || stepsOf(document, "once").some((step) => step.key === key);
}

/** The case runs over the items of a list that this step keeps, once before all of them. */
export const overList =
  (key: string, name: string, path: string): Change =>
  (document) => {
    const kept = setKeep(key, name, path)(document);
    const once = stepsOf(kept, "once").some((step) => step.key === key) ? kept : setPart(key, "once")(kept);
    return setOwn("rows", { "items of": `[=kept.${name}]` })(once);
  };

/** Where a value of one step could go in the steps after it; places that hold this very value come first. */
export function placesAfter(document: Document, key: string, literal: string): Place[] {
  const steps = PARTS.flatMap((part) => stepsOf(document, part));
  const at = steps.findIndex((step) => step.key === key);
  const places = steps.slice(at + 1).flatMap((step) => (step.request ? placesIn(step, literal) : []));
  return [...places.filter((place) => place.fits), ...places.filter((place) => !place.fits)];
}

const MOST_OFFERED = 60;

/** The places of one request that a value can be put into; `fits` where the value stands there already, written out. */
export function placesIn(step: StepDocument, literal: string): Place[] {
  const key = step.key as string;
  const name = String(step.request);
  const place = (words: string, fits: boolean, field: string, put: (reference: string) => Json): Place => ({
    key,
    step: name,
    place: words,
    fits,
    change: (reference) => inStep(key, (old) => ({ ...old, [field]: put(reference) })),
  });
  const texts = requestTexts(step).map((text) => {
    const open = text.words === `in the address at ${text.value}` && /^\{[^}]+\}$/.test(text.value);
    return place(text.words, open || (Boolean(literal) && text.value === literal), text.field, text.with);
  });
  const fitting = texts.filter((one) => one.fits);
  const others = texts.filter((one) => !one.fits && !one.place.startsWith("in the address instead of"));
  const end = place("at the end of the address", false, "send", (reference) =>
    atTheEnd(String(step.send), reference),
  );
  return [...fitting, end, ...others.slice(0, MOST_OFFERED)];
}

/** An address with one more segment, in front of its query. */
function atTheEnd(send: string, segment: string): string {
  const [, path = "", rest = ""] = /^([^?#]*)(.*)$/s.exec(send) ?? [];
  return `${path.replace(/\/$/, "")}/${segment}${rest}`;
}

/** A step right after the one that the value comes from, its address the answer's own and the value behind it: where most ids go. */
export function placeInNewStep(from: StepDocument, name: string): Place {
  const address = String(from.send).replace(/^\S+\s+/, "");
  const base = address.replace(/[?#].*$/s, "").replace(/\/$/, "");
  const key = newKey();
  const made = (reference: string): StepDocument => {
    const { auth } = from;
    const step = { ...stepFrom(`GET ${base}/${reference}`), key };
    return auth ? { ...step, auth } : step;
  };
  return {
    key,
    step: "a new step",
    place: `GET ${base.replace(/\[=([^\]]*)\]/g, "$1")}/${name}`,
    fits: false,
    change: (reference) => inStep(from.key as string, (step) => [step, made(reference)]),
  };
}

/** The name under which a step keeps a place of its answer already. */
export function keptAs(step: StepDocument, path: string): string | undefined {
  const keeps = Object.entries((step.keep as Record<string, Json>) ?? {});
  return keeps.find(([, of]) => of === path || (of as { of?: Json })?.of === path)?.[0];
}

/** Keep a value where it comes from, unless it is kept already, and put it where it is wanted: one act, one undo. */
export function handOver(from: StepDocument, path: string, name: string, to: Place): Change {
  const kept = keptAs(from, path);
  const keep = kept ? (document: Document) => document : setKeep(from.key as string, name, path);
  const put = to.change(`[=${kept ?? name}]`);
  return (document) => put(keep(document));
}

/** The names under which a case keeps or sets values already. */
export function takenNames(document: Document): string[] {
  return PARTS.flatMap((part) => stepsOf(document, part)).flatMap((step) => [
    ...Object.keys((step.keep as object) ?? {}),
    ...Object.keys((step.set as object) ?? {}),
  ]);
}
