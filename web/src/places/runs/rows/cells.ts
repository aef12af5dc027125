export const ROW_HEIGHT = 31;

/** A cell that is looked at: of which row, and which step. */
export interface ChosenCell {
  row: number;
  part: "once" | "steps" | "afterwards" | "at the end";
  index: number;
}

export function cellId(index: number, column: number): string {
  return `cell-${index}-${column}`;
}
