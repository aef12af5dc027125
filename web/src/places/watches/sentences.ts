/** How a watch stands, in sentences: from whole templates. */

import type { Shapes } from "../../api";
import { count, duration, listed } from "../../base/format";
import { longFor, momentName } from "../../parts/overTime/time";

export type Watch = Shapes["Watch"];
export type Over = Shapes["WatchOver"];
export type Allowance = Shapes["Allowance"];
type State = Watch["standing"]["state"];

/** What is worst comes first. */
const WORST: State[] = ["outage", "bad", "own side", "unchecked", "new", "good", "off"];
export const rankOf = (watch: Watch): number => {
  const rank = watch.problem ? 0 : WORST.indexOf(watch.standing.state);
  const lasts = (kind: string) => watch.lasting.some((one) => one.kind === kind);
  return Math.min(rank, lasts("burn") ? 1 : lasts("slower") ? 1.5 : rank);
};

/** How it stands, what became of it over the stretch, and what trouble it may still have. */
export function sentencesOf(
  watch: Watch,
  over: Over | undefined,
  allowance: Allowance | undefined,
): string[] {
  const nobody =
    watch.noRoutes.length > 0 && `No route is called ${listed(watch.noRoutes)}: nobody is told by it.`;
  return [
    standing(watch),
    ...watch.lasting.map(besides),
    nobody,
    over && past(watch, over),
    allowance?.available && left(allowance),
    ...(allowance?.answers ?? []).map((one) => quick(one, periodOf(allowance))),
  ].filter((sentence): sentence is string => Boolean(sentence));
}

/** `slower by half`, `uses up its allowance too fast`. */
export const briefly = ({ kind, cause }: { kind: string; cause: string }): string =>
  kind === "slower" ? (cause.split(":")[0] ?? "").toLowerCase() : "uses up its allowance too fast";

/** `Slower by half since 08:40: answers took 190 ms, and take 290 ms.` */
function besides({ kind, since, cause }: Watch["lasting"][number]): string {
  if (kind !== "slower") return `${cause}.`;
  const [head, ...rest] = cause.split(": ");
  return `${head} since ${momentName(since)}: ${rest.join(": ")}.`;
}

function standing(watch: Watch): string {
  const { state, since, runs, why, maintenance } = watch.standing;
  if (watch.problem) return `It cannot be read: ${watch.problem}.`;
  const because = why ? `: ${why}` : "";
  switch (state) {
    case "off":
      return "It is off.";
    case "new":
      return watch.nextAt
        ? `It has not run yet; it is due at ${momentName(watch.nextAt)}.`
        : "It is due no more.";
    case "outage":
      return runs
        ? `Failing for ${count(runs, "run")}, since ${momentName(since ?? "")}${because}.`
        : `Failing since ${momentName(since ?? "")}; its last run was good.`;
    case "bad":
      return `${count(runs, "bad run")}, since ${momentName(since ?? "")}${because}.`;
    case "own side":
      return why ? `Our own side: ${why}.` : "Our own side could not keep up; that does not count.";
    case "unchecked":
      return "Its last run checked nothing.";
    case "good":
      return maintenance ? "Agreed maintenance." : "";
  }
}

function past(watch: Watch, over: Over): string {
  if (!over.runs)
    return watch.standing.state === "new" || watch.standing.state === "off" ? "" : "No runs here.";
  const fast =
    over.medianMs === null || over.p95Ms === null
      ? ""
      : `Half of the answers come within ${duration(over.medianMs)}, nearly all within ${duration(over.p95Ms)}.`;
  const well = watch.standing.state === "good" && !watch.lasting.length;
  if (!over.bad) return well ? `Nothing to report. ${fast}` : fast;
  const bad = `${over.bad === 1 ? "One bad run" : count(over.bad, "bad run")} of ${count(over.runs, "run")} here.`;
  return `${bad} ${fast}`;
}

/** A share as it is said, never rounded up to more than it is. */
export const percent = (share: number) =>
  Number((Math.floor(share * 1e6 + 1e-6) / 1e4).toFixed(share > 0.999 ? 4 : 2));

const periodOf = (allowance: Allowance | undefined) =>
  allowance?.days ? `in ${count(allowance.days, "day")}` : "this month";

/** Whether answers come as quickly as was promised; nothing while they do by far. */
function quick(one: Allowance["answers"][number], over: string): string {
  const promised = `${percent(one.share)} % within ${duration(one.ms)}`;
  if (one.beyond > one.allowed)
    return `Breaks ${promised} ${over}: ${count(one.beyond, "answer")} took longer, ${one.allowed} may.`;
  return one.beyond * 2 > one.allowed
    ? `Of ${one.allowed} answers that may take longer than ${duration(one.ms)} ${over}, ${one.beyond} did.`
    : "";
}

function left(allowance: Allowance): string {
  const over = periodOf(allowance);
  const allowed = longFor(allowance.allowedSeconds);
  if (allowance.usedSeconds >= allowance.allowedSeconds)
    return `It has used up its allowance ${over}: ${longFor(allowance.usedSeconds)} of ${allowed}.`;
  return `May still fail for ${longFor(allowance.allowedSeconds - allowance.usedSeconds)} ${over}.`;
}

const NUMBERS = ["No", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine"];
const word = (number: number) => NUMBERS[number] ?? String(number);

/** The page's own sentence. */
export function heading(watches: Watch[]): string {
  const on = watches.filter((watch) => watch.standing.state !== "off");
  const failing = on.filter((watch) => watch.standing.state === "outage").length;
  const shaky = on.filter((watch) => watch.standing.state === "bad").length;
  const all = on.length === 1 ? "The watch" : `${word(failing)} of ${word(on.length).toLowerCase()} watches`;
  if (!watches.length) return "Nothing is watched yet.";
  if (!on.length) return "All watches are off.";
  if (failing) return `${all} ${failing === 1 ? "is" : "are"} failing.`;
  if (shaky) return `${shaky === 1 ? "One watch has" : `${word(shaky)} watches have`} just had a bad run.`;
  const lasts = (kind: string) => on.filter((watch) => watch.lasting.some((one) => one.kind === kind)).length;
  const [burning, slower] = [lasts("burn"), lasts("slower")];
  if (burning === 1) return "One watch uses up its allowance too fast.";
  if (burning) return `${word(burning)} watches use up their allowances too fast.`;
  if (slower) return `${slower === 1 ? "One watch" : `${word(slower)} watches`} became slower.`;
  if (on.every((watch) => watch.standing.state === "new")) return "No watch has run yet.";
  return on.length === 1 ? "The watch is well." : `All ${word(on.length).toLowerCase()} watches are well.`;
}

/** How often there were runs, and whether any fell out. */
export function account(items: Over[], since: string): string {
  const sum = (name: "runs" | "missed" | "skipped" | "interrupted") =>
    items.reduce((total, over) => total + over[name], 0);
  const [missed, skipped, interrupted] = [sum("missed"), sum("skipped"), sum("interrupted")];
  const latest = Math.max(0, ...items.map((over) => over.latestMs));
  const fell = [
    missed ? `${count(missed, "run")} missed` : "none missed",
    skipped ? `${count(skipped, "run")} skipped since the one before was under way` : "",
    interrupted ? `${count(interrupted, "run")} interrupted` : "",
    latest ? `none late by more than ${duration(latest)}` : "none late",
  ].filter(Boolean);
  return `${count(sum("runs"), "run")} since ${since}, ${fell.join(", ")}`;
}
