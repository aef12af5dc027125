import type { CaseRows, RunCase, RunReport } from "../../api";
import { count, duration, whole } from "../../base/format";
import { rowsSentence, total } from "./rows/rows";
import { stepName } from "./rows/steps";

const MOST = 4;

/** How many cases and rows went wrong so far; while it runs to two digits, so that of very many rows the causes are not asked for again at each. */
export function wrongIn(run: RunReport): number {
  const wrong = wrongNow(run);
  return run.state === "finished" ? wrong : Number(wrong.toPrecision(2));
}

const wrongNow = (run: RunReport): number =>
  run.cases.reduce(
    (sum, { verdict, rows }) =>
      sum +
      (verdict === "failed" || verdict === "blocked" ? 1 : 0) +
      (rows?.counts.failed ?? 0) +
      (rows?.counts.blocked ?? 0),
    0,
  );

/** What the tab says: how far it is, or how it ended. */
export function tabOf(run: RunReport): string {
  if (run.state === "finished") return `${capital(run.verdict ?? "finished")}: ${run.title}`;
  const done = run.cases.filter((entry) => entry.state === "finished").length;
  return `${done} of ${whole(run.cases.length)}: ${run.title}`;
}

/** How fast the cases of a run end, and how long it will take yet, while that can be told: "34 cases a second · about 20 s yet". */
export function pace(run: RunReport, now: number): string {
  const ms = run.startedAt ? now - Date.parse(run.startedAt) : 0;
  const done = run.cases.filter((entry) => entry.state === "finished").length;
  const rows = run.cases.reduce((sum, { rows }) => sum + (rows ? total(rows, new Set()) : 0), 0);
  if (run.state !== "running" || ms < LEAST_MS || !(done || rows)) return "";
  const left = done > 1 ? ((run.cases.length - done) * ms) / done : 0;
  const rate = rows > done ? perSecond(rows, ms, "row") : perSecond(done, ms, "case");
  return left
    ? `${rate} · about ${duration(left < 10_000 ? left : 1000 * Math.round(left / 1000))} yet`
    : rate;
}

const LEAST_MS = 1_000;

function perSecond(number: number, ms: number, what: string): string {
  const rate = (number * 1000) / ms;
  if (rate < 1) return `${(rate * 60).toPrecision(2)} ${what}s a minute`;
  return `${rate < 10 ? rate.toPrecision(2) : whole(Math.round(rate))} ${what}s a second`;
}

/** The outcome as sentences, the count first, then the worst cases, each with its step and reason; `byCause`: these are told by their causes. */
export function sentences(run: RunReport, byCause = false): string[] {
  const done = run.cases.filter((entry) => entry.state === "finished");
  if (run.state !== "finished") {
    return [
      run.state === "waiting"
        ? "Waiting for a runner."
        : run.cases.length === 1 && run.cases[0]?.rows
          ? `${count(total(run.cases[0].rows, new Set()), "row")} done.`
          : `${done.length} of ${count(run.cases.length, "case")} done.`,
      ...trouble(run, byCause),
    ];
  }
  const alone = run.cases.length === 1 ? run.cases[0] : undefined;
  if (alone?.rows && Object.keys(alone.rows.counts).length)
    return [rowsSentence(alone.rows), ...rowTrouble(alone, alone.rows, byCause)];
  const passed = run.cases.filter((entry) => entry.verdict === "passed").length;
  const first =
    passed === run.cases.length
      ? run.cases.length === 1
        ? "Passed."
        : `All ${count(run.cases.length, "case")} passed.`
      : run.cases.length === 1
        ? `${capital(run.verdict ?? "")}.`
        : `${passed} of ${count(run.cases.length, "case")} passed.`;
  return [first, ...trouble(run, byCause)];
}

/** The first row of each kind of trouble, and how many more there are: "Row 7 failed at Ask for a berth: …" */
function rowTrouble(entry: RunCase, rows: CaseRows, byCause: boolean): string[] {
  const words = {
    failed: "failed",
    blocked: "was blocked",
    unchecked: "checks nothing",
    passed: "",
    skipped: "",
  };
  const left = rows.told.filter((row) => !byCause || row.verdict === "unchecked");
  const told = left.map((row) => {
    const at = row.part ? ` at ${stepName(entry, row.part, row.index)}` : "";
    const more = (rows.counts[row.verdict] ?? 1) - 1;
    const others = more ? `, as ${more === 1 ? "one more does" : `${whole(more)} more do`}` : "";
    const why = row.why ? `: ${row.why.sentence}` : "";
    return ended(`Row ${row.row} ${words[row.verdict]}${at}${others}${why}`);
  });
  const code = entry.why?.code ?? "";
  return code && !code.startsWith("rows-bad") && entry.why && !byCause
    ? [...told, ended(capital(entry.why.sentence))]
    : told;
}

function capital(word: string): string {
  return word.charAt(0).toUpperCase() + word.slice(1);
}

function trouble(run: RunReport, byCause: boolean): string[] {
  const order = byCause ? ["unchecked"] : ["failed", "blocked", "unchecked"];
  const bad = run.cases
    .filter((entry) => entry.verdict && order.includes(entry.verdict))
    .sort((a, b) => order.indexOf(a.verdict ?? "") - order.indexOf(b.verdict ?? ""));
  // What came so in every environment is told once.
  const alike = new Map<string, RunCase[]>();
  for (const entry of bad) {
    const key = `${entry.case} ${entry.verdict}`;
    alike.set(key, [...(alike.get(key) ?? []), entry]);
  }
  const once = [...alike.values()];
  const told = once
    .slice(0, MOST)
    .map((entries) =>
      sentence(entries[0] as RunCase, run.cases.length === 1, entries.length < run.environments.length),
    );
  if (once.length > MOST) told.push(`${count(once.length - MOST, "more case")} did not pass.`);
  return told;
}

function sentence(entry: RunCase, alone: boolean, several: boolean): string {
  const step = entry.steps.find((item) => item.verdict === entry.verdict);
  const name = step ? stepName(entry, step.part, step.index) : "";
  const who = alone ? "It" : `“${entry.name}”${several ? ` against ${entry.environment}` : ""}`;
  const why = ended(entry.why?.sentence ?? "");
  if (entry.rows && entry.verdict !== "unchecked") return `${who}: ${why}`;
  if (entry.verdict === "failed") return `${who} failed at ${name}: ${why}`;
  if (entry.verdict === "blocked") return `${who} was blocked at ${name}: ${why}`;
  return `${who} checks nothing at ${name}.`;
}

/** "12 cases · 29 steps": how much there was. */
export function tally(run: RunReport): string {
  const steps = run.cases.reduce(
    (sum, entry) => sum + entry.steps.filter((step) => step.verdict !== "skipped").length,
    0,
  );
  const rows = run.cases.reduce((sum, entry) => sum + (entry.rows ? total(entry.rows, new Set()) : 0), 0);
  const words = [count(run.cases.length, "case")];
  if (rows) words.push(count(rows, "row"));
  else if (steps) words.push(`${count(steps, "step")} carried out`);
  return words.join(" · ");
}

function ended(sentence: string): string {
  return /[.?]$/.test(sentence) ? sentence : `${sentence}.`;
}
