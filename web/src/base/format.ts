/** Numbers, times and sizes as every page shows them. */

// narrow, and no line ends at it
const THIN = "\u202f";

export function whole(value: number): string {
  return String(value).replace(/\B(?=(\d{3})+(?!\d))/g, THIN);
}

/** Milliseconds below one second, seconds above. */
export function duration(ms: number | null | undefined): string {
  if (ms === null || ms === undefined) return "";
  if (ms < 0.05) return "0 ms";
  if (ms >= 1000) return `${(ms / 1000).toFixed(ms >= 10_000 ? 0 : 1)} s`;
  return ms >= 10 || ms === 0 ? `${Math.round(ms)} ms` : `${ms.toFixed(1)} ms`;
}

export function size(bytes: number): string {
  if (bytes < 1000) return `${bytes} B`;
  if (bytes < 1_000_000) return `${(bytes / 1000).toFixed(1)} kB`;
  if (bytes < 1_000_000_000) return `${(bytes / 1_000_000).toFixed(1)} MB`;
  return `${(bytes / 1_000_000_000).toFixed(1)} GB`;
}

/** "4 min ago", from RFC 3339. */
export function ago(moment: string | null | undefined, now = Date.now()): string {
  if (!moment) return "";
  const seconds = Math.max(0, (now - Date.parse(moment)) / 1000);
  if (seconds < 10) return "just now";
  if (seconds < 60) return `${Math.round(seconds)} s ago`;
  if (seconds < 3600) return `${Math.round(seconds / 60)} min ago`;
  if (seconds < 86_400) return `${Math.round(seconds / 3600)} h ago`;
  const days = Math.round(seconds / 86_400);
  return days === 1 ? "yesterday" : `${days} days ago`;
}

/** How long it has been so, from RFC 3339: "4 min", "3 days". */
export function lasting(since: string | null | undefined, now = Date.now()): string {
  const words = ago(since, now);
  return { "just now": "a moment", yesterday: "a day" }[words] ?? words.replace(/ ago$/, "");
}

// One for all: making it takes a thousand times as long as using it.
const EXACT = new Intl.DateTimeFormat("en-GB", {
  dateStyle: "medium",
  timeStyle: "long",
});

/** The exact moment in the viewer's zone, with the zone. */
export function exactly(moment: string | null | undefined): string {
  return moment ? EXACT.format(new Date(moment)) : "";
}

const DAY = new Intl.DateTimeFormat("en-GB", { dateStyle: "medium", timeZone: "UTC" });

/** A day that is given as 2026-12-24: 24 Dec 2026. */
export const day = (written: string): string => DAY.format(new Date(`${written}T00:00:00Z`));

export function count(number: number, one: string, many = `${one}s`): string {
  return `${whole(number)} ${number === 1 ? one : many}`;
}

/** "a, b and c". */
export function listed(words: string[]): string {
  if (words.length < 2) return words.join("");
  return `${words.slice(0, -1).join(", ")} and ${words.at(-1)}`;
}

const ON_DAY = new Intl.DateTimeFormat("en-GB", { dateStyle: "full" });
const CLOCK = new Intl.DateTimeFormat("en-GB", { timeStyle: "short" });

/** The day of a moment in the viewer's zone, with its weekday; empty of none. */
export const onDay = (moment: string): string => (moment ? ON_DAY.format(new Date(moment)) : "");

/** The time of day of a moment in the viewer's zone. */
export const clock = (moment: string): string => CLOCK.format(new Date(moment));

/** `2026-11-30`: the day of a moment (milliseconds) by the viewer's clocks, as fields for days have it. */
export function dayOf(moment: number): string {
  const at = new Date(moment);
  return [at.getFullYear(), at.getMonth() + 1, at.getDate()]
    .map((part) => String(part).padStart(2, "0"))
    .join("-");
}

const WORDS = ["no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten"];

/** A number within a sentence: in words up to ten. */
export const inWords = (number: number): string => WORDS[number] ?? String(number);

/** A text as a sentence begins. */
export const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);
