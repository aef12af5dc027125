import type { RunCase } from "../../../api";

/** What a step of a case was called when it ran. */
export function stepName(entry: RunCase, part: string, index: number): string {
  return (
    entry.stepNames.find((item) => item.part === part && item.index === index)?.name ?? `step ${index + 1}`
  );
}
