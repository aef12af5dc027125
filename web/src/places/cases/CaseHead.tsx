import { useState } from "react";
import { Link } from "react-router";
import type { Case, Environment, Evidence, Other, Step } from "../../app/api";
import { ago, count } from "../../app/format";
import { type RowsToRun, RunButton } from "../../parts/RunButton";
import { InPlace } from "../../parts/typing/InPlace";
import { CaseValues } from "./CaseValues";
import { setOwn } from "./edit/document";
import { History } from "./edit/History";
import type { Editing } from "./edit/useEditing";
import { AddRows } from "./rows/AddRows";
import { AboutField, NameField } from "./Titled";
import type { CaseRun } from "./useCaseRun";

export const VIEWS = ["Path", "Sheet", "Text"] as const;
export type View = (typeof VIEWS)[number];

interface Props {
  of: Case;
  state: Editing;
  evidence: Evidence | undefined;
  others: Other[];
  at: [Environment | undefined, (name: string) => void, Environment[]];
  running: CaseRun;
  run: () => void;
  view: View;
  show: (view: View) => void;
  step: Step | undefined;
  rows: RowsToRun | undefined;
}

/** What the case is, how it stands, and the run of it. */
export function CaseHead({ of, state, evidence, others, at, running, run, view, show, step, rows }: Props) {
  const [environment, choose, environments] = at;
  return (
    <div className="page-head">
      <div>
        <p className="crumb">
          <Link to="/cases">{of.suite.name}</Link> ▸{" "}
          <InPlace
            text={of.register}
            label="The case's id in your own register"
            hint="Such as BERTH-7; empty: none."
            save={(register) => state.edits.apply(setOwn("register", register.trim()))}
          >
            {of.register || <span className="add">+ register id</span>}
          </InPlace>
          {" · "}
          <InPlace
            text={of.tags.join(", ")}
            label="The case's tags"
            hint="With commas between them, such as arrivals, smoke."
            save={(tags) => state.edits.apply(setOwn("tags", tagsOf(tags)))}
          >
            {of.tags.length ? of.tags.join(", ") : <span className="add">+ tags</span>}
          </InPlace>
          {" · "}
          <button
            type="button"
            className="in-place"
            title="What happens when a step fails; a click changes it"
            onClick={() =>
              void state.edits.apply(setOwn("on failure", of.onFailure === "stop" ? "go on" : undefined))
            }
          >
            {of.onFailure === "stop" ? "stops at what fails" : "goes on after what fails"}
          </button>
        </p>
        <h1>
          <NameField of={of} edits={state.edits} />
        </h1>
        <p className="muted">
          <AboutField of={of} edits={state.edits} />
          {of.about ? <br /> : " · "}
          {facts(of, evidence)}
          {" · "}
          <CaseValues of={of} edits={state.edits} />
          {!of.rows && " · "}
          <AddRows of={of} edits={state.edits} step={step} />
          {evidence?.run && (
            <>
              {" · "}
              <Link to={`/cases/fields?case=${of.id}`}>what is not checked</Link>
            </>
          )}
          {others.length > 0 && <span className="here"> · {alsoHere(others)}</span>}
        </p>
      </div>
      <Views view={view} show={show} />
      <Saved of={of} state={state} />
      <RunButton
        what={rows ? "" : "this case"}
        rows={rows}
        environment={environment}
        environments={environments}
        choose={choose}
        run={run}
        running={running.running}
        stop={running.stop}
        shortcut
      />
    </div>
  );
}

/** The case as a path, as a sheet of its checks, or as a text; it is the same case. */
export function Views({ view, show }: Pick<Props, "view" | "show">) {
  return (
    <fieldset className="views" aria-label="How the case is shown">
      {VIEWS.map((name) => (
        <button
          key={name}
          type="button"
          className="plain-button"
          aria-pressed={name === view}
          onClick={() => show(name)}
        >
          {name}
        </button>
      ))}
    </fieldset>
  );
}

/** Undo, redo, what was before, and whether everything is kept. */
export function Saved({ of, state }: { of: Case; state: Editing }) {
  const [open, setOpen] = useState(false);
  const said = {
    saved: "",
    saving: "Saving…",
    kept: "Salt Path does not answer. Your edits wait in this browser and are saved when it is back.",
  }[state.saving];
  return (
    <>
      <div className="saved">
        <span role="status" className={state.saving === "kept" ? "trouble" : "muted"}>
          {said || state.notice}
        </span>
        <button type="button" className="plain-button" disabled={!state.canUndo} onClick={state.edits.undo}>
          Undo
        </button>
        <button type="button" className="plain-button" disabled={!state.canRedo} onClick={state.edits.redo}>
          Redo
        </button>
        <button type="button" className="plain-button" onClick={() => setOpen(true)}>
          Versions
        </button>
      </div>
      {open && <History id={of.id} version={of.version} editing={state.edits} close={() => setOpen(false)} />}
    </>
  );
}

const tagsOf = (text: string): string[] => [
  ...new Set(
    text
      .split(",")
      .map((tag) => tag.trim())
      .filter(Boolean),
  ),
];

function facts(of: Case, seen: Evidence | undefined): string {
  const checks = of.steps.reduce((sum, step) => sum + (step.expect?.length ?? 0), 0);
  const words = [count(of.steps.length, "step"), count(checks, "check")];
  if (of.rows) words.push(`rows of ${of.rows.source || of.rows.file || "its own"}`);
  if (seen?.run && seen.verdict) words.push(`last run ${ago(seen.run.startedAt)}: ${seen.verdict}`);
  return words.join(" · ");
}

function alsoHere(others: Other[]): string {
  const mine = others.filter((other) => other.same).length;
  const names = [...new Set(others.filter((other) => !other.same).map((other) => other.name))];
  if (mine) names.push(mine === 1 ? "you in another tab" : `you in ${mine} other tabs`);
  return `also open: ${names.join(", ")}`;
}
