import type { Step } from "../api";

/** Whether a step has a name of its own, and gets something to check and to keep: a request, or a look-up. */
export const isNamed = (step: Step | undefined): boolean =>
  step?.kind === "request" || step?.kind === "look up";
