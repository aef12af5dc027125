import { lazy, Suspense } from "react";
import type { Case, Environment, Evidence, Step } from "../../api";
import { ago } from "../../base/format";
import type { Picked } from "../../parts/tree/picked";
import type { MarkKind } from "../../parts/VerdictMark";
import { EvidencePanel } from "./EvidencePanel";
import type { View } from "./head/CaseHead";
import { RowsCard } from "./rows/RowsCard";
import { SentBefore } from "./single/SentBefore";
import { useFolded } from "./state/onThePage";
import type { SendAloneAct, useCaseRun } from "./state/useCaseRun";
import type { usePresence } from "./state/usePresence";
import type { Focus } from "./state/useStepInFocus";
import { Trail } from "./Trail";

const TextView = lazy(() => import("./text/TextView"));
const SheetView = lazy(() => import("./sheet/SheetView"));

type SeenStep = Evidence["steps"][number];

interface Props {
  of: Case;
  view: View;
  /** What each step saw, by its place. */
  steps: Map<string, SeenStep>;
  focus: Focus<SeenStep>;
  running: ReturnType<typeof useCaseRun>;
  sendAlone: SendAloneAct;
  others: ReturnType<typeof usePresence>;
  environment: Environment | undefined;
  /** The run and the row whose evidence is shown; the newest, where nobody chose. */
  run: string;
  chooseRun: (run: string) => void;
  row: number;
  chooseRow: (row: number) => void;
  drag: (node: Picked | undefined) => void;
}

/** The case as its path, as a sheet or as text, and beside it the evidence of the step that is open. */
export function CaseViews(props: Props) {
  const { of, view, steps, focus, running } = props;
  const { step, seen, pick } = focus;
  const [folded, fold] = useFolded();
  const isSheet = view === "Sheet";
  const wide = isSheet ? (folded ? " wide folded" : " wide") : "";
  return (
    <div className={`case-columns${wide}`}>
      {view === "Text" && (
        <Suspense fallback={<p className="muted pad">Opening the text…</p>}>
          <TextView of={of} />
        </Suspense>
      )}
      {isSheet && (
        <Suspense fallback={<p className="muted pad">Opening the sheet…</p>}>
          <SheetView of={of} evidence={steps} choose={pick} />
        </Suspense>
      )}
      {view === "Path" && (
        <Trail
          of={of}
          chosen={focus.chosen}
          choose={pick}
          evidence={steps}
          verdict={(item) => verdictOf(item, steps, running)}
          sendAlone={props.sendAlone}
          busy={running.running}
          others={props.others}
          rows={<RowsCard of={of} step={step} seen={seen} environment={props.environment} />}
        >
          {of.single && <SentBefore id={of.id} run={props.run} chooseRun={props.chooseRun} />}
        </Trail>
      )}
      {isSheet && folded ? (
        <button type="button" className="evidence-strip" aria-expanded={false} onClick={() => fold(false)}>
          Evidence
        </button>
      ) : (
        <EvidencePanel
          step={step}
          seen={seen}
          about={seen && whenSeen(of, seen)}
          run={props.run}
          chooseRun={props.chooseRun}
          row={of.rows ? (seen?.row ?? props.row) : undefined}
          chooseRow={props.chooseRow}
          drag={props.drag}
          fold={isSheet ? () => fold(true) : undefined}
        />
      )}
    </div>
  );
}

/** How a step stands: as it goes while the case runs, else as it was last. */
function verdictOf(item: Step, steps: Map<string, SeenStep>, running: Props["running"]): MarkKind {
  const live = running.live;
  const finished = running.own?.steps;
  const done = finished?.find((head) => head.place === item.place);
  if (done) return done.verdict;
  if (!running.running || live?.kind === "trial") return steps.get(item.place)?.verdict ?? "waiting";
  return item.number === (finished?.length ?? 0) + 1 ? "running" : "waiting";
}

function whenSeen(of: Case, seen: SeenStep): string {
  if (of.single) return `sent ${ago(seen.at)}`;
  if (of.shared) return `tried ${ago(seen.at)}`;
  return seen.runKind === "trial" ? "sent alone" : `run ${seen.runNumber}`;
}
