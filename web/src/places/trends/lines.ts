/** Lines of what is followed, as paths in a box. */

export type Point = [part: number, median: number, p95: number, runs: number, bad: number];

export interface Drawn {
  median: string;
  band: string;
  dots: string;
  /** Microseconds at the top. */
  top: number;
}

/** The line of so many parts in a box; gaps of more than a few parts, where usual ones are shorter, are left open. */
export function drawn(points: number[][], parts: number, width: number, height: number): Drawn {
  const top = Math.max(...points.map(([, median, p95]) => Math.max(median ?? 0, p95 ?? 0)), 1) * 1.1;
  const x = (part: number) => (((part + 0.5) / parts) * width).toFixed(1);
  const y = (us: number) => (height - (us / top) * height).toFixed(1);
  const far = reach(points.map(([part]) => part ?? 0));
  const medians: string[] = [];
  const bands: string[] = [];
  const dots: string[] = [];
  for (const run of joined(points, far)) {
    const places = run.map(([part, median]) => `${x(part ?? 0)} ${y(median ?? 0)}`);
    const back = run.map(([part, , p95]) => `${x(part ?? 0)} ${y(p95 ?? 0)}`).reverse();
    if (run.length === 1) dots.push(`M${places[0]}h0`);
    else {
      medians.push(`M${places.join("L")}`);
      bands.push(`M${places.join("L")}L${back.join("L")}Z`);
    }
  }
  return { median: medians.join(""), band: bands.join(""), dots: dots.join(""), top };
}

/** How far apart parts may lie and still be joined. */
function reach(parts: number[]): number {
  const gaps = parts.slice(1).map((part, n) => part - (parts[n] ?? 0));
  gaps.sort((one, other) => one - other);
  return Math.max(3 * (gaps[Math.floor(gaps.length / 2)] ?? 1), gaps[Math.floor(gaps.length * 0.95)] ?? 1, 2);
}

function joined(points: number[][], far: number): number[][][] {
  const found: number[][][] = [];
  for (const point of points) {
    const last = found.at(-1);
    const before = last?.at(-1)?.[0];
    if (last && before !== undefined && (point[0] ?? 0) - before <= far) last.push(point);
    else found.push([point]);
  }
  return found;
}

/** Verdicts one after the other as a step: above where it was good, below where not. */
export function verdictLine(line: string[], width: number, height: number): string {
  const wide = width / Math.max(line.length, 1);
  const level = (verdict: string | undefined) =>
    verdict === "failed" || verdict === "blocked" ? height - 1 : 1;
  let path = `M0 ${level(line[0])}`;
  line.forEach((verdict, n) => {
    path += `V${level(verdict)}H${((n + 1) * wide).toFixed(1)}`;
  });
  return path;
}
