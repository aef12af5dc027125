import type { RunRow, StepName } from "../../../api";

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

/** What a step's cell needs, of a case's steps or of a row's. */
export interface SeenStep {
  part: StepName["part"];
  index: number;
  verdict: RunRow["verdict"];
  status: number;
  ms: number;
  size: number;
  value?: string;
}
