import { useQuery } from "@tanstack/react-query";
import {
  type KeyboardEvent,
  lazy,
  Suspense,
  startTransition,
  useCallback,
  useDeferredValue,
  useEffect,
  useMemo,
  useRef,
  useState,
} from "react";
import { useParams, useSearchParams } from "react-router";
import { ApiProblem, api, type Case, type Step } from "../../api";
import { useActions } from "../../base/finding";
import { ago } from "../../base/format";
import { placesIn, referencesFor } from "../../case/references";
import { KnownContext } from "../../parts/known";
import { Notice } from "../../parts/Notice";
import type { Picked } from "../../parts/tree/picked";
import { stepWithDraft, WhereContext } from "../../parts/typing/drafts";
import type { Reference } from "../../parts/typing/inserting";
import { LeftOver } from "../../parts/typing/LeftOver";
import type { MarkKind } from "../../parts/VerdictMark";
import { useChosenProject } from "../../state/project";
import { useEnvironment, useEnvironments } from "../../state/run";
import { EvidencePanel } from "./EvidencePanel";
import { Clashes } from "./edit/Clashes";
import { SignInContext } from "./edit/SignIn";
import { CaseHead, VIEWS, type View } from "./head/CaseHead";
import { SharedHead } from "./head/SharedHead";
import { SingleHead } from "./head/SingleHead";
import { RowsCard } from "./rows/RowsCard";
import { Standing } from "./Standing";
import { SentBefore } from "./single/SentBefore";
import { DragContext, type Dragged, EditContext, EveryContext } from "./state/context";
import { isOfGoneStep, pressed, useFolded, useFollowed, useSentAtOnce, worst } from "./state/onThePage";
import { type SendAloneAct, useCaseRun } from "./state/useCaseRun";
import { useEditing } from "./state/useEditing";
import { usePresence } from "./state/usePresence";
import { useRowsToRun } from "./state/useRowsToRun";
import { Trail } from "./Trail";

const TextView = lazy(() => import("./text/TextView"));
const SheetView = lazy(() => import("./sheet/SheetView"));

/** A case as a path to read and to run, with the evidence of the step in focus beside it. */
export function CasePage() {
  const { id = "" } = useParams();
  const loaded = useQuery({ queryKey: ["case", id], queryFn: () => api.case(id) });
  const choose = useChosenProject();
  const project = loaded.data?.project;
  useEffect(() => {
    if (project) choose(project);
  }, [project, choose]);
  // Asked for together with the case, not after it.
  useQuery({ queryKey: ["evidence", id, "", 0], queryFn: () => api.evidence(id) });
  const shown = useDeferredValue(loaded.data);
  if (loaded.error) {
    return (
      <div className="page">
        <Notice sentence={loaded.error.message} retry={() => void loaded.refetch()} />
        {loaded.error instanceof ApiProblem && loaded.error.status === 410 && (
          <p className="pad">
            <button
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
  return <Opened key={`${id} ${shown.single}`} of={shown} />;
}

function Opened({ of }: { of: Case }) {
  const state = useEditing(of);
  const editing = state.edits;
  const [search, setSearch] = useSearchParams();
  const asked = of.steps.find((item) => item.number === Number(search.get("step")))?.key;
  const [picked, setKey] = useState<string | undefined>(() => asked ?? stepWithDraft(of.id));
  /** The run since whose beginning nobody opened another step, so that its end may lead elsewhere. */
  const [released, setReleased] = useState("");
  const setPicked = useCallback((key: string | undefined) => {
    setReleased("");
    setKey(key);
  }, []);
  const known = useRef<(before: number) => Reference[]>(() => []);
  const pick = useCallback((key: string) => startTransition(() => setPicked(key)), [setPicked]);
  const edited = useMemo(
    () => ({
      id: of.id,
      single: of.single,
      shared: Boolean(of.shared),
      editing,
      references: (before: number) => known.current(before),
      choose: pick,
    }),
    [of.id, of.single, of.shared, editing, pick],
  );
  const places = useMemo(() => placesIn(of), [of]);
  const view: View = VIEWS.find((name) => name.toLowerCase() === search.get("view")) ?? "Path";
  const [folded, fold] = useFolded();
  const [run, chooseRun] = useState("");
  const [row, chooseRow] = useState(0);
  const evidence = useQuery({
    queryKey: ["evidence", of.id, run, row],
    queryFn: () => api.evidence(of.id, run, row),
    placeholderData: (before) => before,
  });
  const open = useRef(picked);
  open.current = picked;
  const [dragged, setDragged] = useState<Dragged>();
  const at = useEnvironment();
  const toRun = useRowsToRun(of, evidence.data?.run);
  const running = useCaseRun(of, at[0], toRun.asked);
  useFollowed(of);

  // A long case and its evidence are drawn in the background, so that typing and scrolling go on meanwhile.
  const drawn = useDeferredValue(evidence.data);
  const steps = useMemo(() => new Map((drawn?.steps ?? []).map((step) => [step.place, step])), [drawn]);
  known.current = (before) => referencesFor(of, steps, before);
  // The step that needs a person is found once a run, so that mending it does not lead away from it.
  const first = useRef<{ run: string; key: string | undefined }>(undefined);
  const ran = drawn ? (drawn.run?.id ?? "none") : undefined;
  if (ran && first.current?.run !== ran) first.current = { run: ran, key: worst(of, steps) };
  // After a run it leads to what needs a person; where all is well the page stays where it was.
  const lead = released && released === ran ? first.current?.key : undefined;
  const step =
    of.steps.find((item) => item.key === (lead ?? picked)) ??
    of.steps.find((item) => item.key === first.current?.key) ??
    of.steps.find((item) => item.kind === "request");
  const chosen = step?.number ?? 0;
  const seen = step && steps.get(step.place);
  const others = usePresence(of.id, step?.key);
  const failing = worst(of, steps);

  const alone = of.single ? of.steps[0] : undefined;
  const runAll = useCallback(async () => {
    chooseRun("");
    await editing.saved();
    if (alone) return void (await running.sendAlone(alone));
    const before = open.current;
    // A step that was opened while the run was being asked for stays open.
    const begun = await running.run();
    if (begun && open.current === before) setReleased(begun);
  }, [running.run, running.sendAlone, alone, editing]);
  const said = useSentAtOnce(runAll, useEnvironments().isSuccess);
  const sendAlone = useCallback<SendAloneAct>(
    async (alone, values, first) => {
      chooseRun("");
      setPicked(alone.key);
      await editing.saved();
      return running.sendAlone(alone, values, first);
    },
    [running.sendAlone, editing, setPicked],
  );
  const verdict = (item: Step): MarkKind => {
    const live = running.live;
    const done = live?.cases[0]?.steps.find((head) => head.place === item.place);
    if (done) return done.verdict;
    if (!running.running || live?.kind === "trial") return steps.get(item.place)?.verdict ?? "waiting";
    return item.number === (live?.cases[0]?.steps.length ?? 0) + 1 ? "running" : "waiting";
  };
  const keys = (event: KeyboardEvent) => {
    const typing = event.target instanceof HTMLElement && event.target.closest("input, textarea, .cm-editor");
    if (pressed(event, runAll, editing, Boolean(typing))) event.preventDefault();
    const move = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    const onHead = event.target instanceof HTMLElement && event.target.classList.contains("step-head");
    if (move && onHead && !event.altKey) {
      event.preventDefault();
      const next = Math.min(of.steps.length, Math.max(1, chosen + move));
      setPicked(of.steps[next - 1]?.key);
      document.querySelector<HTMLElement>(`[data-step="${next}"] .step-head`)?.focus();
    }
  };
  useEffect(() => {
    const anywhere = (event: globalThis.KeyboardEvent) => {
      if (event.target === document.body) pressed(event, runAll, editing, false);
    };
    document.addEventListener("keydown", anywhere);
    return () => document.removeEventListener("keydown", anywhere);
  }, [runAll, editing]);
  useActions(
    useMemo(
      () => [
        ...of.steps.map((item) => ({
          name: `Step ${item.number}: ${item.name}`,
          about: "of this case",
          act: () => setPicked(item.key),
        })),
        ...referencesFor(of, steps, of.steps.length + 1).map((value) => ({
          name: value.name,
          about: `value of ${value.from}: ${value.value}`,
          act: () => setPicked(of.steps.find((item) => value.from === `step ${item.number}`)?.key),
        })),
        { name: "Run this case", about: "do it", act: () => void runAll() },
        { name: "Undo the last edit", about: "do it", act: editing.undo },
        { name: "Go to the first failure", about: "do it", act: () => setPicked(worst(of, steps)) },
      ],
      [of, steps, runAll, editing, setPicked],
    ),
  );
  const about =
    seen &&
    (of.single
      ? `sent ${ago(seen.at)}`
      : of.shared
        ? `tried ${ago(seen.at)}`
        : seen.runKind === "trial"
          ? "sent alone"
          : `run ${seen.runNumber}`);
  const drag = useCallback(
    (node: Picked | undefined) =>
      setDragged(node && step ? { from: step.key, number: step.number, picked: node } : undefined),
    [step],
  );
  const standing = (
    <Standing
      of={of}
      seen={steps}
      running={running}
      failing={failing === step?.key ? undefined : failing}
      choose={setPicked}
    />
  );
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: shortcuts of the page; every action has a button too
    <div className="case" onKeyDown={keys}>
      <EditContext.Provider value={edited}>
        <DragContext.Provider value={dragged}>
          <WhereContext.Provider value={of.id}>
            <KnownContext.Provider value={places}>
              <EveryContext.Provider value={of.everyAnswer}>
                <SignInContext.Provider value={of.signIns}>
                  {of.shared ? (
                    <SharedHead
                      of={of}
                      shared={of.shared}
                      state={state}
                      evidence={drawn}
                      at={at}
                      running={running}
                      run={() => void runAll()}
                      view={view}
                      show={(next) => setSearch(next === "Path" ? {} : { view: next.toLowerCase() })}
                    />
                  ) : of.single ? (
                    <SingleHead of={of} state={state} at={at} running={running} send={() => void runAll()} />
                  ) : (
                    <CaseHead
                      of={of}
                      state={state}
                      evidence={drawn}
                      others={others}
                      at={at}
                      running={running}
                      run={() => void runAll()}
                      view={view}
                      show={(next) => setSearch(next === "Path" ? {} : { view: next.toLowerCase() })}
                      step={step}
                      rows={toRun.rows}
                      standing={standing}
                    />
                  )}
                  {said && <p className="live">{said}</p>}
                  {(of.shared || of.single) && standing}
                  <Clashes clashes={state.clashes} decide={state.decide} />
                  <LeftOver where={`${of.id}.`} meant={(stray) => isOfGoneStep(stray.where, of)} />
                  <div
                    className={
                      view !== "Sheet"
                        ? "case-columns"
                        : folded
                          ? "case-columns wide folded"
                          : "case-columns wide"
                    }
                  >
                    {view === "Text" && (
                      <Suspense fallback={<p className="muted pad">Opening the text…</p>}>
                        <TextView of={of} />
                      </Suspense>
                    )}
                    {view === "Sheet" && (
                      <Suspense fallback={<p className="muted pad">Opening the sheet…</p>}>
                        <SheetView of={of} evidence={steps} choose={pick} />
                      </Suspense>
                    )}
                    {view === "Path" && (
                      <Trail
                        of={of}
                        chosen={chosen}
                        choose={pick}
                        evidence={steps}
                        verdict={verdict}
                        sendAlone={sendAlone}
                        busy={running.running}
                        others={others}
                        rows={<RowsCard of={of} step={step} seen={seen} environment={at[0]} />}
                      >
                        {of.single && <SentBefore id={of.id} run={run} chooseRun={chooseRun} />}
                      </Trail>
                    )}
                    {view === "Sheet" && folded ? (
                      <button
                        type="button"
                        className="evidence-strip"
                        aria-expanded={false}
                        onClick={() => fold(false)}
                      >
                        Evidence
                      </button>
                    ) : (
                      <EvidencePanel
                        step={step}
                        seen={seen}
                        about={about}
                        run={run}
                        chooseRun={chooseRun}
                        row={of.rows ? (seen?.row ?? row) : undefined}
                        chooseRow={chooseRow}
                        drag={drag}
                        fold={view === "Sheet" ? () => fold(true) : undefined}
                      />
                    )}
                  </div>
                </SignInContext.Provider>
              </EveryContext.Provider>
            </KnownContext.Provider>
          </WhereContext.Provider>
        </DragContext.Provider>
      </EditContext.Provider>
    </div>
  );
}
