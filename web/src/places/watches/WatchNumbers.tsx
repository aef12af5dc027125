import type { Shapes } from "../../api";
import { count, duration } from "../../base/format";
import { longFor } from "../../parts/overTime/time";
import { type Allowance, type Over, percent } from "./sentences";

interface Props {
  over: Over;
  allowance: Allowance | undefined;
  /** How fast the allowance is used up, over several stretches. */
  burns: Shapes["Burn"][];
}

/** The stretch in numbers, with how they are made. */
export function WatchNumbers({ over, allowance, burns }: Props) {
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
  const period = allowance?.days ? `in ${count(allowance.days, "day")}` : "this month";
  if (allowance?.available)
    facts.push([
      `promised ${percent(allowance.available)} % ${period}`,
      `${longFor(allowance.usedSeconds)} of ${longFor(allowance.allowedSeconds)} used`,
    ]);
  for (const one of allowance?.answers ?? [])
    facts.push([
      `promised ${percent(one.share)} % within ${duration(one.ms)} ${period}`,
      `${count(one.beyond, "answer")} slower, of ${one.allowed} that may be`,
    ]);
  if (burns.some((one) => one.rate || one.shortRate))
    facts.push([
      `allowance used up in the last ${burns.map((one) => longFor(one.seconds)).join(", ")}`,
      `${burns.map((one) => one.rate.toFixed(1)).join(", ")} times as fast as it may be`,
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
        {burns.length > 0 &&
          ` People are told when the allowance is used up ${burns
            .filter((one) => one.told)
            .map(
              (one) =>
                `${one.most} times as fast over ${longFor(one.seconds)} and ${longFor(one.shortSeconds)}`,
            )
            .join(", or ")}; outages, which are told anyway, are left out of that.`}
      </p>
    </>
  );
}
