import { useCallback, useState } from "react";
import type { Suite } from "../../../api";

export interface Ticked {
  has: (id: string) => boolean;
  turn: (id: string) => void;
  /** All of these, or none of them if all are. */
  turnAll: (ids: string[]) => void;
  clear: () => void;
  /** Those that are still there, in their order. */
  among: (suites: Suite[]) => string[];
}

/** The cases that were ticked in the outline, to be run together. */
export function useTicked(): Ticked {
  const [ids, setIds] = useState<ReadonlySet<string>>(new Set());
  const turn = useCallback((id: string) => {
    setIds((before) => {
      const next = new Set(before);
      if (!next.delete(id)) next.add(id);
      return next;
    });
  }, []);
  const turnAll = useCallback((these: string[]) => {
    setIds((before) => {
      const next = new Set(before);
      const all = these.every((id) => before.has(id));
      for (const id of these) all ? next.delete(id) : next.add(id);
      return next;
    });
  }, []);
  return {
    has: (id) => ids.has(id),
    turn,
    turnAll,
    clear: useCallback(() => setIds(new Set()), []),
    among: (suites) => suites.flatMap((suite) => suite.cases.map(({ id }) => id)).filter((id) => ids.has(id)),
  };
}
