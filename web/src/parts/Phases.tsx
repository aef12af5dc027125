import type { Exchange } from "../api";
import { duration } from "../base/format";

export const PHASES = [
  ["lookup", "look-up", "var(--phase-lookup)"],
  ["connect", "connect", "var(--phase-connect)"],
  ["tls", "TLS", "var(--phase-tls)"],
  ["waiting", "waiting", "var(--phase-waiting)"],
  ["receiving", "receiving", "var(--phase-receiving)"],
] as const;

/** Where an exchange's time went: a bar, and the same in words. */
export function Phases({ times }: { times: Exchange["times"] }) {
  const shown = PHASES.filter(([name]) => times[name] > 0);
  const sum = shown.reduce((total, [name]) => total + times[name], 0) || 1;
  const words = shown.map(([name, word]) => `${word} ${duration(times[name])}`).join(" · ");
  return (
    <div className="phases">
      <div className="phase-bar" aria-hidden="true">
        {shown.map(([name, , colour]) => (
          <span key={name} style={{ width: `${(times[name] / sum) * 100}%`, background: colour }} />
        ))}
      </div>
      <p className="muted small">{words || "no time was measured"}</p>
    </div>
  );
}
