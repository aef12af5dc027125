/** Phases of time as layers: each from where the one below it ends. */

import type { Shapes } from "../../api";
import { placeOf, type Span } from "../../parts/overTime/time";

type Part = Shapes["WatchPhases"];
export const NAMES = ["lookup", "connect", "tls", "waiting", "receiving"] as const;
type Name = (typeof NAMES)[number];

/** As paths in a box of `width` by `height`; `top`: what stands at its top, milliseconds. Parts that are far apart are not joined. */
export function layersOf(
  items: Part[],
  span: Span,
  width: number,
  height: number,
): { layers: Record<Name, string>; top: number } {
  const top = Math.max(...items.map((one) => NAMES.reduce((sum, name) => sum + one[name], 0)), 0.001) * 1.05;
  const part = (span.end - span.begin) / 60;
  const runs = joined(items, part * 3);
  const x = (at: number) => Number(Math.min(Math.max(placeOf(span, at), 0) * width, width).toFixed(1));
  const y = (ms: number) => Number((height - (ms / top) * height).toFixed(1));
  const layers = { lookup: "", connect: "", tls: "", waiting: "", receiving: "" };
  for (const run of runs) {
    let below = run.map(() => 0);
    for (const name of NAMES) {
      const above = run.map((one, n) => (below[n] ?? 0) + one[name]);
      const edge = (levels: number[]) =>
        run.map((one, n): [number, number] => [Date.parse(one.at), levels[n] ?? 0]);
      // each stands until the next begins, the last one for its own part
      const steps = (points: [number, number][]) =>
        points.flatMap(([at, ms], n) => {
          const until = points[n + 1]?.[0] ?? at + part;
          return [`${x(at)},${y(ms)}`, `${x(until)},${y(ms)}`];
        });
      const up = steps(edge(above));
      const down = steps(edge(below)).reverse();
      layers[name] += `M${[...up, ...down].join(" L")} Z `;
      below = above;
    }
  }
  return { layers, top };
}

function joined(items: Part[], far: number): Part[][] {
  const found: Part[][] = [];
  let last: Part | undefined;
  for (const item of items) {
    const run = found.at(-1);
    if (run && last && Date.parse(item.at) - Date.parse(last.at) <= far) run.push(item);
    else found.push([item]);
    last = item;
  }
  return found;
}
