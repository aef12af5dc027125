import { isFields, type Json, writeExact } from "../base/exact";
import type { Sent } from "../parts/copied";
import type { StepDocument } from "./document";

const TYPES: { [kind: string]: string } = {
  json: "application/json",
  xml: "application/xml",
  form: "application/x-www-form-urlencoded",
};

/** A request as its step is written, before it was ever sent: references stand as they are, to be filled in by hand. A body of files and
 * parts is left to a file. */
export function asWritten(step: StepDocument): Sent {
  const [, method = "GET", begin = ""] = /^(\S+)\s+(.*)$/s.exec(String(step.send)) ?? [];
  const query = pairsIn(step.query)
    .map(([name, value]) => `${encoded(name)}=${encoded(value)}`)
    .join("&");
  const address = query ? `${begin}${begin.includes("?") ? "&" : "?"}${query}` : begin;
  const [kind, body] = bodyOf(step);
  const headers = pairsIn(step.headers);
  const has = (name: string) => headers.some(([other]) => other.toLowerCase() === name);
  const type = kind && (step.type ? String(step.type) : TYPES[kind]);
  if (type && !has("content-type")) headers.push(["Content-Type", type]);
  const signed = signature(step.auth);
  if (signed && !has("authorization")) headers.push(["Authorization", signed]);
  const host = /^\w+:\/\/([^/?#]+)/.exec(address)?.[1];
  const lines = [
    `${method} ${address} HTTP/1.1`,
    ...(host && !has("host") ? [`Host: ${host}`] : []),
    ...headers.map(([name, value]) => `${name}: ${value}`),
  ];
  const sentBody = body ?? "";
  const sentSize = kind ? new TextEncoder().encode(sentBody).length + (body === undefined ? 1 : 0) : 0;
  return { method, address, sentHead: lines.join("\r\n"), sentBody, sentSize };
}

/** The kind of a step's body, and its text; no text where it is made of files or parts. */
function bodyOf(step: StepDocument): [kind: string, text: string | undefined] {
  const kind = ["json", "xml", "text", "form", "multipart", "file"].find((name) => name in step) ?? "";
  const content = step[kind] as Json;
  if (kind === "form")
    return [
      kind,
      pairsIn(content)
        .map(([name, value]) => `${encoded(name)}=${encoded(value)}`)
        .join("&"),
    ];
  if (kind === "multipart" || kind === "file") return [kind, undefined];
  return [kind, kind && (typeof content === "string" ? content : writeExact(content))];
}

function pairsIn(value: Json | undefined): [string, string][] {
  const pairs = Array.isArray(value) ? value : isFields(value) ? Object.entries(value) : [];
  return (pairs as [Json, Json][]).map(([name, item]) => [text(name), text(item)]);
}

function signature(auth: Json | undefined): string {
  if (!isFields(auth)) return "";
  if (auth.bearer !== undefined) return `Bearer ${text(auth.bearer)}`;
  const [user = "", password = ""] = (auth.basic as Json[] | undefined)?.map(text) ?? [];
  return user && !`${user}${password}`.includes("[=") ? `Basic ${base64(`${user}:${password}`)}` : "";
}

const base64 = (plain: string): string => btoa(String.fromCharCode(...new TextEncoder().encode(plain)));

const text = (value: Json): string => (typeof value === "string" ? value : writeExact(value));

/** Percent-encoded, but for references. */
const encoded = (value: string): string =>
  value
    .split(/(\[=[^\]]*\])/)
    .map((part) => (part.startsWith("[=") ? part : encodeURIComponent(part)))
    .join("");
