import type { Exchange } from "../api";

/** A request that can be copied: one that went out, or one as it is written. */
export type Sent = Pick<Exchange, "method" | "address" | "sentHead" | "sentBody" | "sentSize">;

/** Headers that whoever sends it again sets by itself. */
const ITS_OWN = ["host", "content-length", "connection", "accept-encoding", "transfer-encoding"];

/** A request as it went over the wire. */
export const asHttp = (exchange: Sent): string =>
  `${exchange.sentHead.replace(/\r\n/g, "\n").trimEnd()}\n\n${exchange.sentBody}`.trimEnd();

/** A request as a curl line for a POSIX shell. Secrets stay masked; a body that is no text is left to a file. */
export function asCurl(exchange: Sent): string {
  const lines = exchange.sentHead.split(/\r?\n/).slice(1).filter(Boolean);
  const headers = lines.filter((line) => !ITS_OWN.includes(line.split(":")[0]?.toLowerCase() ?? ""));
  const whole = new TextEncoder().encode(exchange.sentBody).length === exchange.sentSize;
  const body = !exchange.sentSize
    ? []
    : whole
      ? [`--data-raw ${quoted(exchange.sentBody)}`]
      : ["--data-binary @body"];
  const usual = exchange.sentSize ? "POST" : "GET";
  const method =
    exchange.method === "HEAD" ? ["--head"] : exchange.method === usual ? [] : [`-X ${exchange.method}`];
  const encoded = lines.some((line) => /^accept-encoding:/i.test(line)) ? ["--compressed"] : [];
  return [
    "curl",
    ...method,
    quoted(exchange.address),
    ...headers.map((line) => `-H ${quoted(line)}`),
    ...encoded,
    ...body,
  ]
    .join(" \\\n  ")
    .replace(/^curl \\\n {2}/, "curl ");
}

const quoted = (text: string): string => `'${text.replaceAll("'", "'\\''")}'`;
