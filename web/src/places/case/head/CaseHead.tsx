import { type ReactNode, useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import type { Case, Environment, Evidence, Other, Step } from "../../../api";
import { useMay } from "../../../api/may";
import { ago, count } from "../../../base/format";
import { setOwn } from "../../../case/document";
import { type RowsToRun, RunButton } from "../../../parts/RunButton";
import { InPlace } from "../../../parts/typing/InPlace";
import { AddRows } from "../rows/AddRows";
import type { CaseRun } from "../state/useCaseRun";
import type { Editing } from "../state/useEditing";
import { CaseValues } from "./CaseValues";
import { Saved, SavedSaid } from "./Saved";
import { AboutField, NameField } from "./Titled";

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
  /** How the run of the case stands. */
  standing: ReactNode;
}

/** What the case is, how it stands, and the run of it: two lines, the second cut where it is long until it is asked for. */
export function CaseHead(props: Props) {
  const { of, state, at, running, run, view, show, rows, standing } = props;
  const [environment, choose, environments] = at;
  return (
    <div className="page-head case-head">
      <div className="case-title">
        <span className="crumb">
          <Link to="/cases">{of.suite.name}</Link> ▸
        </span>
        <h1 title={of.name}>
          <NameField of={of} edits={state.edits} />
        </h1>
      </div>
      <Views view={view} show={show} />
      <Saved of={of} state={state} said={false}>
        <Link className="plain-button" data-needs="edit" to={`/watches/new?case=${of.id}`}>
          Watch
        </Link>
      </Saved>
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
      <div className="case-second">
        <Facts {...props} />
        <SavedSaid state={state} />
        {standing}
      </div>
    </div>
  );
}

/** All that is known of the case, in one line; the rest of it on demand. */
function Facts({ of, state, evidence, others, step }: Props) {
  const may = useMay("edit");
  const line = useRef<HTMLParagraphElement>(null);
  const [all, setAll] = useState(false);
  const [isCut, setCut] = useState(false);
  useEffect(() => {
    const element = line.current;
    if (!element) return;
    const measure = () => setCut(element.scrollWidth > element.clientWidth + 1);
    const observer = new ResizeObserver(measure);
    observer.observe(element);
    for (const child of element.children) observer.observe(child);
    measure();
    return () => observer.disconnect();
  });
  return (
    <>
      <p ref={line} className={all ? "muted case-facts all" : "muted case-facts"}>
        {facts(of, evidence)}
        {" · "}
        <CaseValues of={of} edits={state.edits} />
        {!of.rows && <span data-needs="edit"> · </span>}
        <AddRows of={of} edits={state.edits} step={step} />
        {evidence?.run && (
          <>
            {" · "}
            <Link to={`/cases/fields?case=${of.id}`}>what is not checked</Link>
          </>
        )}
        {others.length > 0 && <span className="here"> · {alsoHere(others)}</span>}
        {" · "}
        <AboutField of={of} edits={state.edits} />
        {" · "}
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
        <Link className="plain-link" to={`/cases/${of.id}/runs`}>
          its runs
        </Link>
        {" · "}
        <button
          disabled={!may}
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
      {(isCut || all) && (
        <button type="button" className="plain-link small" aria-expanded={all} onClick={() => setAll(!all)}>
          {all ? "less" : "more"}
        </button>
      )}
    </>
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
