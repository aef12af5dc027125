import { useState } from "react";
import { Link } from "react-router";
import type { Case, Environment } from "../../../api";
import type { Document, StepDocument } from "../../../case/document";
import { RunButton } from "../../../parts/RunButton";
import { InPlace } from "../../../parts/typing/InPlace";
import { PlaceIt } from "../single/PlaceIt";
import type { CaseRun } from "../state/useCaseRun";
import type { Editing } from "../state/useEditing";
import { Saved } from "./Saved";

interface Props {
  of: Case;
  state: Editing;
  at: [Environment | undefined, (name: string) => void, Environment[]];
  running: CaseRun;
  send: () => void;
}

/** What the request is called, where it is sent, and how it comes into a case. */
export function SingleHead({ of, state, at, running, send }: Props) {
  const [environment, choose, environments] = at;
  const [placing, setPlacing] = useState(false);
  return (
    <>
      <div className="page-head">
        <div>
          <p className="crumb">
            <Link to="/cases">Cases</Link> ▸ <Link to="/cases/single">Single requests</Link>
          </p>
          <h1>
            <InPlace
              text={of.name}
              label="The request's name"
              save={(name) => state.edits.apply(named(name.trim()))}
            >
              {of.name}
            </InPlace>
          </h1>
          <p className="muted">
            It belongs to no case yet.{" "}
            <button
              data-needs="edit"
              type="button"
              className="plain-link"
              aria-expanded={placing}
              onClick={() => setPlacing(true)}
            >
              Put it into a case…
            </button>
          </p>
        </div>
        <Saved of={of} state={state} />
        <RunButton
          verb="Send"
          what="this request"
          environment={environment}
          environments={environments}
          choose={choose}
          run={send}
          running={running.running}
          stop={running.stop}
          shortcut
        />
      </div>
      {placing && <PlaceIt of={of} close={() => setPlacing(false)} />}
    </>
  );
}

/** A single request has one name: its own, which is its step's. */
const named =
  (name: string) =>
  (document: Document): Document => {
    const [step, ...rest] = document.steps as StepDocument[];
    return { ...document, case: name, steps: [{ ...step, request: name }, ...rest] };
  };
