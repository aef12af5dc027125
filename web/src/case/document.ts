import { type Json, readExact } from "../base/exact";
import { newKey } from "./keys";
import { LOOK_UP, lookUp, NO_DATABASE } from "./lookup";
import { nameFor } from "./naming";
import { type Change, type CheckDocument, type Document, PARTS, type Part, type StepDocument } from "./types";

export {
  type CaseChange,
  type Change,
  type CheckDocument,
  type Document,
  PARTS,
  type Part,
  type StepDocument,
} from "./types";

const BODIES = ["json", "xml", "text", "form", "multipart", "file"];
const TYPED = ["xml", "text", "file"];

export function stepsOf(document: Document, part: Part): StepDocument[] {
  return (document[part] as StepDocument[] | undefined) ?? [];
}

export function stepWith(document: Document, key: string): StepDocument | undefined {
  return PARTS.flatMap((part) => everyOf(stepsOf(document, part))).find((step) => step.key === key);
}

/** The steps of a list with those inside them. */
function everyOf(steps: StepDocument[]): StepDocument[] {
  return steps.flatMap((step) => [step, ...everyOf(inside(step))]);
}

export const inside = (step: StepDocument): StepDocument[] =>
  Array.isArray(step.steps) ? (step.steps as StepDocument[]) : [];

/** Every list of steps changed: those of the parts, and those inside steps. */
const inLists =
  (change: (steps: StepDocument[]) => StepDocument[]): Change =>
  (document) => {
    const within = (steps: StepDocument[]): StepDocument[] =>
      change(steps).map((step) => {
        const held = inside(step);
        const next = held.length ? within(held) : held;
        return next === held ? step : { ...step, steps: next as Json };
      });
    const next = { ...document };
    for (const part of PARTS) if (document[part]) next[part] = within(stepsOf(document, part)) as Json;
    return next;
  };

/** Change one step; null takes it away, a list puts several in its place. */
export function inStep(
  key: string,
  change: (step: StepDocument) => StepDocument | StepDocument[] | null,
): Change {
  return inLists((steps) =>
    steps.flatMap((step) => {
      if (step.key !== key) return [step];
      const made = change(step);
      return made === null ? [] : Array.isArray(made) ? made : [made];
    }),
  );
}

/** A field of the case itself, or of shared steps; what is empty is left out. */
export const setOwn =
  (name: string, value: Json | undefined): Change =>
  (document) => {
    const { [name]: _, ...rest } = document;
    const empty =
      value === undefined ||
      value === "" ||
      (typeof value === "object" && value !== null && !Object.keys(value).length);
    return empty ? rest : { ...document, [name]: value };
  };

/** A step's field; undefined takes it away. */
export const setField = (key: string, field: string, value: Json | undefined): Change =>
  inStep(key, (step) => without({ ...step, [field]: value as Json }));

/** The step with its body replaced; undefined takes it away. */
export const setBody = (key: string, kind: string, value: Json | undefined): Change =>
  inStep(key, (step) => {
    const gone = [...BODIES, ...(value !== undefined && TYPED.includes(kind) ? [] : ["type"])];
    const kept = Object.fromEntries(Object.entries(step).filter(([name]) => !gone.includes(name)));
    return without({ ...kept, [kind]: value as Json });
  });

function without(step: StepDocument): StepDocument {
  return Object.fromEntries(Object.entries(step).filter(([, value]) => value !== undefined)) as StepDocument;
}

export function checksOf(step: StepDocument | undefined): CheckDocument[] {
  return (step?.expect as CheckDocument[] | undefined) ?? [];
}

export const inChecks = (key: string, change: (checks: CheckDocument[]) => CheckDocument[]): Change =>
  inStep(key, (step) => {
    const checks = change(checksOf(step));
    return without({ ...step, expect: (checks.length ? checks : undefined) as Json });
  });

/** An edit of a list of checks: a step's own, or those on every answer. */
export type ChecksChange = (checks: CheckDocument[]) => CheckDocument[];
const ASIDE = ["advice", "off", "note"];

/** Another check in the place of one, with its note and its marks; null takes it away. */
export const replaced =
  (index: number, check: CheckDocument | null): ChecksChange =>
  (checks) =>
    checks.flatMap((old, at) => {
      if (at !== index) return [old];
      const aside = Object.fromEntries(Object.entries(old).filter(([name]) => ASIDE.includes(name)));
      return check ? [{ ...check, ...aside }] : [];
    });

/** A check's mark (`off`, `advice`) turned on or off. */
export const marked =
  (index: number, mark: string): ChecksChange =>
  (checks) =>
    checks.map((check, at) => {
      if (at !== index) return check;
      return check[mark]
        ? (without({ ...check, [mark]: undefined } as never) as CheckDocument)
        : { ...check, [mark]: true };
    });

/** The body that a check expects. */
export const withBody =
  (index: number, relation: string, body: Json): ChecksChange =>
  (checks) =>
    checks.map((check, at) => (at === index ? { ...check, [relation]: body } : check));

/** What a check is called in reports; empty takes the note away. */
export const noted =
  (index: number, note: string): ChecksChange =>
  (checks) =>
    checks.map((check, at) =>
      at === index ? (without({ ...check, note: (note || undefined) as Json }) as CheckDocument) : check,
    );

export const setCheck = (key: string, index: number, check: CheckDocument | null): Change =>
  inChecks(key, replaced(index, check));

/** The same check of another place. */
export const lookAt = (key: string, index: number, of: string): Change =>
  inChecks(key, (checks) => checks.map((check, at) => (at === index ? { ...check, of } : check)));

export const addCheck = (key: string, check: CheckDocument): Change =>
  inChecks(key, (checks) => [...checks, check]);

/** The case's own checks on every answer, changed. */
export const inEvery =
  (change: ChecksChange): Change =>
  (document) => {
    const checks = change((document["every answer"] as CheckDocument[] | undefined) ?? []);
    return without({ ...document, "every answer": (checks.length ? checks : undefined) as Json });
  };

/** A step's check made one on every answer of the case. */
export const toEvery =
  (key: string, index: number): Change =>
  (document) => {
    const check = checksOf(stepWith(document, key))[index];
    return check ? inEvery((every) => [...every, check])(setCheck(key, index, null)(document)) : document;
  };

/** A check on every answer of the case called otherwise, also where steps except themselves from it by its note. */
export const renameEvery =
  (index: number, before: string, note: string): Change =>
  (document) => {
    const next = inEvery(noted(index, note))(document);
    const steps = PARTS.flatMap((part) => stepsOf(document, part)).filter(
      (step) => before && (step.without as string[] | undefined)?.includes(before),
    );
    return steps.reduce((named, { key = "" }) => {
      const freed = except(key, before, false)(named);
      return note ? except(key, note, true)(freed) : freed;
    }, next);
  };

/** A step excepts itself from a check on every answer, known by its note; or no longer. */
export const except = (key: string, note: string, on: boolean): Change =>
  inStep(key, (step) => {
    const rest = ((step.without as string[] | undefined) ?? []).filter((item) => item !== note);
    const notes = on ? [...rest, note] : rest;
    return without({ ...step, without: (notes.length ? notes : undefined) as Json });
  });

export const setKeep = (key: string, name: string, of: Json | undefined): Change =>
  inStep(key, (step) => {
    const keep = without({ ...(step.keep as StepDocument), [name]: of as Json });
    return without({ ...step, keep: (Object.keys(keep).length ? keep : undefined) as Json });
  });

/** Up (-1) or down (1) among those beside it. */
export const moveStep = (key: string, by: number): Change =>
  inLists((before) => {
    const at = before.findIndex((step) => step.key === key);
    if (at < 0 || !before[at + by]) return before;
    const steps = [...before];
    steps.splice(at + by, 0, ...steps.splice(at, 1));
    return steps;
  });

/** To stand right before or after another step beside it. */
export const moveStepTo = (key: string, target: string, after: boolean): Change =>
  inLists((steps) => {
    const moved = steps.find((step) => step.key === key);
    if (!moved || key === target || !steps.some((step) => step.key === target)) return steps;
    const rest = steps.filter((step) => step !== moved);
    const at = rest.findIndex((step) => step.key === target) + (after ? 1 : 0);
    return [...rest.slice(0, at), moved, ...rest.slice(at)];
  });

export const duplicateStep = (key: string): Change => inStep(key, (step) => [step, withNewKeys(step)]);

/** A copy of a step is another one, and so is each inside it. */
export const withNewKeys = (step: StepDocument): StepDocument => {
  const held = inside(step);
  const copy = { ...step, key: newKey() };
  return held.length ? { ...copy, steps: held.map(withNewKeys) as Json } : copy;
};

/** To the end of another part of the case. */
export const setPart =
  (key: string, to: Part): Change =>
  (document) => {
    const moved = PARTS.flatMap((part) => stepsOf(document, part)).find((step) => step.key === key);
    if (!moved) return document;
    const next: Document = { ...document };
    for (const part of PARTS) {
      const rest = stepsOf(document, part).filter((step) => step !== moved);
      if (document[part]) next[part] = rest;
      if (part === to) next[part] = [...rest, moved];
      else if (part !== "steps" && document[part] && !rest.length) delete next[part];
    }
    return next;
  };

/** The same change made to several steps. */
export const toEach =
  (keys: string[], change: (key: string) => Change): Change =>
  (document) =>
    keys.reduce((next, key) => change(key)(next), document);

/** A new step at the end: of the case's path, of another part, or inside the step with a key. */
export const addStep =
  (step: StepDocument, part: Part = "steps"): Change =>
  (document) => ({ ...document, [part]: [...stepsOf(document, part), step] });

export const addInside = (key: string, step: StepDocument): Change =>
  inStep(key, (holder) => ({ ...holder, steps: [...inside(holder), step] as Json }));

/** A step in the place of the first of several, which are gone. */
export const inPlaceOf = (keys: string[], step: StepDocument): Change => {
  let put = false;
  return (document) => {
    put = false;
    return inLists((steps) =>
      steps.flatMap((item) => {
        if (!keys.includes(item.key ?? "")) return [item];
        if (put) return [];
        put = true;
        return [step];
      }),
    )(document);
  };
};

/** A step right before another one; at the end of the path without one. */
export const addBefore = (step: StepDocument, before: string | undefined): Change =>
  before ? inStep(before, (next) => [step, next]) : addStep(step);

/** A step from what was typed or pasted: `GET /pilots`, `http://host/path?a=b`, `wait 2 s`, `set name = value`, `for each line of
 * lines`, `look up port_call in harbour-db`. */
export function stepFrom(text: string): StepDocument {
  const copied = copiedStep(text);
  if (copied) return copied;
  const wait = /^wait\s+(\d.*)$/i.exec(text.trim());
  if (wait) return { wait: wait[1] as string, key: newKey() };
  const set = /^set\s+(\S+)\s*(?:=|to\b)\s*(.+)$/i.exec(text.trim());
  if (set) return { set: { [set[1] as string]: set[2] as string }, key: newKey() };
  const each = /^for each\s+(?:(\S+)\s+of\s+)?(\S.*)$/i.exec(text.trim());
  if (each)
    return { "for each": reference(each[2] as string), as: each[1] ?? "item", key: newKey(), steps: [] };
  const look = LOOK_UP.exec(text);
  if (look) return lookUp(look[2] ?? NO_DATABASE, look[1] as string);
  const words = text.trim().split(/\s+/);
  const stated = /^[A-Za-z]+$/.test(words[0] ?? "") && words.length > 1;
  const method = stated ? (words[0] as string).toUpperCase() : "GET";
  const { address, query } = splitAddress(stated ? words.slice(1).join(" ") : text.trim());
  const step: StepDocument = {
    request: nameFor(method, address),
    key: newKey(),
    send: `${method} ${address}`,
  };
  if (query) step.query = query;
  return step;
}

/** A name as a reference to it. */
const reference = (text: string): string => (text.includes("[") ? text : `[=${text}]`);

/** A step that was copied from a case, as its JSON. */
function copiedStep(text: string): StepDocument | undefined {
  if (!text.trim().startsWith("{")) return undefined;
  try {
    const step = readExact(text) as StepDocument;
    const known = ["request", "look up", "wait", "set", "shared", "for each"].some((kind) => kind in step);
    return known ? withNewKeys(step) : undefined;
  } catch {
    return undefined;
  }
}

/** An address with its query apart; a name that repeats stays in the address, where it reads as it was written. */
export function splitAddress(text: string): { address: string; query?: { [name: string]: string } } {
  const [address = "", rest] = text.split(/\?(.*)/s);
  if (!rest || rest.includes("[=")) return { address: text };
  const pairs = [...new URLSearchParams(rest.replace(/#.*$/s, ""))];
  const names = new Set(pairs.map(([name]) => name));
  return names.size === pairs.length ? { address, query: Object.fromEntries(pairs) } : { address: text };
}
