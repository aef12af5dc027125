import { Link, useNavigate } from "react-router";
import { api, type Suite } from "../../../api";
import { useStale } from "../../../api/stale";
import { exampleSteps } from "../../../case/example";
import { InPlace } from "../../../parts/typing/InPlace";
import { Typing } from "../../../parts/typing/Typing";
import type { Outline } from "./useOutline";

const HINT = "Name the suite by what belongs together, such as: Arrivals. Enter makes it.";

/** A new suite by its name; in another one, if that is said. */
export function AddSuite({ outline, into }: { outline: Outline; into?: Suite }) {
  const save = async (name: string) =>
    name.trim() ? outline.act(() => api.addSuite(outline.project, name.trim(), into?.id)) : undefined;
  return (
    <InPlace text="" label={into ? `Add a suite in ${into.name}` : "Add a suite"} hint={HINT} save={save}>
      <span className="muted">{into ? "+ suite in it" : "+ suite"}</span>
    </InPlace>
  );
}

/** A project without suites: what to do, and an example to load. */
export function NoSuite({ project, outline }: { project: string; outline: Outline }) {
  const navigate = useNavigate();
  const tell = useStale();
  const example = async () => {
    let id = "";
    const problem = await outline.act(async () => {
      const suite = await api.addSuite(project, "Examples");
      const { steps, values } = exampleSteps({ scope: [], values: [] });
      const document = { "salt-path": 1, case: "A vessel is found again", values, steps };
      id = (await api.addCase(project, suite.id, document)).id;
    });
    void tell("outline");
    if (!problem) void navigate(`/cases/${id}`);
  };
  return (
    <div className="teach">
      <p>A suite is an ordered list of cases. Name the first one to begin.</p>
      <Typing
        text=""
        label="The first suite’s name"
        placeholder="What belongs together, such as Arrivals"
        save={async (name) =>
          name.trim() ? outline.act(() => api.addSuite(project, name.trim())) : undefined
        }
        close={() => undefined}
        quiet
      />
      <p>
        Or{" "}
        <button data-needs="edit" type="button" className="plain-link" onClick={() => void example()}>
          load an example
        </button>
        : one case of three steps that speaks to Fernholm Harbour, which comes with the demonstration. Or{" "}
        <Link className="plain-link" to="/cases/single">
          send a single request
        </Link>{" "}
        first, and look at what it is answered.
      </p>
    </div>
  );
}
