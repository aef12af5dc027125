import { useMemo, useState } from "react";
import { api, type CaseLine } from "../../../api";
import { refused, useMay } from "../../../api/may";
import { useStale } from "../../../api/stale";

/** What was just done to the outline, and how to undo it. */
export interface Done {
  sentence: string;
  undo?: () => void;
}

export interface Outline {
  project: string;
  notice: Done | undefined;
  /** Carry out a change of the outline; a sentence says why it could not be. */
  act: (change: () => Promise<unknown>, done?: Done) => Promise<string | undefined>;
}

/** Changes of suites and of where cases stand: carried out, shown, and undone where they can be. */
export function useOutline(project: string): Outline {
  const tell = useStale();
  const [notice, setNotice] = useState<Done>();
  const may = useMay("edit");
  return useMemo(() => {
    const act = async (change: () => Promise<unknown>, done?: Done) => {
      if (!may) return refused();
      try {
        await change();
        setNotice(done);
        return undefined;
      } catch (problem) {
        setNotice({ sentence: (problem as Error).message });
        return (problem as Error).message;
      } finally {
        await tell("outline");
      }
    };
    return { project, notice, act };
  }, [tell, project, notice, may]);
}

/** Where a case stands, to be put back there. */
export const putBack = (outline: Outline, line: CaseLine, suite: string, before: string | null) => () =>
  void outline.act(() => api.moveCase(line.id, suite, before).then(() => asBefore(line)));

/** Have a case be again what it was in its suite. */
export const asBefore = (line: CaseLine) => (line.role ? api.setRole(line.id, line.role) : undefined);
