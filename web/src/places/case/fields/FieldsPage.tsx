import { useQuery } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { Link, useSearchParams } from "react-router";
import type { CaseCoverage } from "../../../api";
import { queries } from "../../../api/queries";
import { useStale } from "../../../api/stale";
import { count, whole } from "../../../base/format";
import { total, watched } from "../../../case/fields";
import { Notice } from "../../../parts/Notice";
import { UndoButton } from "../../../parts/UndoButton";
import { useSuite } from "../../cases/useSuite";
import { useSavedEdits } from "../state/useSavedEdits";
import { StepFields } from "./StepFields";

const NONE: CaseCoverage[] = [];

/** The fields of the last answers that no check watches, of a case or a whole suite; checked from here. */
export function FieldsPage() {
  const [search] = useSearchParams();
  const only = search.get("case") ?? "";
  const suite = search.get("suite") ?? "";
  const tell = useStale();
  const found = useQuery(queries.coverage(suite, only));
  const refresh = useCallback(() => tell("coverage"), [tell]);
  const { apply, undo, canUndo } = useSavedEdits(refresh);
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [said, setSaid] = useState("");
  const cases = found.data?.items ?? NONE;
  const answered = cases.filter((of) => of.steps.length);
  const { fields, checked } = total(cases);
  const name = cases.find((of) => of.case === only)?.name;
  const suiteName = useSuite(suite)?.name ?? "";
  const turn = (ids: string[], on: boolean) =>
    setChosen((before) => {
      const next = new Set(before);
      for (const id of ids) on ? next.add(id) : next.delete(id);
      return next;
    });
  const expect = async () => {
    setSaid("Looking at what the last answers had…");
    try {
      const problem = await apply(await watched(cases, chosen));
      setSaid(problem ?? `${count(chosen.size, "field")} ${chosen.size === 1 ? "is" : "are"} checked now.`);
      if (!problem) setChosen(new Set());
    } catch (wrong) {
      setSaid((wrong as Error).message);
    }
  };
  return (
    <div className="page fields">
      <div className="page-head">
        <div>
          <p className="crumb">
            <Link to="/cases">Cases</Link> ▸{" "}
            {only ? (
              <Link to={`/cases/${only}`}>{name}</Link>
            ) : (
              <Link to={`/cases/suite/${suite}`}>{suiteName}</Link>
            )}{" "}
            ▸ fields
          </p>
          <h1>
            {fields
              ? `${whole(checked)} of ${count(fields, "field")} of the last answers are checked`
              : "Which fields are checked"}
          </h1>
          <p className="muted">
            {fields > 0 &&
              "Below stand those that no check watches. Fields of several items of a list stand together, with [*]."}
          </p>
        </div>
        <UndoButton can={canUndo} undo={undo} />
      </div>
      {found.error && <Notice sentence={found.error.message} retry={() => void found.refetch()} />}
      {found.isSuccess && !answered.length && (
        <div className="teach">
          <p>
            No answer in JSON is kept yet. Run{" "}
            <Link className="plain-link" to={only ? `/cases/${only}` : "/cases"}>
              {only ? "the case" : "the suite"}
            </Link>{" "}
            once: the fields of its answers that no check watches then stand here.
          </p>
        </div>
      )}
      {answered.map((of) => (
        <OfCase key={of.case} of={of} alone={Boolean(only)} chosen={chosen} turn={turn} />
      ))}
      {answered.length > 0 && (
        <div className="expect-these">
          <button
            data-needs="edit"
            type="button"
            className="make"
            disabled={!chosen.size}
            onClick={() => void expect()}
          >
            Expect {chosen.size ? count(chosen.size, "field") : "the chosen fields"} as{" "}
            {chosen.size === 1 ? "it is" : "they are"}
          </button>
          <span className="muted">What varied between the last answers is expected in its kind only.</span>
          <span role="status">{said}</span>
        </div>
      )}
    </div>
  );
}

interface OfCaseProps {
  of: CaseCoverage;
  alone: boolean;
  chosen: ReadonlySet<string>;
  turn: (ids: string[], on: boolean) => void;
}

function OfCase({ of, alone, chosen, turn }: OfCaseProps) {
  const { fields, checked } = total([of]);
  const steps = of.steps.map((step) => (
    <StepFields key={step.step} of={of.case} step={step} chosen={chosen} turn={turn} />
  ));
  if (alone) return <>{steps}</>;
  return (
    <section aria-label={of.name}>
      <h2>
        <Link to={`/cases/${of.case}`}>{of.name}</Link>{" "}
        <span className="muted">
          {whole(checked)} of {whole(fields)}
        </span>
      </h2>
      {steps}
    </section>
  );
}
