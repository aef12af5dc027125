import type { Exchange } from "../api";
import { duration, size } from "../base/format";
import type { Picked } from "./tree/picked";

/** What an answer says besides its body. */
export interface Fact extends Picked {
  /** What it is called, and what it was, in words. */
  name: string;
  shown: string;
}

/** The names that a subject can hold (RFC 9110, 5.6.2). */
const TOKEN = /^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/;

/** The facts of an exchange, as the subjects that read them; what has another name is seen in Raw alone. */
export function factsOf(exchange: Exchange): Fact[] {
  const { times } = exchange;
  const first = times.total - times.receiving;
  const found = [
    fact("status", "number", String(exchange.status), String(exchange.status)),
    measured("time", Math.round(times.total * 1000), duration(times.total), "duration"),
    measured("time to first byte", Math.round(first * 1000), duration(first), "duration"),
    measured("size", exchange.size, size(exchange.size), "size"),
  ];
  if (exchange.mediaType)
    found.push(text("type", exchange.mediaType.split(";")[0]?.trim().toLowerCase() ?? ""));
  const told = new Set<string>();
  for (const line of exchange.receivedHead.split(/\r?\n/).slice(1)) {
    const [, name = "", value = ""] = /^([^:\s]+):\s*(.*?)\s*$/.exec(line) ?? [];
    const cookie = /^set-cookie$/i.test(name) ? /^([^=;]+)=([^;]*)/.exec(value) : null;
    const path = cookie ? `cookie ${cookie[1]?.trim()}` : `header ${name}`;
    if (!TOKEN.test((cookie?.[1] ?? name).trim()) || told.has(path.toLowerCase())) continue;
    told.add(path.toLowerCase());
    found.push(cookie ? text(path, cookie[2] ?? "") : text(path, value, name));
  }
  return found;
}

function fact(
  path: string,
  kind: Picked["kind"],
  written: string,
  shown: string,
  more: Partial<Fact> = {},
): Fact {
  const picked: Fact = {
    path,
    kind,
    text: written,
    count: 0,
    name: path,
    shown,
    named: () => undefined,
    below: () => [picked],
    ...more,
  };
  return picked;
}

const text = (path: string, value: string, name = path): Fact =>
  fact(path, "text", JSON.stringify(value), value, { name });

const measured = (path: string, value: number, shown: string, unit: "duration" | "size"): Fact =>
  fact(path, "number", String(value), shown, { unit });
