/** What Trends says, in whole sentences. */
import type { Shapes } from "../../api";
import { capital, count, duration, inWords, listed } from "../../base/format";
import { longFor, momentName } from "../../parts/overTime/time";

export type Followed = Shapes["Followed"];
export type Shifted = Shapes["Shifted"];
export type CaseTrust = Shapes["CaseTrust"];
export type Suite = Shapes["SuiteOverTime"];

/** "Slower by half since 23 Nov, 12:10, build 3.3.0: 190 ms to 290 ms". */
export function movedSentence(moved: Shifted): string {
  const how = moved.ratio > 1 ? "Slower" : "Quicker";
  const by = moved.ratio >= 1.95 ? `${moved.by} as slow` : `${how} ${moved.by}`;
  const build = moved.build ? `, build ${moved.build}` : "";
  return `${by} since ${momentName(moved.at)}${build}: ${duration(moved.before)} to ${duration(moved.after)}`;
}

/** "As it was: 180 ms, nearly all within 260 ms". */
export function asEver(usual: Followed["usual"]): string {
  if (usual?.median == null) return "No times in this stretch";
  return `As it was: ${duration(usual.median)}, nearly all within ${duration(usual.p95)}`;
}

/** Whose it is, below its name. */
export function whose(one: Pick<Followed, "kind" | "owner" | "cases"> & { with?: number }): string {
  if (one.kind === "shared") return `shared, in ${count(one.cases, "case")}`;
  if (one.kind === "operation") return count(one.cases, "case");
  if (one.kind === "host") return "a host, all that was asked there";
  if (one.kind === "case") return "a whole case";
  if (one.kind === "watch") return "a watch";
  return one.owner ? one.owner.name : "";
}

export function heading(
  moved: Shapes["Moved"] | undefined,
  trust: Shapes["Trust"] | undefined,
  over: string,
): string {
  if (!moved || !trust) return "Trends";
  const { slower, quicker } = moved;
  const { unreliable } = trust;
  const since = over ? ` in ${over}` : " in this stretch";
  const parts: string[] = [];
  if (slower) parts.push(`${capital(inWords(slower))} thing${slower > 1 ? "s" : ""} became slower`);
  if (quicker) parts.push(`${parts.length ? inWords(quicker) : capital(inWords(quicker))} became quicker`);
  const times = parts.length ? `${listed(parts)}${since}` : `Nothing became slower${since}`;
  if (!unreliable) return `${times}.`;
  return `${times}; ${inWords(unreliable)} ${unreliable > 1 ? "cases" : "case"} cannot be trusted.`;
}

const percent = (share: number): string => {
  const value = 100 * share;
  return value < 1 && value > 0 ? value.toFixed(1) : String(Math.round(value));
};

/** What is said of a case that may be unreliable. */
export function trustSentences(one: CaseTrust): string[] {
  const rate = `between ${percent(one.low)} and ${percent(one.high)} in 100`;
  const since = one.since ? ` since ${momentName(one.since)}` : "";
  const said: string[] = [];
  if (one.judgement === "unreliable")
    said.push(
      `Failed ${one.bad} times in ${count(one.runs, "run")}${since} and passed again with nothing changed: ${rate}.`,
    );
  else if (one.judgement === "episode")
    said.push(`${count(one.bad, "bad run")} of ${one.runs}, all close together: an episode, not chance.`);
  else said.push(`${one.bad} in ${one.runs}: too few runs to say.`);
  const [first] = one.causes;
  if (first) said.push(`${first.sentence}${one.causes.length > 1 ? `, ${first.times} times` : ""}.`);
  for (const each of one.goesWith) said.push(goesSentence(each));
  if (one.proposal) said.push(one.proposal);
  return said;
}

/** Runs that count neither way. */
export function nobodyAnswered(runs: number): string {
  return `In ${count(runs, "run")} of cases nobody answered at all: that says nothing about the cases.`;
}

function goesSentence(one: Shapes["GoesWith"]): string {
  const bad = one.bad === one.ofBad ? `All ${one.ofBad}` : `${one.bad} of ${one.ofBad}`;
  if (one.kind === "row") return `${bad} whose evidence is kept came ${WHEN.row(one.value)}.`;
  const good = one.good ? `so did ${one.good} of ${one.ofGood} good ones` : "no good one did";
  return `${bad} came ${WHEN[one.kind](one.value)}; ${good}.`;
}

const WHEN: Record<Shapes["GoesWith"]["kind"], (value: string) => string> = {
  hour: (value) => `between ${value} and ${value.slice(0, 2)}:59`,
  weekday: (value) => `on a ${value}`,
  runner: (value) => `on ${value}`,
  beside: (value) => `while “${value}” ran`,
  row: (value) => `in row ${value}`,
};

export function suiteMended(totals: Shapes["SuiteTotals"]): string {
  const { broke, mended, secondsToMend } = totals;
  if (!broke && !mended) return "nothing broke";
  const time = secondsToMend === null ? "" : `, usually after ${longFor(secondsToMend)}`;
  return `${broke} broke, ${mended} mended${time}`;
}
