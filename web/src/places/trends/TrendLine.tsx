import { memo, useMemo } from "react";
import { placeOf, type Span } from "../../parts/overTime/time";
import { drawn } from "./lines";
import type { Shifted } from "./sentences";

interface Props {
  label: string;
  line: number[][];
  parts: number;
  span: Span;
  shifts: Shifted[];
  height: number;
}

export const WIDTH = 700;

/** Usual times as a line, up to the slowest as a band, and where the level changed. */
export const TrendLine = memo(function TrendLine({ label, line, parts, span, shifts, height }: Props) {
  const shape = useMemo(() => drawn(line, parts, WIDTH, height), [line, parts, height]);
  return (
    <svg
      className="trend-line"
      viewBox={`0 0 ${WIDTH} ${height}`}
      preserveAspectRatio="none"
      height={height}
      role="img"
      aria-label={label}
    >
      <path d={`M0 ${height - 0.5} H${WIDTH}`} stroke="var(--rail)" vectorEffect="non-scaling-stroke" />
      <path d={shape.band} fill="var(--marsh)" opacity="0.130" />
      {[shape.median, shape.dots].map((path, n) => (
        <path
          key={n === 0 ? "line" : "dots"}
          d={path}
          fill="none"
          stroke="var(--marsh)"
          strokeWidth={n === 0 ? 1.8 : 4}
          strokeLinecap="round"
          strokeLinejoin="round"
          vectorEffect="non-scaling-stroke"
        />
      ))}
      {shifts.map((one) => {
        const x = placeOf(span, Date.parse(one.at)) * WIDTH;
        return (
          <path
            key={one.at}
            d={`M${x} 0 V${height}`}
            stroke="var(--plum)"
            strokeWidth="2"
            vectorEffect="non-scaling-stroke"
          />
        );
      })}
    </svg>
  );
});
