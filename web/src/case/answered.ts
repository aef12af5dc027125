import type { Sending } from "../api";
import { ago, duration, size } from "../base/format";

/** How a sending was answered, as a sentence: "answered 200 in 12 ms, 1.2 kB · 4 min ago". */
export function answered(sending: Sending): string {
  const when = ago(sending.at);
  if (!sending.status) return `not answered: ${sending.why?.sentence ?? "it could not be sent"} · ${when}`;
  return `answered ${sending.status} in ${duration(sending.ms)}, ${size(sending.size)} · ${when}`;
}
