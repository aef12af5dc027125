import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import type { Run, Shapes } from "../../api";
import { queries } from "../../api/queries";
import { ago, duration } from "../../base/format";
import { Notice } from "../../parts/Notice";
import { VerdictMark } from "../../parts/VerdictMark";
import { useTab } from "../../state/tab";
import { ComparedSteps } from "./ComparedSteps";

type ComparedCase = Shapes["ComparedCase"];

const BECAME: { [became in ComparedCase["became"]]: string } = {
  broke: "broke",
  otherwise: "bad for another reason",
  mended: "mended",
  "still bad": "still bad",
  "only here": "only in this run",
  "only there": "only in that run",
  same: "the same",
};

/** A run beside another: what became of each case, and what its steps took then and now. */
export function ComparePage() {
  const { id = "", other = "" } = useParams();
  const found = useQuery(queries.compared(id, other));
  const [same, setSame] = useState(false);
  const compared = found.data;
  useTab(compared ? `Run ${compared.run.number} beside run ${compared.with.number}` : "Two runs");
  if (found.error)
    return (
      <div className="page">
        <Notice sentence={found.error.message} retry={() => void found.refetch()} />
      </div>
    );
  if (!compared) return <p className="muted pad">Reading both runs…</p>;
  const { run, with: then, cases } = compared;
  const alike = cases.filter(({ became }) => became === "same").length;
  const shown = same || alike === cases.length ? cases : cases.filter(({ became }) => became !== "same");
  return (
    <div className="page">
      <div className="page-head">
        <div>
          <p className="crumb">
            <Link to="/runs">Runs</Link> ▸ <Link to={`/runs/${run.id}`}>{run.number}</Link> ▸ beside{" "}
            <Link to={`/runs/${then.id}`}>{then.number}</Link>
          </p>
          <h1>
            {run.title}: run {run.number} beside run {then.number}
            {then.title !== run.title && `, ${then.title}`}
          </h1>
        </div>
      </div>
      <div className="banner">
        <p>
          {compared.sentences.map((sentence, index) =>
            index === 0 ? (
              <strong key={sentence}>{sentence} </strong>
            ) : (
              <span key={sentence}>{sentence} </span>
            ),
          )}
        </p>
        <p className="muted small">
          now: {about(run)} · then: {about(then)}
        </p>
      </div>
      <table className="beside">
        <thead>
          <tr>
            <th scope="col">case</th>
            <th scope="col">since then</th>
            <th scope="col">then, run {then.number}</th>
            <th scope="col">now, run {run.number}</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((entry) => (
            <Compared
              key={`${entry.case} ${entry.environment}`}
              run={run.id}
              then={then.id}
              entry={entry}
              several={run.environments.length > 1 || then.environments.length > 1}
            />
          ))}
        </tbody>
      </table>
      {alike > 0 && alike < cases.length && (
        <p>
          <button type="button" className="plain-link" onClick={() => setSame(!same)}>
            {same ? "Leave out what came the same" : `Show the ${alike} that came the same, too`}
          </button>
        </p>
      )}
    </div>
  );
}

interface ComparedProps {
  run: string;
  then: string;
  entry: ComparedCase;
  /** One of the two went to several environments. */
  several: boolean;
}

function Compared({ run, then, entry, several }: ComparedProps) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <tr>
        <th scope="row">
          <button type="button" className="in-place" aria-expanded={open} onClick={() => setOpen(!open)}>
            {entry.name}
          </button>{" "}
          <span className="muted small">
            {[entry.suite, several && entry.environment].filter(Boolean).join(" · ")}
          </span>
        </th>
        <td>{BECAME[entry.became]}</td>
        <Side side={entry.there} />
        <Side side={entry.here} />
      </tr>
      {open && (
        <tr>
          <td colSpan={4}>
            <ComparedSteps run={run} then={then} entry={entry} />
          </td>
        </tr>
      )}
    </>
  );
}

function Side({ side }: { side: ComparedCase["here"] }) {
  if (!side) return <td className="muted">not in it</td>;
  return (
    <td>
      {side.verdict && <VerdictMark verdict={side.verdict} size={12} />}{" "}
      <span className="number">{duration(side.ms)}</span>
      {side.why && <span className="muted small why-then">{side.why.sentence}</span>}
    </td>
  );
}

function about(run: Run): string {
  const build = run.build ? `build ${run.build}` : "";
  const where = run.environment ? `against ${run.environment}` : "";
  return [`run ${run.number}`, ago(run.askedAt), build, where].filter(Boolean).join(", ");
}
