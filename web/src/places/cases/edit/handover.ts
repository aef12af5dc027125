import { isFields, type Json, writeExact } from "../../../app/exact";
import { indexJson } from "../../../parts/tree/indexer";
import { isBranch, pathOf, wholeTextOf } from "../../../parts/tree/reading";
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

/** The places of one request that a value can be put into; `fits` where the value stands there already, written out. */
export function placesIn(step: StepDocument, literal: string): Place[] {
  const key = step.key as string;
  const name = String(step.request);
  const send = String(step.send);
  const place = (words: string, fits: boolean, change: Place["change"]): Place => ({
    key,
    step: name,
    place: words,
    fits,
    change,
  });
  const set = (field: string, value: Json): Change => inStep(key, (old) => ({ ...old, [field]: value }));
  const found: Place[] = [];
  const segments = send.split("/");
  segments.forEach((segment, index) => {
    const named = /^\{[^}]+\}$/.test(segment);
    if (!named && (!literal || decoded(segment) !== literal)) return;
    const words = named ? `in the address at ${segment}` : `in the address instead of ${literal}`;
    found.push(place(words, true, (reference) => set("send", segments.with(index, reference).join("/"))));
  });
  found.push(
    place("at the end of the address", false, (reference) =>
      set("send", `${send.replace(/\/$/, "")}/${reference}`),
    ),
  );
  for (const field of ["query", "headers", "form"]) {
    const pairs = step[field];
    if (!pairs || typeof pairs !== "object" || Array.isArray(pairs)) continue;
    for (const [name, value] of Object.entries(pairs)) {
      const words = `in the ${{ query: "parameter", headers: "header" }[field] ?? "field"} ${name}`;
      found.push(
        place(words, String(value) === literal, (reference) => set(field, { ...pairs, [name]: reference })),
      );
    }
  }
  for (const { words, value, change } of signInLeaves(step.auth)) {
    found.push(
      place(`in the sign-in, ${words}`, value === literal, (reference) => set("auth", change(reference))),
    );
  }
  for (const leaf of leavesOf(step.json)) {
    const fits = Boolean(literal) && (leaf.value === literal || leaf.value === JSON.stringify(literal));
    found.push(
      place(`in the body at ${leaf.path}`, fits, (reference) => set("json", leaf.with(`"${reference}"`))),
    );
  }
  return found;
}

/** The texts of a sign-in, by what they are, each with the sign-in that it would be with another one in its place. */
function signInLeaves(auth: Json | undefined) {
  const found: { words: string; value: string; change: (text: string) => Json }[] = [];
  const walk = (value: Json | undefined, words: string[], put: (text: Json) => Json) => {
    if (typeof value === "string") found.push({ words: words.join(" "), value, change: put });
    else if (Array.isArray(value))
      value.forEach((item, index) => {
        walk(item, [...words, ["user", "password"][index] ?? ""], (text) => put(value.with(index, text)));
      });
    else if (isFields(value))
      for (const [name, item] of Object.entries(value))
        walk(item, [...words, name], (text) => put({ ...value, [name]: text }));
  };
  walk(auth, [], (text) => text);
  return found;
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

const MOST_LEAVES = 60;

/** The leaves of a JSON body with the text that it would be with another one in their place. */
export function leavesOf(
  body: Json | undefined,
): { path: string; value: string; with: (written: string) => string }[] {
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
      path: pathOf(index, node),
      value: wholeTextOf(index, node),
      with: (written) => `${text(0, index.start[node])}${written}${text(index.end[node] as number)}`,
    }));
  } catch {
    return [];
  }
}

function decoded(segment: string): string {
  try {
    return decodeURIComponent(segment);
  } catch {
    return segment;
  }
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
