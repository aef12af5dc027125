import type { Outcome, Step, StepEvidence } from "../api";
import { fieldOf } from "../base/places";
import type { Watched } from "./tree/picked";

export type Keeps = NonNullable<Step["keep"]>;

// A path as it stands in a sentence; names and filters in brackets may hold spaces.
const PATH = String.raw`\$(?:\[(?:'(?:[^'\\]|\\.)*'|"(?:[^"\\]|\\.)*"|[^\]'"])*\]|[^\s|[:])*`;
const LEADING = new RegExp(`^${PATH}`);
const ANY_CHILD = String.raw`(?:\[\d+\]|\.[^.[]+|\['(?:[^'\\]|\\.)*'\])`;
const LEVELS = "(?:[.[].*)?";

/** The place that a subject speaks of, without the pipes behind it; `body` is the whole document. A header's name is in small letters. */
function pathOf(subject: string): string | undefined {
  if (subject === "body") return "$";
  if (subject.startsWith("$")) return LEADING.exec(subject)?.[0];
  const of = subject.split(" | ")[0] ?? "";
  return /^header /i.test(of) ? of.toLowerCase() : of;
}

/** A path with wildcards, filters or descendants as a pattern over exact paths. */
function pattern(path: string): RegExp {
  const escaped = path
    .replace(/\[\?(?:'[^']*'|"[^"]*"|[^\]'"])*\]/g, "[*]")
    .replace(/[.*+?^${}()|[\]\\]/g, "\\$&")
    .replace(/\\\.\\\.(?=\\\[)/g, LEVELS)
    .replace(/\\\.\\\./g, `${LEVELS}\\.`)
    .replace(/\\\[\\\*\\\]|\\\.\\\*/g, ANY_CHILD);
  return new RegExp(`^${escaped}$`);
}

const patterns = new Map<string, RegExp>();

function meets(subject: string, path: string): boolean {
  if (subject === path) return true;
  if (!/[*?]|\.\./.test(subject)) return false;
  let known = patterns.get(subject);
  if (!known) {
    known = pattern(subject);
    patterns.set(subject, known);
  }
  return known.test(path);
}

const FITS = ["fits", "fits exactly"];
const flat = new WeakMap<StepEvidence, Outcome[]>();

/** Every check of a step, those in groups with the places that they mean, those in an expected body field by field. */
function checksOf(step: StepEvidence): Outcome[] {
  let known = flat.get(step);
  if (!known) {
    known = step.checks.flatMap((outcome) => unfolded(outcome, ""));
    flat.set(step, known);
  }
  return known;
}

function unfolded(outcome: Outcome, above: string): Outcome[] {
  const each = outcome.relation === "for each" ? pathOf(outcome.of) : undefined;
  const item = each && !/[*?]/.test(each) ? `${each}[*]` : each;
  if (outcome.parts.length) return outcome.parts.flatMap((part) => unfolded(part, item ?? above));
  const placed =
    above && outcome.of.startsWith("$") ? { ...outcome, of: above + outcome.of.slice(1) } : outcome;
  const judged = placed.verdict === "passed" || placed.verdict === "failed";
  const whole = judged && FITS.includes(placed.relation) ? pathOf(placed.of) : undefined;
  if (!whole) return [placed];
  try {
    // Of a body that does not fit, the places where it does are watched all the same.
    const places = fields(JSON.parse(outcome.expected), whole).map(
      ([path, loose]): Outcome => ({
        ...placed,
        verdict: "passed",
        where: [],
        of: path,
        relation: loose ? "present" : "fits",
      }),
    );
    return placed.verdict === "failed" ? [placed, ...places] : places;
  } catch {
    return [placed]; // too long to be shown whole
  }
}

/** The places that an expected body speaks of, and whether loosely. */
function fields(expected: unknown, path: string): [string, boolean][] {
  if (Array.isArray(expected)) {
    const inner = expected.filter((item) => !/^\[\?(every|any order|more)\]$/.test(String(item)));
    const loose = expected[0] === "[?every]" || expected[0] === "[?any order]";
    return inner.flatMap((item, index) => fields(item, `${path}[${loose ? "*" : index}]`));
  }
  if (expected && typeof expected === "object")
    return Object.entries(expected).flatMap(([name, value]) => {
      const plain = name.endsWith("??") ? name.slice(0, -1) : name.replace(/\?$/, "");
      return fields(value, fieldOf(path, plain));
    });
  return [[path, typeof expected === "string" && expected.startsWith("[?")]];
}

/** Which check or keep of a step watches the node at a path; a failing check comes first. */
export function watching(step: StepEvidence, place: string, keeps: Keeps = []): Watched | undefined {
  const path = pathOf(place) ?? place;
  const checks = checksOf(step);
  const failed = checks.find((outcome) => outcome.verdict === "failed" && concerns(outcome, path));
  if (failed) return { text: wanted(failed, path), tone: "failed" };
  const held = checks.filter((outcome) => outcome.verdict === "passed" && concerns(outcome, path));
  if (held.length) return { text: held.every(isLoose) ? "loose" : "checked", tone: "checked" };
  const keep = keeps.find((item) => pathOf(item.of) === path);
  if (keep) return { text: `kept as ${keep.name}`, tone: "kept" };
  return undefined;
}

/** Only the kind, or that it is there, is checked. */
const isLoose = (outcome: Outcome) => ["kind", "present"].includes(outcome.relation);

function concerns(outcome: Outcome, path: string): boolean {
  if (outcome.verdict === "failed" && outcome.where.includes(path)) return true;
  const subject = pathOf(outcome.of);
  return subject !== undefined && outcome.verdict === "passed" && meets(subject, path);
}

/** What was wanted instead, with the value that a reference stood for: "wanted at least 141.9". */
function wanted(outcome: Outcome, path: string): string {
  // An expected body's reason speaks of the first place that does not fit.
  if (FITS.includes(outcome.relation) && outcome.where.indexOf(path) > 0) return "does not fit";
  const rest = outcome.check.slice(outcome.check.indexOf(outcome.of) + outcome.of.length).trim();
  return `wanted ${outcome.why?.wanted || rest}`;
}
