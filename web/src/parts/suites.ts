/** Where a suite stands among those of its project. */
import type { Suite } from "../api";

/** The folders that a suite stands in, the outermost first, and itself. */
export function levelsOf(suite: Suite, suites: Suite[]): Suite[] {
  const folder = suites.find(({ id }) => id === suite.within);
  return folder ? [...levelsOf(folder, suites), suite] : [suite];
}

/** What it is called, after the folders that it stands in. */
export const pathOf = (suite: Suite, suites: Suite[]): string =>
  levelsOf(suite, suites)
    .map(({ name }) => name)
    .join(" › ");
