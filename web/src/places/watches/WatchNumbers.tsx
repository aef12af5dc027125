import { count, duration } from "../../base/format";
import type { Allowance, Over } from "./sentences";
import { longFor } from "./time";

/** The stretch in numbers, with how they are made. */
export function WatchNumbers({ over, allowance }: { over: Over; allowance: Allowance | undefined }) {
  const facts: [string, string][] = [
    ["available", over.availability === null ? "unknown" : `${percent(over.availability)} %`],
    ["good, bad, not counted", [over.goodSeconds, over.badSeconds, over.leftSeconds].map(longFor).join(", ")],
    ["runs", `${count(over.runs, "run")}, ${over.bad} bad`],
    ["half within", over.medianMs === null ? "unknown" : duration(over.medianMs)],
    ["95 of 100 within", over.p95Ms === null ? "unknown" : duration(over.p95Ms)],
    [
      "quickest, slowest",
      over.lowMs === null ? "unknown" : `${duration(over.lowMs)}, ${duration(over.highMs)}`,
    ],
  ];
  if (allowance)
    facts.push([
      `promised ${percent(allowance.available)} % ${allowance.days ? `in ${count(allowance.days, "day")}` : "this month"}`,
      `${longFor(allowance.usedSeconds)} of ${longFor(allowance.allowedSeconds)} used`,
    ]);
  return (
    <>
      <dl className="watch-numbers">
        {facts.map(([name, shown]) => (
          <div key={name}>
            <dt>{name}</dt>
            <dd>{shown}</dd>
          </div>
        ))}
      </dl>
      <p className="muted small">
        Available = good time / (good + bad time). A run's fate holds from when it was due to when the next
        one was; agreed maintenance, our own side and what nobody watched count neither way.
      </p>
    </>
  );
}

const percent = (share: number) => Number((Math.floor(share * 1e6) / 1e4).toFixed(share > 0.999 ? 4 : 2));
