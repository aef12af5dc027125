import type { RunCase, RunReport } from "../../app/api";
import { count } from "../../app/format";

const MOST = 4;

/** The outcome as sentences, the count first, then the worst cases, each with its step and reason. */
export function sentences(run: RunReport): string[] {
  const done = run.cases.filter((entry) => entry.state === "finished");
  if (run.state !== "finished") {
    return [
      run.state === "waiting"
        ? "Waiting for a runner."
        : `${done.length} of ${count(run.cases.length, "case")} done.`,
      ...trouble(run),
    ];
  }
  const passed = run.cases.filter((entry) => entry.verdict === "passed").length;
  const first =
    passed === run.cases.length
      ? run.cases.length === 1
        ? "Passed."
        : `All ${count(run.cases.length, "case")} passed.`
      : run.cases.length === 1
        ? `${capital(run.verdict ?? "")}.`
        : `${passed} of ${count(run.cases.length, "case")} passed.`;
  return [first, ...trouble(run)];
}

function capital(word: string): string {
  return word.charAt(0).toUpperCase() + word.slice(1);
}

function trouble(run: RunReport): string[] {
  const order = ["failed", "blocked", "unchecked"];
  const bad = run.cases
    .filter((entry) => entry.verdict && order.includes(entry.verdict))
    .sort((a, b) => order.indexOf(a.verdict ?? "") - order.indexOf(b.verdict ?? ""));
  const told = bad.slice(0, MOST).map((entry) => sentence(entry, run.cases.length === 1));
  if (bad.length > MOST) told.push(`${count(bad.length - MOST, "more case")} did not pass.`);
  return told;
}

function sentence(entry: RunCase, alone: boolean): string {
  const step = entry.steps.find((item) => item.verdict === entry.verdict);
  const name = step ? stepName(entry, step.part, step.index) : "";
  const who = alone ? "It" : `“${entry.name}”`;
  const why = ended(entry.why?.sentence ?? "");
  if (entry.verdict === "failed") return `${who} failed at ${name}: ${why}`;
  if (entry.verdict === "blocked") return `${who} was blocked at ${name}: ${why}`;
  return `${who} checks nothing at ${name}.`;
}

export function stepName(entry: RunCase, part: string, index: number): string {
  return (
    entry.stepNames.find((item) => item.part === part && item.index === index)?.name ?? `step ${index + 1}`
  );
}

/** "12 cases · 29 steps": how much there was. */
export function tally(run: RunReport): string {
  const steps = run.cases.reduce(
    (sum, entry) => sum + entry.steps.filter((step) => step.verdict !== "skipped").length,
    0,
  );
  return [count(run.cases.length, "case"), `${count(steps, "step")} carried out`].join(" · ");
}

function ended(sentence: string): string {
  return /[.?]$/.test(sentence) ? sentence : `${sentence}.`;
}
