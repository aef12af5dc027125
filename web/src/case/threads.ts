import type { Thread } from "../api";

/** Where a step's card stands in the trail, in pixels from the trail's top. */
export interface CardPlace {
  number: number;
  top: number;
  /** The vertical place of each kept value's row, by name; closed cards have none. */
  keeps: Map<string, number>;
}

export interface DrawnThread {
  key: string;
  path: string;
  broken: boolean;
  dot: [number, number];
  arrows: [number, number][];
}

const HEAD = 44;
const LANE = 9;
const NEAREST = 34;

/** Lines in the margin: from the keep, along a lane of its own, into each step that uses the value. */
export function drawThreads(threads: Thread[], places: CardPlace[], right: number): DrawnThread[] {
  const byNumber = new Map(places.map((place) => [place.number, place]));
  const lanes: [number, number][][] = [];
  const drawn: DrawnThread[] = [];
  for (const thread of threads) {
    const from = byNumber.get(thread.from);
    if (!from) continue;
    const begin = from.keeps.get(thread.name) ?? from.top + HEAD + 8;
    const ends = thread.to
      .map((number) => byNumber.get(number))
      .filter((place) => place !== undefined)
      .map((place) => place.top + HEAD);
    if (!ends.length) continue;
    const top = Math.min(begin, ...ends);
    const bottom = Math.max(begin, ...ends);
    const lane = freeLane(lanes, top, bottom);
    const x = right - NEAREST - lane * LANE;
    const branches = ends.map((y) => `M${x} ${y} H${right}`).join(" ");
    drawn.push({
      key: `${thread.from}-${thread.name}-${thread.broken}`,
      path: `M${right} ${begin} H${x} M${x} ${top} V${bottom} ${branches}`,
      broken: thread.broken,
      dot: [right, begin],
      arrows: ends.map((y) => [right, y]),
    });
  }
  return drawn;
}

/** The nearest lane in which nothing overlaps. */
function freeLane(lanes: [number, number][][], top: number, bottom: number): number {
  let lane = 0;
  while (lanes[lane]?.some(([a, b]) => top <= b + 4 && bottom >= a - 4)) lane++;
  lanes[lane] = [...(lanes[lane] ?? []), [top, bottom]];
  return lane;
}
