import { memo, useId, useMemo } from "react";
import type { Span } from "../../parts/overTime/time";
import { pointsOf, shapeOf } from "./line";
import type { Over, Watch } from "./sentences";

interface Props {
  over: Over | undefined;
  watch: Pick<Watch, "name" | "limitMs">;
  range: { step: number; first: string };
  span: Span;
  height: number;
}

export const WIDTH = 700;

/** The line of a watch: usual and slowest answers, the limit dotted; only trouble is filled. */
export const Line = memo(function Line({ over, watch, range, span, height }: Props) {
  const hatch = useId();
  const shape = useMemo(
    () => over && shapeOf(pointsOf(over.line, range), range.step, span, watch.limitMs, WIDTH, height),
    [over, range, span, watch.limitMs, height],
  );
  return (
    <svg
      className="watch-line"
      viewBox={`0 0 ${WIDTH} ${height}`}
      preserveAspectRatio="none"
      height={height}
      role="img"
      aria-label={label(watch.name, over)}
    >
      <defs>
        <pattern id={hatch} width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="6" height="6" fill="var(--blocked)" />
          <rect width="1.600" height="6" fill="var(--page)" />
        </pattern>
      </defs>
      <path d={`M0 ${height - 0.5} H${WIDTH}`} stroke="var(--rail)" vectorEffect="non-scaling-stroke" />
      {shape && (
        <>
          <path d={shape.band} fill="var(--marsh)" opacity="0.130" />
          {shape.limit !== undefined && (
            <path
              d={`M0 ${shape.limit} H${WIDTH}`}
              stroke="var(--muted)"
              strokeDasharray="2 4"
              vectorEffect="non-scaling-stroke"
            />
          )}
          {shape.trouble.map((trouble) => (
            <rect
              key={trouble.point.at}
              className={`trouble-${trouble.kind}`}
              x={trouble.x}
              y={height - trouble.height}
              width={trouble.width}
              height={trouble.height}
              fill={trouble.kind === "blocked" ? `url(#${hatch})` : "var(--failed)"}
            />
          ))}
          <path
            d={shape.dots}
            stroke="var(--marsh)"
            strokeWidth="5"
            strokeLinecap="round"
            vectorEffect="non-scaling-stroke"
          />
          <path
            d={shape.median}
            fill="none"
            stroke="var(--marsh)"
            strokeWidth="1.800"
            strokeLinecap="round"
            strokeLinejoin="round"
            vectorEffect="non-scaling-stroke"
          />
        </>
      )}
    </svg>
  );
});

function label(name: string, over: Over | undefined): string {
  if (!over?.runs) return `The line of ${name}: no runs`;
  return `The line of ${name}: ${over.runs} runs, ${over.bad} bad`;
}
