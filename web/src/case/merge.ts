import { isFields, type Json, writeExact } from "../base/exact";
import type { Document } from "./document";

/** The way to a place of a document: names of fields, and steps by their keys. */
export type Way = string[];

/** A place that both sides changed otherwise. `part`: only these items of the list there clash. */
export interface Clash {
  way: Way;
  mine: Json | undefined;
  theirs: Json | undefined;
  part: boolean;
}

type Fields = { [name: string]: Json };

/** What `mine` changed since `base`, made on top of `theirs`. Where both changed the same place, theirs stands, and the
 * clash says what mine was, so that nothing is lost. */
export function merged(
  base: Document,
  mine: Document,
  theirs: Document,
): { document: Document; clashes: Clash[] } {
  const clashes: Clash[] = [];
  const document = ofFields(base, mine, theirs, [], clashes) as Document;
  return { document, clashes };
}

export const same = (left: unknown, right: unknown) =>
  left === right || writeExact(left) === writeExact(right);

/** Put my side of a clash in the place of theirs. */
export function takeMine(clash: Clash, document: Document): Document {
  const put = (value: Json | undefined, way: Way): Json | undefined => {
    const [name, ...rest] = way;
    if (name === undefined) {
      if (!clash.part || !Array.isArray(value)) return clash.mine;
      const theirs = (clash.theirs as Json[]).map(writeExact);
      const at = value.findIndex((item) => theirs.includes(writeExact(item)));
      const left = value.filter((item) => !theirs.includes(writeExact(item)));
      left.splice(at < 0 ? left.length : at, 0, ...(clash.mine as Json[]));
      return left;
    }
    if (Array.isArray(value)) {
      const known = value.some((item) => keyOf(item) === name);
      const items = known ? value : [...value, { key: name }];
      return items.flatMap((item) => (keyOf(item) === name ? (put(item, rest) ?? []) : [item]));
    }
    const next = { ...((value as Fields) ?? {}) };
    const changed = put(next[name], rest);
    if (changed === undefined) delete next[name];
    else next[name] = changed;
    return next;
  };
  return put(document, clash.way) as Document;
}

function either(
  base: Json | undefined,
  mine: Json | undefined,
  theirs: Json | undefined,
  way: Way,
  clashes: Clash[],
): Json | undefined {
  if (same(base, mine)) return theirs;
  if (same(base, theirs) || same(mine, theirs)) return mine;
  if (isFields(mine) && isFields(theirs))
    return ofFields(isFields(base) ? base : {}, mine, theirs, way, clashes);
  if (Array.isArray(mine) && Array.isArray(theirs)) {
    const begun = Array.isArray(base) ? base : [];
    const keyed = [...begun, ...mine, ...theirs].every((item) => keyOf(item) !== undefined);
    return keyed
      ? ofSteps(begun, mine, theirs, way, clashes)
      : ofItems(begun, mine, theirs, (part) => clashes.push({ way, ...part, part: true }));
  }
  clashes.push({ way, mine, theirs, part: false });
  return theirs;
}

function ofFields(base: Fields, mine: Fields, theirs: Fields, way: Way, clashes: Clash[]): Fields {
  const found: Fields = {};
  for (const name of new Set([...Object.keys(theirs), ...Object.keys(mine)])) {
    const value = either(base[name], mine[name], theirs[name], [...way, name], clashes);
    if (value !== undefined) found[name] = value;
  }
  return found;
}

/** Steps by their keys: each merged by itself, in the order of the side that moved them. */
function ofSteps(base: Json[], mine: Json[], theirs: Json[], way: Way, clashes: Clash[]): Json[] {
  const [was, my, their] = [base, mine, theirs].map((items) => new Map(items.map((s) => [keyOf(s), s])));
  if (!was || !my || !their) return theirs;
  const common = [...was.keys()].filter((key) => my.has(key) && their.has(key));
  const order = (side: Map<unknown, Json>) =>
    [...side.keys()].filter((key) => common.includes(key as string));
  const iMoved = !same(order(was), order(my));
  const [first, second] = iMoved ? [my, their] : [their, my];
  const keys = [...first.keys()];
  const others = [...second.keys()];
  others.forEach((key, at) => {
    if (keys.includes(key)) return;
    const before = others.slice(0, at).findLast((other) => keys.includes(other));
    keys.splice(before === undefined ? 0 : keys.indexOf(before) + 1, 0, key);
  });
  return keys.flatMap((key) => {
    const merged = either(was.get(key), my.get(key), their.get(key), [...way, key as string], clashes);
    return merged === undefined ? [] : [merged];
  });
}

/** A list whose items have no identity but what they are, such as checks. */
function ofItems(
  base: Json[],
  mine: Json[],
  theirs: Json[],
  clash: (part: { mine: Json[]; theirs: Json[] }) => void,
): Json[] {
  const [b, m, t] = [base.map(writeExact), mine.map(writeExact), theirs.map(writeExact)];
  const inMine = pairs(b, m);
  const inTheirs = pairs(b, t);
  const out: Json[] = [];
  let [fromB, fromM, fromT] = [0, 0, 0];
  while (fromB <= b.length) {
    let stable = fromB;
    while (stable < b.length && (inMine[stable] === undefined || inTheirs[stable] === undefined)) stable++;
    const toM = inMine[stable] ?? m.length;
    const toT = inTheirs[stable] ?? t.length;
    const chunk = (items: Json[], from: number, to: number) => items.slice(from, to);
    out.push(
      ...ofChunk(chunk(base, fromB, stable), chunk(mine, fromM, toM), chunk(theirs, fromT, toT), clash),
    );
    if (stable < b.length) out.push(theirs[toT] as Json);
    [fromB, fromM, fromT] = [stable + 1, toM + 1, toT + 1];
  }
  return out;
}

function ofChunk(
  base: Json[],
  mine: Json[],
  theirs: Json[],
  clash: (part: { mine: Json[]; theirs: Json[] }) => void,
): Json[] {
  if (same(base, mine)) return theirs;
  if (same(base, theirs) || same(mine, theirs)) return mine;
  const without = (items: Json[], others: Json[]) =>
    items.filter((item) => !others.some((other) => same(item, other)));
  const goneByMe = without(base, mine);
  const goneByThem = without(base, theirs);
  const added = without(without(mine, base), theirs);
  if (without(goneByMe, goneByThem).length < goneByMe.length && goneByMe.length && goneByThem.length) {
    clash({ mine, theirs });
    return theirs;
  }
  const place = theirs.findIndex((item) => goneByMe.some((gone) => same(item, gone)));
  const left = without(theirs, goneByMe);
  left.splice(place < 0 ? left.length : place, 0, ...added);
  return left;
}

/** For each item of `left` the place of its equal in `right`, so that as many as possible are paired in order. */
function pairs(left: string[], right: string[]): (number | undefined)[] {
  const longest = Array.from({ length: left.length + 1 }, () => new Uint16Array(right.length + 1));
  for (let i = left.length - 1; i >= 0; i--)
    for (let j = right.length - 1; j >= 0; j--)
      (longest[i] as Uint16Array)[j] =
        left[i] === right[j]
          ? at(longest, i + 1, j + 1) + 1
          : Math.max(at(longest, i + 1, j), at(longest, i, j + 1));
  const found: (number | undefined)[] = [];
  for (let i = 0, j = 0; i < left.length && j < right.length; )
    if (left[i] === right[j]) found[i++] = j++;
    else if (at(longest, i + 1, j) >= at(longest, i, j + 1)) i++;
    else j++;
  return found;
}

const at = (table: Uint16Array[], i: number, j: number) => table[i]?.[j] ?? 0;

function keyOf(item: Json | undefined): string | undefined {
  const key = isFields(item) ? item.key : undefined;
  return typeof key === "string" ? key : undefined;
}
