/** Stretches of time, and where moments lie on them. Moments are milliseconds since 1970. */

import type { Stretch } from "../../api/watches";

export interface Span {
  begin: number;
  end: number;
}

const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
const DAY = 24 * HOUR;

/** What can be looked at up to now, by how one says it. */
export const LASTING: Record<string, number> = {
  "an hour": HOUR,
  "a day": DAY,
  "a week": 7 * DAY,
  "30 days": 30 * DAY,
  "a year": 365 * DAY,
};
export const SHORTEST = 10 * MINUTE;
/** As the server has them: what is longer, or before, cannot be looked at. */
const LONGEST = 3_660 * DAY;
const EARLIEST = Date.UTC(2000, 0);
const TICKS = [
  1 * MINUTE,
  2 * MINUTE,
  5 * MINUTE,
  10 * MINUTE,
  30 * MINUTE,
  HOUR,
  3 * HOUR,
  6 * HOUR,
  12 * HOUR,
  DAY,
  2 * DAY,
  7 * DAY,
  14 * DAY,
  30 * DAY,
  91 * DAY,
];

export const stretchOf = ({ begin, end }: Span): Stretch => ({
  from: new Date(begin).toISOString(),
  to: new Date(end).toISOString(),
});

/** What an address says by `from` and `to`; undefined where that is no stretch that can be looked at. */
export function spanIn(search: URLSearchParams): Span | undefined {
  const [begin = Number.NaN, end = Number.NaN] = ["from", "to"].map((name) =>
    Date.parse(search.get(name) ?? ""),
  );
  const sound = EARLIEST <= begin && begin < end && end - begin <= LONGEST && end <= Date.now() + LONGEST;
  return sound ? { begin, end } : undefined;
}

/** A day as an address says it; undefined where it is none. */
export function dayIn(search: URLSearchParams, name: string): string | undefined {
  const said = search.get(name) ?? "";
  return /^2\d{3}-\d\d-\d\d$/.test(said) && !Number.isNaN(Date.parse(said)) ? said : undefined;
}

/** Where a moment lies: 0 at the begin, 1 at the end. */
export const placeOf = (span: Span, moment: number): number =>
  (moment - span.begin) / (span.end - span.begin);

/** The span between two places of another, at least ten minutes long, and whole seconds. */
export function within(span: Span, one: number, other: number): Span {
  const length = span.end - span.begin;
  const [low, high] = [Math.min(one, other), Math.max(one, other)].map((at) => span.begin + at * length);
  const middle = ((low ?? 0) + (high ?? 0)) / 2;
  const half = Math.max((high ?? 0) - (low ?? 0), SHORTEST) / 2;
  const whole = (at: number) => Math.round(at / 1000) * 1000;
  return { begin: whole(middle - half), end: whole(middle + half) };
}

/** Moments to be named below a stretch, about so many, by the viewer's clocks. */
export function ticks(span: Span, most: number): number[] {
  const wanted = (span.end - span.begin) / Math.max(most, 1);
  const step = TICKS.find((each) => each >= wanted) ?? 182 * DAY;
  const found: number[] = [];
  if (step < DAY) {
    const midnight = new Date(span.begin).setHours(0, 0, 0, 0);
    for (let at = midnight; at <= span.end; at += step) if (at >= span.begin) found.push(at);
    return found;
  }
  const day = new Date(span.begin);
  day.setHours(0, 0, 0, 0);
  for (; day.getTime() <= span.end; day.setDate(day.getDate() + Math.round(step / DAY)))
    if (day.getTime() >= span.begin) found.push(day.getTime());
  return found;
}

const CLOCK = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit" });
const DATE = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short" });
const BOTH = new Intl.DateTimeFormat("en-GB", {
  day: "numeric",
  month: "short",
  hour: "2-digit",
  minute: "2-digit",
});

/** A tick's name: the day where one begins, else the time. */
export function tickName(moment: number, span: Span): string {
  const at = new Date(moment);
  const midnight = at.getHours() === 0 && at.getMinutes() === 0;
  return midnight && span.end - span.begin > 6 * HOUR ? DATE.format(at) : CLOCK.format(at);
}

/** A moment in the viewer's zone: the time alone on the day of `now`, else with its date. */
export function momentName(moment: string | number, now = Date.now(), seconds = false): string {
  const at = new Date(moment);
  const exact = seconds ? `:${String(at.getSeconds()).padStart(2, "0")}` : "";
  return (at.toDateString() === new Date(now).toDateString() ? CLOCK : BOTH).format(at) + exact;
}

/** Moments one after the other, with seconds where they are less than some minutes apart. */
export function momentNames(moments: string[]): string[] {
  const [first, last] = [moments[0], moments.at(-1)].map((one) => Date.parse(one ?? ""));
  const close = (last ?? 0) - (first ?? 0) < moments.length * 3 * MINUTE;
  return moments.map((one) => momentName(one, Date.now(), close));
}

/** From when to when, as it is read. */
export const spanName = ({ begin, end }: Span, now = Date.now()): string =>
  `${momentName(begin, now)} to ${momentName(end, now)}`;

/** So many seconds, as one says it: 40 s, 24 min, 3.5 h, 2 days. */
export function longFor(seconds: number): string {
  if (seconds < 60) return `${Math.round(seconds)} s`;
  if (seconds < 2 * 3600) return `${Math.round(seconds / 60)} min`;
  if (seconds < 2 * 86_400) return `${Number((seconds / 3600).toFixed(1))} h`;
  return `${Number((seconds / 86_400).toFixed(1))} days`;
}
