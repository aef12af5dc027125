import { useQuery } from "@tanstack/react-query";
import type { Shapes } from "../../api";
import { queries } from "../../api/queries";
import { count, duration } from "../../base/format";
import { type Span, stretchOf } from "../../parts/overTime/time";
import { PHASES } from "../../parts/Phases";
import { WIDTH } from "./Line";
import { layersOf } from "./layers";

const HEIGHT = 110;

/** Where the time of answers went, as layers over time, as far as exchanges are kept. */
export function PhasesOverTime({ watch, span }: { watch: string; span: Span }) {
  const found = useQuery(queries.watchPhases(watch, stretchOf(span)));
  const items = found.data?.items ?? [];
  if (!items.length) return null;
  const { layers, top } = layersOf(items, span, WIDTH, HEIGHT);
  return (
    <section aria-label="Where the time goes">
      <h2>Where the time goes</h2>
      <svg
        className="watch-line"
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        preserveAspectRatio="none"
        height={HEIGHT}
        role="img"
        aria-label={said(items)}
      >
        <title>{`The top is ${duration(top)}`}</title>
        {PHASES.map(([name, , colour]) => (
          <path key={name} d={layers[name]} fill={colour} />
        ))}
        <path d={`M0 ${HEIGHT - 0.5} H${WIDTH}`} stroke="var(--rail)" vectorEffect="non-scaling-stroke" />
      </svg>
      <p className="muted small phase-words">
        {PHASES.map(([name, word, colour]) => (
          <span key={name}>
            <span className="phase-key" style={{ background: colour }} /> {word}{" "}
            {duration(usual(items, name))}
          </span>
        ))}
        <span>
          medians of{" "}
          {count(
            items.reduce((sum, one) => sum + one.runs, 0),
            "run",
          )}{" "}
          whose exchanges are kept; the top is {duration(top)}
        </span>
      </p>
    </section>
  );
}

type Part = Shapes["WatchPhases"];

function usual(items: Part[], name: (typeof PHASES)[number][0]): number {
  const sorted = items.map((one) => one[name]).sort((one, other) => one - other);
  return sorted[Math.floor(sorted.length / 2)] ?? 0;
}

const said = (items: Part[]) =>
  `Where the time goes: ${PHASES.map(([name, word]) => `${word} ${duration(usual(items, name))}`).join(", ")}`;
