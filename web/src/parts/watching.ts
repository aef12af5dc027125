import type { Outcome, Step, StepEvidence } from "../app/api";
import type { Watched } from "./tree/picked";

export type Keeps = NonNullable<Step["keep"]>;

const SUBJECT = /^(?:any of )?(\$[^\s|]*)/;

/** A path with wildcards or filters as a pattern over exact paths. */
function pattern(path: string): RegExp {
  const escaped = path
    .replace(/\[\?[^\]]*\]/g, "[*]")
    .replace(/[.*+?^${}()|[\]\\]/g, "\\$&")
    .replace(/\\\[\\\*\\\]|\\\.\\\*/g, "(?:\\[\\d+\\]|\\.[^.[]+)");
  return new RegExp(`^${escaped}$`);
}

const patterns = new Map<string, RegExp>();

function meets(subject: string, path: string): boolean {
  if (subject === path) return true;
  if (!/[*?]/.test(subject)) return false;
  let known = patterns.get(subject);
  if (!known) {
    known = pattern(subject);
    patterns.set(subject, known);
  }
  return known.test(path);
}

/** Which check or keep of a step watches the node at a path; a failing check comes first. */
export function watching(step: StepEvidence, path: string, keeps: Keeps = []): Watched | undefined {
  const failed = step.checks.find((outcome) => outcome.verdict === "failed" && concerns(outcome, path));
  if (failed) return { text: wanted(failed), tone: "failed" };
  const held = step.checks.filter((outcome) => outcome.verdict === "passed" && concerns(outcome, path));
  if (held.length) return { text: held.every(isLoose) ? "loose" : "checked", tone: "checked" };
  const keep = keeps.find((item) => SUBJECT.exec(item.of)?.[1] === path);
  if (keep) return { text: `kept as ${keep.name}`, tone: "kept" };
  return undefined;
}

/** Only the kind, or that it is there, is checked. */
const isLoose = (outcome: Outcome) => / is (of kind \w+|present)$/.test(outcome.check);

function concerns(outcome: Outcome, path: string): boolean {
  if (outcome.verdict === "failed" && outcome.where.includes(path)) return true;
  const subject = SUBJECT.exec(outcome.check)?.[1];
  return subject !== undefined && outcome.verdict === "passed" && meets(subject, path);
}

/** What was wanted instead, with the value that a reference stood for: "wanted at least 141.9". */
function wanted(outcome: Outcome): string {
  const said = outcome.why?.sentence.split("expected ")[1];
  return `wanted ${said ?? outcome.check.replace(SUBJECT, "").trim()}`;
}
