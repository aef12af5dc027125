/** The line of a watch: read from what the API packs, and where it lies. */

import type { Shapes } from "../../api";
import { placeOf, type Span } from "../../parts/overTime/time";

export interface Point {
  /** When it begins, milliseconds since 1970. */
  at: number;
  runs: number;
  bad: number;
  /** Of the bad ones those without an answer. */
  blocked: number;
  /** Milliseconds; 0: nothing was answered. */
  median: number;
  p95: number;
}

type Range = Pick<Shapes["WatchRange"], "step" | "first">;

const BYTES = 14; // of a point: two times of four, three numbers of two

/** The points in which something ran. */
export function pointsOf(packed: string, range: Range): Point[] {
  const bytes = Uint8Array.from(atob(packed), (letter) => letter.charCodeAt(0));
  const count = Math.floor(bytes.length / BYTES);
  const view = new DataView(bytes.buffer);
  const first = Date.parse(range.first);
  const found: Point[] = [];
  for (let n = 0; n < count; n++) {
    const number = (part: number) => view.getUint16(8 * count + 2 * (part * count + n), true);
    if (number(0))
      found.push({
        at: first + n * range.step * 1000,
        runs: number(0),
        bad: number(1),
        blocked: number(2),
        median: view.getUint32(4 * n, true) / 1000,
        p95: view.getUint32(4 * (count + n), true) / 1000,
      });
  }
  return found;
}

/** How far apart points may lie and still be joined: what is usual for this watch, and a little more. */
export function reach(points: Point[], step: number): number {
  const gaps = points.slice(1).map((point, n) => point.at - (points[n]?.at ?? 0));
  gaps.sort((one, other) => one - other);
  const usual = gaps[Math.floor(gaps.length / 2)] ?? step * 1000;
  return Math.max(usual * 2.5, step * 1000 * 1.5);
}

export interface Shape {
  /** The usual answers, as a path. */
  median: string;
  /** Runs by themselves, as dots. */
  dots: string;
  /** From the usual to the slowest, as a path of areas. */
  band: string;
  trouble: Trouble[];
  /** Where the limit lies, or the top where it is beyond. */
  limit: number | undefined;
  /** The time at the top, milliseconds. */
  top: number;
}

export interface Trouble {
  x: number;
  width: number;
  height: number;
  kind: "failed" | "blocked";
  point: Point;
}

/** The line in a box of `width` by `height`, what is slowest (or the limit) near its top. */
export function shapeOf(
  points: Point[],
  step: number,
  span: Span,
  limit: number | null,
  width: number,
  height: number,
): Shape {
  const far = reach(points, step);
  const half = (step * 1000) / 2;
  const slowest = Math.max(...points.map((point) => Math.max(point.p95, point.median)), 0);
  // a limit that is far away stands at the top
  const top = Math.max(slowest * 1.12, Math.min((limit ?? 0) * 1.12, slowest * 2.4)) || limit || 1;
  const x = (at: number) => Number((placeOf(span, at) * width).toFixed(1));
  const y = (ms: number) => Number((height - (ms / top) * height).toFixed(1));
  const runs = joined(
    points.filter((point) => point.median > 0),
    far,
  );
  const line = (part: Point[], of: (point: Point) => number) =>
    part.map((point) => `${x(point.at + half)},${y(of(point))}`).join(" L");
  return {
    median: runs
      .filter((part) => part[1])
      .map((part) => `M${line(part, (point) => point.median)}`)
      .join(" "),
    dots: runs
      .filter((part) => !part[1])
      .map((part) => `M${line(part, (point) => point.median)} h0.01`)
      .join(" "),
    band: runs
      .map(
        (part) =>
          `M${line(part, (point) => point.p95)} L${line([...part].reverse(), (point) => point.median)} Z`,
      )
      .join(" "),
    trouble: points.flatMap((point, n) => {
      if (!point.bad) return [];
      const next = points[n + 1]?.at ?? Math.min(point.at + far / 2, span.end);
      const until = Math.min(next - point.at > far ? point.at + step * 1000 : next, span.end);
      const left = Math.max(x(point.at), 0);
      const share = Math.sqrt(point.bad / point.runs);
      return {
        x: left,
        width: Math.max(x(until) - left, 2),
        height: height * Math.max(share, 0.3),
        kind: point.blocked * 2 >= point.bad ? ("blocked" as const) : ("failed" as const),
        point,
      };
    }),
    limit: limit ? Math.max(y(limit), 1) : undefined,
    top,
  };
}

/** Points one after the other, apart where nobody watched between. */
function joined(points: Point[], far: number): Point[][] {
  const found: Point[][] = [];
  let last: Point | undefined;
  for (const point of points) {
    const part = found.at(-1);
    if (part && last && point.at - last.at <= far) part.push(point);
    else found.push([point]);
    last = point;
  }
  return found;
}

/** What stands at a place of a stretch: its point, or the last one before it. */
export function pointAt(points: Point[], span: Span, place: number): Point | undefined {
  const moment = span.begin + place * (span.end - span.begin);
  let found: Point | undefined;
  for (const point of points) if (point.at <= moment) found = point;
  return found;
}
