import { useQuery } from "@tanstack/react-query";
import { useDeferredValue, useEffect } from "react";
import { useParams } from "react-router";
import { ApiProblem, api } from "../../api";
import { queries } from "../../api/queries";
import { Notice } from "../../parts/Notice";
import { useChosenProject } from "../../state/project";
import { OpenedCase } from "./OpenedCase";

/** A case as a path to read and to run, with the evidence of the step in focus beside it. */
export function CasePage() {
  const { id = "" } = useParams();
  const loaded = useQuery(queries.case(id));
  const choose = useChosenProject();
  const project = loaded.data?.project;
  useEffect(() => {
    if (project) choose(project);
  }, [project, choose]);
  // Asked for together with the case, not after it.
  useQuery(queries.evidence(id, "", 0));
  const shown = useDeferredValue(loaded.data);
  if (loaded.error) {
    return (
      <div className="page">
        <Notice sentence={loaded.error.message} retry={() => void loaded.refetch()} />
        {loaded.error instanceof ApiProblem && loaded.error.status === 410 && (
          <p className="pad">
            <button
              data-needs="edit"
              type="button"
              className="plain-link"
              onClick={() => void api.bringBack(id).then(() => loaded.refetch())}
            >
              Bring it back
            </button>
          </p>
        )}
      </div>
    );
  }
  if (!shown || shown.id !== id) return <p className="muted pad">Reading the case…</p>;
  // A single request that became a case is another thing to edit, with the same identity.
  return <OpenedCase key={`${id} ${shown.single}`} of={shown} />;
}
