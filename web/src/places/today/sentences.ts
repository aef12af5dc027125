/** What Today says, in whole sentences. */
import type { Shapes } from "../../api";
import { ago, capital, clock, count, inWords, listed } from "../../base/format";

export type Item = Shapes["TodayItem"];
type Kind = Item["kind"];

const NEWS: Kind[] = ["broke", "outage", "too fast"];
const LASTING: Kind[] = ["still broken", "outage lasts", "known over"];
const WEEKDAY = new Intl.DateTimeFormat("en-GB", { weekday: "long" });
const DATE = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "long" });
const DAY_MS = 86_400_000;

/** "Friday 17:00"; today only the time; further back than a week the date. */
export function momentSaid(moment: string, now = Date.now()): string {
  const at = new Date(moment);
  if (at.toDateString() === new Date(now).toDateString()) return clock(moment);
  const day = now - at.getTime() < 6.5 * DAY_MS ? WEEKDAY.format(at) : DATE.format(at);
  return `${day} ${clock(moment)}`;
}

/** "Two things broke since Friday 17:00." */
export function heading(items: Item[], since: string, now = Date.now()): string {
  const broke = items.filter((one) => NEWS.includes(one.kind)).length;
  const lasting = items.filter((one) => LASTING.includes(one.kind)).length;
  const from = momentSaid(since, now);
  if (broke) return `${capital(inWords(broke))} thing${broke === 1 ? "" : "s"} broke since ${from}.`;
  if (lasting)
    return `Nothing broke since ${from}; ${inWords(lasting)} thing${lasting === 1 ? " is" : "s are"} broken as before.`;
  return `Nothing broke since ${from}.`;
}

/** "39 of 41 cases pass · one of 5 watches fails". */
export function standing(
  all: Shapes["SuiteTotals"] | undefined,
  watches: { fails: number; of: number },
): string {
  const said: string[] = [];
  if (all?.cases) {
    const pass = all.cases - all.badNow - all.knownNow - all.uncheckedNow;
    said.push(`${pass} of ${count(all.cases, "case")} pass`);
  }
  if (watches.of)
    said.push(
      watches.fails
        ? `${inWords(watches.fails)} of ${count(watches.of, "watch", "watches")} ${watches.fails === 1 ? "fails" : "fail"}`
        : `${watches.of === 1 ? "the watch is" : `all ${watches.of} watches are`} well`,
    );
  return said.join(" · ");
}

const WHEN: Record<Kind, (moment: string) => string> = {
  broke: (moment) => `broke ${ago(moment)}`,
  outage: (moment) => `broke ${ago(moment)}`,
  "too fast": (moment) => `since ${momentSaid(moment)}`,
  "still broken": (moment) => `since ${momentSaid(moment)}`,
  "outage lasts": (moment) => `since ${momentSaid(moment)}`,
  "known over": (moment) => `since ${momentSaid(moment)}`,
  "not delivered": (moment) => `tried ${ago(moment)}`,
  "not told": (moment) => `tried ${ago(moment)}`,
  slower: (moment) => `since ${momentSaid(moment)}`,
  unreliable: (moment) => `last ${ago(moment)}`,
  unchecked: (moment) => `since ${momentSaid(moment)}`,
  recovered: (moment) => `since ${momentSaid(moment)}`,
  "outage over": (moment) => `since ${momentSaid(moment)}`,
  hiccup: (moment) => `well since ${momentSaid(moment)}`,
  known: (moment) => `since ${momentSaid(moment)}`,
};

export const whenSaid = (item: Item): string => WHEN[item.kind](item.at);

/** What a thing is, where it is no case. */
const ABOUT: Partial<Record<Item["what"], string>> = { watch: "a watch", series: "its times" };

export const named = (item: Pick<Item, "what" | "name">): string =>
  ABOUT[item.what] ? `${item.name}, ${ABOUT[item.what]}` : item.name;

/** "and 3 more of the same cause: A, B and C". */
export function othersSaid(item: Item): string {
  if (!item.more) return "";
  const shown = item.others.slice(0, 3).map(named);
  const more = item.more - shown.length;
  return `The same cause: ${listed(more ? [...shown, `${more} more`] : shown)}.`;
}
