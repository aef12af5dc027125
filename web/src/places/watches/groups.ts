/** Watches found, in an order, and by group. */

import { type Over, rankOf, type Watch } from "./sentences";

export const ORDERS = ["by trouble", "by name", "by supplier", "by tag"] as const;
export type Order = (typeof ORDERS)[number];

/** Watches that have the words, in their order, by group. */
export function grouped(
  items: Watch[],
  overs: Map<string, Over>,
  wanted: string,
  order: Order,
): [string, Watch[]][] {
  const words = wanted.toLowerCase().split(/\s+/).filter(Boolean);
  const found = items.filter((watch) => {
    const text = [watch.name, watch.targetName, watch.environment, watch.supplier, ...watch.tags]
      .join(" ")
      .toLowerCase();
    return words.every((word) => text.includes(word));
  });
  const trouble = (watch: Watch) => overs.get(watch.id)?.badSeconds ?? 0;
  if (order !== "by name")
    found.sort((one, other) => rankOf(one) - rankOf(other) || trouble(other) - trouble(one));
  if (order === "by name" || order === "by trouble") return found.length ? [["", found]] : [];
  const groups = new Map<string, Watch[]>();
  for (const watch of found) {
    const names = order === "by tag" ? watch.tags : [watch.supplier].filter(Boolean);
    for (const name of names.length ? names : [order === "by tag" ? "Without a tag" : "Our own"])
      groups.set(name, [...(groups.get(name) ?? []), watch]);
  }
  return [...groups].sort(([one], [other]) => one.localeCompare(other));
}
