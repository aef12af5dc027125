import type { StepHead } from "../../../api";

/** A step that is looked at; of a case with rows also in which row (0: around them). */
export interface Chosen {
  position: number;
  row?: number;
  part: StepHead["part"];
  index: number;
}
