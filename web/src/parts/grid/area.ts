/** The chosen cells of a grid: from one cell to another, whichever way. */
export interface Area {
  top: number;
  bottom: number;
  left: number;
  right: number;
}

export const areaOf = (from: [number, number], to: [number, number]): Area => ({
  top: Math.min(from[0], to[0]),
  bottom: Math.max(from[0], to[0]),
  left: Math.min(from[1], to[1]),
  right: Math.max(from[1], to[1]),
});
