/** The keys of a matrix. */

const AT_ONCE = 10;

/** Where a key leads from a cell; undefined for one that leads nowhere. */
export function move(
  key: string,
  at: { index: number; column: number },
  count: number,
  columns: number,
): { index: number; column: number } | undefined {
  const by: { [key: string]: [number, number] } = {
    ArrowDown: [1, 0],
    ArrowUp: [-1, 0],
    ArrowLeft: [0, -1],
    ArrowRight: [0, 1],
    PageDown: [AT_ONCE, 0],
    PageUp: [-AT_ONCE, 0],
    Home: [-count, 0],
    End: [count, 0],
  };
  const step = by[key];
  if (!step || !count) return undefined;
  return {
    index: Math.min(count - 1, Math.max(0, at.index + step[0])),
    column: Math.min(columns - 1, Math.max(0, at.column + step[1])),
  };
}
