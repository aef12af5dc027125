import { Link, useNavigate } from "react-router";
import type { Case, Environment, Evidence } from "../../../api";
import { type Json, readTyped } from "../../../base/exact";
import { ago, count } from "../../../base/format";
import { type Document, setOwn } from "../../../case/document";
import { RunButton } from "../../../parts/RunButton";
import { InPlace } from "../../../parts/typing/InPlace";
import { useStart } from "../../../state/run";
import { UseThere } from "../shared/UseThere";
import type { CaseRun } from "../state/useCaseRun";
import type { Editing } from "../state/useEditing";
import { type View, Views } from "./CaseHead";
import { Saved, SavedSaid } from "./Saved";
import { AboutField, NameField } from "./Titled";

interface Props {
  of: Case;
  shared: NonNullable<Case["shared"]>;
  state: Editing;
  evidence: Evidence | undefined;
  at: [Environment | undefined, (name: string) => void, Environment[]];
  running: CaseRun;
  run: () => void;
  view: View;
  show: (view: View) => void;
}

const MOST = 4;

/** Shared steps: what they are called, what they need and give, and the cases that a change of them touches. */
export function SharedHead({ of, shared, state, evidence, at, running, run, view, show }: Props) {
  const [environment, choose, environments] = at;
  const navigate = useNavigate();
  const start = useStart();
  const tryUsers = async () => {
    await state.edits.saved();
    const begun = await start({ cases: shared.cases.map((user) => user.id) }, environment);
    if (begun) void navigate(`/runs/${begun.id}`);
  };
  return (
    <div className="page-head case-head">
      <div className="case-title">
        <span className="crumb">
          <Link to="/cases">Cases</Link> ▸ shared steps
        </span>
        <h1 title={`In files: ${shared.called}`}>
          <NameField of={of} edits={state.edits} />
        </h1>
      </div>
      <Views view={view} show={show} />
      <Saved of={of} state={state} said={false} />
      <RunButton
        verb="Try"
        what="these steps"
        environment={environment}
        environments={environments}
        choose={choose}
        run={run}
        running={running.running}
        stop={running.stop}
        shortcut
      />
      <div className="case-second shared-second">
        <p className="muted">
          <AboutField of={of} edits={state.edits} />
          {evidence?.run &&
            evidence.verdict &&
            ` · tried ${ago(evidence.run.startedAt)}: ${evidence.verdict}`}
        </p>
        <Inputs shared={shared} state={state} />
        <p>
          {shared.uses ? "Used in " : "No case uses them yet."}
          {shared.cases.slice(0, MOST).map((user, index) => (
            <span key={user.id}>
              {index > 0 && ", "}
              <Link to={`/cases/${user.id}`}>{user.name}</Link>
            </span>
          ))}
          {shared.uses > MOST && ` and ${count(shared.uses - MOST, "other")}`}
          {shared.uses > 0 && (
            <>
              {"; what is changed here is changed there. "}
              <button data-needs="run" type="button" className="plain-link" onClick={() => void tryUsers()}>
                Run {shared.uses === 1 ? "this case" : `these ${shared.uses} cases`}
              </button>
            </>
          )}
        </p>
        <UseThere id={of.id} />
        <SavedSaid state={state} />
      </div>
    </div>
  );
}

/** "They need role, a text, desk by default; they give token." Each part is changed where it stands. */
function Inputs({ shared, state }: Pick<Props, "shared" | "state">) {
  const inputs = (document: Document) =>
    (document.inputs ?? {}) as { [name: string]: { [key: string]: Json } };
  const outputs = (document: Document) => (document.outputs ?? {}) as { [name: string]: Json };
  const saveInput = (name: string) => (text: string) => {
    const typed = text.trim();
    if (!typed)
      return state.edits.apply((document) => setOwn("inputs", left(inputs(document), name))(document));
    const [, kind, value] = /^(?:(text|number|integer|boolean|list|object)\b,?)?\s*(.*?)$/s.exec(typed) ?? [];
    const input = { ...(kind && { kind }), ...(value && { default: readTyped(value) }) };
    return state.edits.apply((document) =>
      setOwn("inputs", { ...inputs(document), [name]: input })(document),
    );
  };
  const rename = (text: string) =>
    state.edits.apply((document) => setOwn("inputs", { ...inputs(document), [text.trim()]: {} })(document));
  const saveOutput = (name: string) => (text: string) =>
    state.edits.apply((document) =>
      setOwn(
        "outputs",
        text.trim() ? { ...outputs(document), [name]: text.trim() } : left(outputs(document), name),
      )(document),
    );
  const addOutput = (text: string) => {
    const name = text.trim();
    return state.edits.apply((document) =>
      setOwn("outputs", { ...outputs(document), [name]: `[=kept.${name}]` })(document),
    );
  };
  return (
    <p className="shared-ends">
      {shared.inputs.length ? "They need " : "They need nothing"}
      {shared.inputs.map((input, index) => (
        <span key={input.name}>
          {index > 0 && ", "}
          <span className="reference mono">{input.name}</span>{" "}
          <InPlace
            text={[input.kind, input.value].filter(Boolean).join(", ")}
            label={`What ${input.name} is`}
            hint="Its kind (text, number, integer, boolean, list, object) and what it is by default: text, desk. Empty: no longer needed."
            save={saveInput(input.name)}
          >
            <span className="muted">
              (
              {[
                input.kind || "anything",
                input.needed ? "has to be given" : `${input.value} by default`,
              ].join(", ")}
              )
            </span>
          </InPlace>
        </span>
      ))}{" "}
      <InPlace text="" label="The name of a new input" save={rename}>
        <span className="add">+ an input</span>
      </InPlace>
      <br />
      {shared.outputs.length ? "They give " : "They give nothing "}
      {shared.outputs.map((output, index) => (
        <span key={output.name}>
          {index > 0 && ", "}
          <span className="reference mono">{output.name}</span>{" "}
          <InPlace
            text={output.value}
            label={`What is given as ${output.name}`}
            hint="A value that is kept inside, such as [=kept.token]. Empty: no longer given."
            save={saveOutput(output.name)}
          >
            <span className="muted mono">({output.value})</span>
          </InPlace>
        </span>
      ))}{" "}
      <InPlace
        text=""
        label="The name of a new output"
        hint="The name of a value that is kept inside."
        save={addOutput}
      >
        <span className="add">+ an output</span>
      </InPlace>
    </p>
  );
}

const left = (held: { [name: string]: Json }, name: string): { [name: string]: Json } =>
  Object.fromEntries(Object.entries(held).filter(([key]) => key !== name));
