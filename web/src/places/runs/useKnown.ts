import { useCallback } from "react";
import { api, type Cause, type RunEvent } from "../../api";
import { useStale } from "../../api/stale";
import { useActs, useTold } from "../../state/acts";
import { useEvents } from "../../state/events";

/** What is said of a cause: who looks after it, a note, the last day on which it is no news. */
export interface SaidOfCause {
  owner: string;
  note: string;
  until: string;
}

export interface KnownActs {
  /** A sentence says why it could not be. */
  mark: (cause: Cause, said: SaidOfCause) => Promise<string | undefined>;
  forget: (signature: string) => Promise<string | undefined>;
  undo: () => Promise<void>;
  canUndo: boolean;
  /** Why the last act could not be. */
  problem: string;
}

/** Marking causes of a run as known, and taking that back. */
export function useKnown(project: string, run: string): KnownActs {
  const tell = useStale();
  const refresh = useCallback(() => tell("known"), [tell]);
  const { carry, undo, canUndo } = useActs(refresh);
  const [problem, told] = useTold();
  useEvents(
    project,
    useCallback((event: RunEvent) => void (event.type === "known changed" && refresh()), [refresh]),
  );
  const put = (signature: string, said: SaidOfCause, seen: SaidOfCause | null) =>
    api.markKnown(project, signature, { run, said, seen });
  return {
    mark: ({ signature, known }, said) => {
      const before = known && { owner: known.owner, note: known.note, until: known.until };
      return told(
        carry(
          () => put(signature, said, before),
          ({ said: { over: _, ...now } }) =>
            () =>
              before ? put(signature, before, now) : api.unmarkKnown(project, signature),
        ),
      );
    },
    forget: (signature) =>
      told(
        carry(
          () => api.unmarkKnown(project, signature),
          () => () => api.knowAgain(project, signature),
        ),
      ),
    undo: async () => void (await told(undo())),
    canUndo,
    problem,
  };
}
