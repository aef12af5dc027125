import { useMemo, useState } from "react";
import type { Case, StepEvidence } from "../../api";
import { causesIn } from "../../case/accepted";
import { Accept } from "./edit/Accept";
import { useEdited } from "./state/context";
import type { CaseRun } from "./state/useCaseRun";

interface Props {
  of: Case;
  seen: Map<string, StepEvidence>;
  running: CaseRun;
  /** The step that needs a person, where it is not the one that is open. */
  failing: string | undefined;
  choose: (key: string) => void;
}

/** How the run of the case stands, and what can be done about it at once. */
export function Standing({ of, seen, running, failing, choose }: Props) {
  const causes = useMemo(() => causesIn(of, seen), [of, seen]);
  const changed = causes.reduce((sum, cause) => sum + cause.checks.length, 0);
  const { editing } = useEdited();
  const [accepting, setAccepting] = useState(false);
  return (
    <>
      <p className="live">
        <span role="status" aria-live="polite">
          {running.said}
        </span>{" "}
        {!running.running && failing && (
          <button type="button" className="plain-link" onClick={() => choose(failing)}>
            Go to the first that needs you
          </button>
        )}{" "}
        {!running.running && changed > 1 && (
          <button data-needs="edit" type="button" className="plain-link" onClick={() => setAccepting(true)}>
            {changed} values came otherwise: are they right now?
          </button>
        )}
      </p>
      {accepting && (
        <Accept
          causes={causes}
          apply={(changes) =>
            editing.apply((document) => changes.reduce((next, { change }) => change(next), document))
          }
          close={() => setAccepting(false)}
        />
      )}
    </>
  );
}
