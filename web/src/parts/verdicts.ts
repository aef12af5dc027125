import type { Verdict } from "../api";

/** What needs a person first. */
export const WORST_FIRST: readonly Verdict[] = ["failed", "blocked", "unchecked", "passed", "skipped"];
