/** The suites as they stand in each other: a suite with suites in it is their folder. */
import type { CaseLine, Suite } from "../../../api";
import { levelsOf } from "../../../parts/suites";

export interface Standing {
  suite: Suite;
  inner: Standing[];
}

/** The outermost, each with those in it, in their order. */
export function treeOf(suites: Suite[]): Standing[] {
  const known = new Set(suites.map(({ id }) => id));
  const inside = (folder: string | null): Standing[] =>
    suites
      .filter(({ within }) => (within && known.has(within) ? within : null) === folder)
      .map((suite) => ({ suite, inner: inside(suite.id) }));
  return inside(null);
}

/** A suite, and those in it at any depth. */
export const allOf = ({ suite, inner }: Standing): Suite[] => [suite, ...inner.flatMap(allOf)];

export const casesOf = (standing: Standing): CaseLine[] => allOf(standing).flatMap(({ cases }) => cases);

/** The suites with the cases that hold every word, with the folders around them; without words, all. */
export function fitting(suites: Suite[], typed: string): Suite[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  if (!words.length) return suites;
  const holds = (around: string[], line: CaseLine) => {
    const facts = [line.name, line.about, line.register, line.last?.verdict ?? "not run yet"];
    const text = [...facts, ...around, ...line.tags, ...line.addresses].join(" ").toLowerCase();
    return words.every((word) => text.includes(word));
  };
  const found = suites.map((suite) => {
    const around = levelsOf(suite, suites).flatMap(({ name, tags }) => [name, ...tags]);
    return { ...suite, cases: suite.cases.filter((line) => holds(around, line)) };
  });
  const needed = new Set(
    found.filter(({ cases }) => cases.length).flatMap((suite) => levelsOf(suite, suites).map(({ id }) => id)),
  );
  return found.filter(({ id }) => needed.has(id));
}
