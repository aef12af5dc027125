/**
 * An index of byte offsets over a JSON text: one entry a node, in document order. Nothing is parsed into values, so that
 * every number keeps its text and 10 MB take little more memory than themselves.
 */

export const KIND = { object: 0, list: 1, text: 2, number: 3, boolean: 4, null: 5 } as const;

export interface TreeIndex {
  bytes: Uint8Array<ArrayBuffer>;
  count: number;
  kind: Uint8Array<ArrayBuffer>;
  depth: Uint16Array<ArrayBuffer>;
  /** Offsets of the key's characters between its quotes; equal where the parent is a list. */
  keyStart: Int32Array<ArrayBuffer>;
  keyEnd: Int32Array<ArrayBuffer>;
  start: Int32Array<ArrayBuffer>;
  end: Int32Array<ArrayBuffer>;
  parent: Int32Array<ArrayBuffer>;
  /** How many nodes the node's part of the tree has, itself included. */
  span: Int32Array<ArrayBuffer>;
  children: Int32Array<ArrayBuffer>;
  /** The node's place among its siblings, from 0. */
  place: Int32Array<ArrayBuffer>;
}

export class NotJson extends Error {}

const MOST_LEVELS = 1000;

function grow<Kind extends Uint8Array<ArrayBuffer> | Uint16Array<ArrayBuffer> | Int32Array<ArrayBuffer>>(
  old: Kind,
  size: number,
): Kind {
  const next = new (old.constructor as new (size: number) => Kind)(size);
  next.set(old);
  return next;
}

/** Raises NotJson with the offset at which the text stops being JSON. */
export function indexJson(bytes: Uint8Array<ArrayBuffer>): TreeIndex {
  let room = Math.max(1024, bytes.length >> 5);
  const index: TreeIndex = {
    bytes,
    count: 0,
    kind: new Uint8Array(room),
    depth: new Uint16Array(room),
    keyStart: new Int32Array(room),
    keyEnd: new Int32Array(room),
    start: new Int32Array(room),
    end: new Int32Array(room),
    parent: new Int32Array(room),
    span: new Int32Array(room),
    children: new Int32Array(room),
    place: new Int32Array(room),
  };
  let at = 0;
  const fail = (): never => {
    throw new NotJson(`not JSON from byte ${at} on`);
  };
  const skip = () => {
    while (at < bytes.length) {
      const byte = bytes[at];
      if (byte !== 32 && byte !== 10 && byte !== 13 && byte !== 9) return;
      at++;
    }
  };
  const text = () => {
    at++;
    while (at < bytes.length) {
      const byte = bytes[at];
      if (byte === 34) {
        at++;
        return;
      }
      at += byte === 92 ? 2 : 1;
    }
    fail();
  };
  const open: number[] = [];
  let keyStart = 0;
  let keyEnd = 0;

  const add = (kind: number): number => {
    if (index.count === room) {
      room *= 2;
      index.kind = grow(index.kind, room);
      index.depth = grow(index.depth, room);
      for (const name of [
        "keyStart",
        "keyEnd",
        "start",
        "end",
        "parent",
        "span",
        "children",
        "place",
      ] as const) {
        index[name] = grow(index[name], room);
      }
    }
    const node = index.count++;
    const parent = open.at(-1) ?? -1;
    index.kind[node] = kind;
    index.depth[node] = open.length;
    index.keyStart[node] = keyStart;
    index.keyEnd[node] = keyEnd;
    index.start[node] = at;
    index.parent[node] = parent;
    index.span[node] = 1;
    if (parent >= 0) {
      index.place[node] = index.children[parent] as number;
      index.children[parent] = (index.children[parent] as number) + 1;
    }
    keyStart = keyEnd = 0;
    return node;
  };

  const key = () => {
    skip();
    if (bytes[at] !== 34) fail();
    const begin = at + 1;
    text();
    keyStart = begin;
    keyEnd = at - 1;
    skip();
    if (bytes[at] !== 58) fail();
    at++;
  };

  const word = (letters: string, kind: number) => {
    const node = add(kind);
    for (let i = 0; i < letters.length; i++) if (bytes[at + i] !== letters.charCodeAt(i)) fail();
    at += letters.length;
    index.end[node] = at;
  };

  const value = () => {
    skip();
    const byte = bytes[at];
    if (byte === 123 || byte === 91) {
      if (open.length >= MOST_LEVELS) fail();
      const node = add(byte === 123 ? KIND.object : KIND.list);
      open.push(node);
      at++;
      skip();
      if (bytes[at] === (byte === 123 ? 125 : 93)) return;
      if (byte === 123) key();
      value();
    } else if (byte === 34) {
      const node = add(KIND.text);
      text();
      index.end[node] = at;
    } else if (byte === 116) word("true", KIND.boolean);
    else if (byte === 102) word("false", KIND.boolean);
    else if (byte === 110) word("null", KIND.null);
    else if (byte !== undefined && (byte === 45 || (byte >= 48 && byte <= 57))) {
      const node = add(KIND.number);
      while (at < bytes.length && isNumeric(bytes[at] as number)) at++;
      index.end[node] = at;
    } else fail();
  };

  value();
  while (open.length) {
    skip();
    const node = open.at(-1) as number;
    const isObject = index.kind[node] === KIND.object;
    const byte = bytes[at];
    if (byte === 44) {
      at++;
      if (isObject) key();
      value();
    } else if (byte === (isObject ? 125 : 93)) {
      at++;
      open.pop();
      index.end[node] = at;
      index.span[node] = index.count - node;
    } else fail();
  }
  skip();
  if (at < bytes.length) fail();
  return index;
}

function isNumeric(byte: number): boolean {
  return (
    (byte >= 48 && byte <= 57) || byte === 46 || byte === 45 || byte === 43 || byte === 101 || byte === 69
  );
}
