import type { Seen, SeenPlace } from "../api";
import { type Json, readExact } from "../base/exact";
import { namesOf } from "../base/places";
import type { Picked } from "../parts/tree/picked";
import type { CheckDocument } from "./document";
import { literally } from "./expectedBody";

/** What the last answers have shown, by place. */
export type SeenPlaces = Map<string, SeenPlace>;

export const byPath = (seen: Seen | undefined): SeenPlaces =>
  new Map((seen?.places ?? []).map((place) => [place.path, place]));

/** A check that expects a node as it is; none for a value that is masked. */
export function asItIs(picked: Picked, path = picked.path): CheckDocument | undefined {
  if (picked.kind === "list") return { of: path, count: picked.count };
  if (picked.kind === "object") return { of: path, present: true };
  if (picked.unit) return { of: path, "at most": roomFor(Number(picked.text), picked.unit) };
  return picked.text.includes("●●●") ? undefined : { of: path, is: readExact(picked.text) };
}

const ROUND = [1, 2, 3, 5, 10];

/** A limit for what is measured: about twice what it was, a round number with its unit. */
export function roomFor(value: number, unit: "duration" | "size"): string {
  const [scaled, name] =
    unit === "duration"
      ? value < 500_000
        ? [value / 1000, "ms"]
        : [value / 1_000_000, "s"]
      : value < 500
        ? [value, "B"]
        : value < 500_000
          ? [value / 1000, "kB"]
          : [value / 1_000_000, "MB"];
  const wanted = Math.max(scaled * 2, unit === "duration" && name === "ms" ? 10 : 1);
  const power = 10 ** Math.floor(Math.log10(wanted));
  const round = ROUND.find((step) => step * power >= wanted) ?? 10;
  return `${round * power} ${name}`;
}

export const anyOfKind = (picked: Picked, path = picked.path): CheckDocument => ({
  of: path,
  kind: picked.kind,
});

export const isThere = (_picked: Picked, path: string): CheckDocument => ({ of: path, present: true });

const MOST_ALTERNATIVES = 6;

/** A check for one of the values that the last answers have shown, where these are few and more than one. */
export function oneOfSeen(place: SeenPlace | undefined, path: string): CheckDocument | undefined {
  if (!place || place.distinct < 2 || place.distinct > MOST_ALTERNATIVES) return undefined;
  if (!place.kinds.every((kind) => kind === "text" || kind === "number" || kind === "null")) return undefined;
  if (place.values.some((value) => value.includes("●●●"))) return undefined;
  return { of: path, "is one of": place.values.map((value) => readExact(value)) };
}

/** A place that was left loose, and why. */
export interface Loosened {
  path: string;
  why: string;
}

/** Every leaf as it is; what the last answers had otherwise only in its kind, with the reason as the check's note. Of a list
 * whose length varied, each item's fields in their kinds. */
export function everything(
  leaves: Picked[],
  seen: SeenPlaces,
): { checks: CheckDocument[]; loosened: Loosened[] } {
  const checks = new Map<string, CheckDocument>();
  const loosened = new Map<string, string>();
  for (const leaf of leaves) {
    const list = varyingList(leaf.path, seen);
    const [path, why] = list ?? [leaf.path, seen.get(leaf.path)?.loose?.sentence];
    if (checks.has(path)) continue;
    const exact = asItIs(leaf, path);
    if (why === undefined && exact) checks.set(path, exact);
    else if (why !== undefined) {
      loosened.set(path, why);
      checks.set(path, { ...loose(leaf, path, seen.get(leaf.path)), note: why });
    }
  }
  return {
    checks: [...checks.values()],
    loosened: [...loosened].map(([path, why]) => ({ path, why })),
  };
}

/** One expected body for everything below a branch: what the last answers had otherwise stands as a loose value of its kind. */
export function asBody(
  branch: Picked,
  path: string,
  seen: SeenPlaces,
): { check: CheckDocument; loosened: Loosened[] } | undefined {
  const loosened = new Map<string, string>();
  const varied = new Set<string>();
  let body: Json | undefined;
  for (const leaf of branch.below()) {
    if (leaf.text.includes("●●●")) continue;
    const list = varyingList(leaf.path, seen);
    const why = list?.[1] ?? seen.get(leaf.path)?.loose?.sentence;
    if (list) varied.add(listOf(list[0]));
    if (why !== undefined) loosened.set(list?.[0] ?? leaf.path, why);
    body = placed(body, namesOf(leaf.path.slice(branch.path.length)), pattern(leaf, why !== undefined, seen));
  }
  if (body === undefined) return undefined;
  for (const list of varied) {
    const inner = namesOf(list.slice(branch.path.length));
    const items = inner.reduce<Json | undefined>((at, key) => (at as { [key: string]: Json })?.[key], body);
    if (Array.isArray(items) && items.length) items.splice(0, items.length, "[?every]", items[0] as Json);
  }
  return {
    check: { of: path, fits: body },
    loosened: [...loosened].map(([place, why]) => ({ path: place, why })),
  };
}

const listOf = (path: string): string => path.slice(0, path.indexOf("[*]"));

/** What stands at a leaf's place of the expected body. */
function pattern(leaf: Picked, loosely: boolean, seen: SeenPlaces): Json {
  if (leaf.kind === "list") return [];
  if (leaf.kind === "object") return {};
  const kinds = seen.get(leaf.path)?.kinds.length ?? 1;
  if (loosely) return kinds > 1 || leaf.kind === "null" ? "[?]" : `[?${leaf.kind}]`;
  return literally(readExact(leaf.text));
}

/** The body with a value at a place; lists by index, objects by name. A name that ends in ? is written with two. */
function placed(body: Json | undefined, keys: string[], value: Json): Json {
  const [key, ...rest] = keys;
  if (key === undefined) return value;
  if (/^\d+$/.test(key)) {
    const list = Array.isArray(body) ? body : [];
    list[Number(key)] = placed(list[Number(key)], rest, value);
    return list;
  }
  const name = key.endsWith("?") ? `${key}?` : key;
  const object =
    body && typeof body === "object" && !Array.isArray(body) ? (body as { [key: string]: Json }) : {};
  object[name] = placed(object[name], rest, value);
  return object;
}

function loose(leaf: Picked, path: string, place: SeenPlace | undefined): CheckDocument {
  const kinds = place?.kinds.length ?? 1;
  return kinds > 1 || leaf.kind === "null" ? { of: path, present: true } : anyOfKind(leaf, path);
}

/** The path with `[*]` for the index in the outermost list whose length varied, and the reason; none where none did. */
function varyingList(path: string, seen: SeenPlaces): [string, string] | undefined {
  for (const found of path.matchAll(/\[\d+\]/g)) {
    const list = path.slice(0, found.index);
    const why = seen.get(list)?.loose?.sentence;
    if (why) return [`${list}[*]${path.slice(found.index + found[0].length)}`, `the list’s length: ${why}`];
  }
  return undefined;
}

/** Every answer has it, and always of one kind. */
export const isAlwaysThere = (picked: Picked | undefined): boolean =>
  picked !== undefined && (picked.unit !== undefined || ["status", "type"].includes(picked.path));

/** What a check of a place as it is now would say of it. */
export function asNow(picked: Picked): string {
  if (picked.unit) return `at most ${roomFor(Number(picked.text), picked.unit)}`;
  if (picked.kind === "list") return `${picked.count} items`;
  return picked.kind === "object" ? "it is there" : short(picked.text);
}

/** A value in a few letters; text in quotation marks. */
export function short(text: string): string {
  const plain = text.replace(/^"(.*)"$/s, "$1");
  const cut = plain.length > 24 ? `${plain.slice(0, 23)}…` : plain;
  return plain === text && /^-?[\d.]+$|^(true|false|null)$/.test(text) ? cut : `“${cut}”`;
}
