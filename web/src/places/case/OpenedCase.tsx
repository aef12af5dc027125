import { useQuery } from "@tanstack/react-query";
import { useCallback, useDeferredValue, useMemo, useState } from "react";
import { useSearchParams } from "react-router";
import type { Case } from "../../api";
import { queries } from "../../api/queries";
import type { Picked } from "../../parts/tree/picked";
import { LeftOver } from "../../parts/typing/LeftOver";
import { useEnvironment, useEnvironments } from "../../state/run";
import { useTab } from "../../state/tab";
import { CaseContexts } from "./CaseContexts";
import { CaseViews } from "./CaseViews";
import { Clashes } from "./edit/Clashes";
import { CaseHead, VIEWS, type View } from "./head/CaseHead";
import { SharedHead } from "./head/SharedHead";
import { SingleHead } from "./head/SingleHead";
import { Standing } from "./Standing";
import type { Dragged } from "./state/context";
import { isOfGoneStep, useFollowed, useSentAtOnce, worst } from "./state/onThePage";
import { useCaseKeys } from "./state/useCaseKeys";
import { type SendAloneAct, useCaseRun } from "./state/useCaseRun";
import { useEditing } from "./state/useEditing";
import { usePresence } from "./state/usePresence";
import { useRowsToRun } from "./state/useRowsToRun";
import { useStepInFocus } from "./state/useStepInFocus";

/** A case that was read: its head, and below it the view of it that is open. */
export function OpenedCase({ of }: { of: Case }) {
  const state = useEditing(of);
  useTab(of.name);
  const editing = state.edits;
  const [search, setSearch] = useSearchParams();
  const view: View = VIEWS.find((name) => name.toLowerCase() === search.get("view")) ?? "Path";
  const show = (next: View) => setSearch(next === "Path" ? {} : { view: next.toLowerCase() });
  const [run, chooseRun] = useState(search.get("run") ?? "");
  const [row, chooseRow] = useState(0);
  const evidence = useQuery(queries.evidence(of.id, run, row));
  const at = useEnvironment();
  const toRun = useRowsToRun(of, evidence.data?.run);
  const running = useCaseRun(of, at[0], toRun.asked);
  useFollowed(of);

  // A long case and its evidence are drawn in the background, so that typing and scrolling go on meanwhile.
  const drawn = useDeferredValue(evidence.data);
  const steps = useMemo(() => new Map((drawn?.steps ?? []).map((step) => [step.place, step])), [drawn]);
  const asked = of.steps.find((item) => item.number === Number(search.get("step")))?.key;
  const ran = drawn ? (drawn.run?.id ?? "none") : undefined;
  const focus = useStepInFocus(of, asked, steps, ran);
  const { step, choose, follow, opened } = focus;
  const others = usePresence(of.id, step?.key);

  const alone = of.single ? of.steps[0] : undefined;
  const runAll = useCallback(async () => {
    chooseRun("");
    await editing.saved();
    if (alone) return void (await running.sendAlone(alone));
    const before = opened();
    // A step that was opened while the run was being asked for stays open.
    const begun = await running.run();
    if (begun) follow(begun, before);
  }, [running.run, running.sendAlone, alone, editing, opened, follow]);
  const said = useSentAtOnce(runAll, useEnvironments().isSuccess);
  const sendAlone = useCallback<SendAloneAct>(
    async (alone, values, first) => {
      chooseRun("");
      choose(alone.key);
      await editing.saved();
      return running.sendAlone(alone, values, first);
    },
    [running.sendAlone, editing, choose],
  );
  const keys = useCaseKeys(of, steps, focus.chosen, choose, runAll, editing);
  const [dragged, setDragged] = useState<Dragged>();
  const drag = useCallback(
    (node: Picked | undefined) =>
      setDragged(node && step ? { from: step.key, number: step.number, picked: node } : undefined),
    [step],
  );
  const failing = worst(of, steps);
  const standing = (
    <Standing
      of={of}
      seen={steps}
      running={running}
      failing={failing === step?.key ? undefined : failing}
      choose={choose}
    />
  );
  const head = { of, state, at, running, run: () => void runAll(), view, show };
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: shortcuts of the page; every action has a button too
    <div className="case" onKeyDown={keys}>
      <CaseContexts
        of={of}
        editing={editing}
        steps={steps}
        dragged={dragged}
        choose={focus.pick}
        openLater={focus.openLater}
      >
        {of.shared ? (
          <SharedHead {...head} shared={of.shared} evidence={drawn} />
        ) : of.single ? (
          <SingleHead of={of} state={state} at={at} running={running} send={head.run} />
        ) : (
          <CaseHead
            {...head}
            evidence={drawn}
            others={others}
            step={step}
            rows={toRun.rows}
            standing={standing}
          />
        )}
        {said && <p className="live">{said}</p>}
        {(of.shared || of.single) && standing}
        <Clashes clashes={state.clashes} decide={state.decide} />
        <LeftOver where={`${of.id}.`} meant={(stray) => isOfGoneStep(stray.where, of)} />
        <CaseViews
          of={of}
          view={view}
          steps={steps}
          focus={focus}
          running={running}
          sendAlone={sendAlone}
          others={others}
          environment={at[0]}
          run={run}
          chooseRun={chooseRun}
          row={row}
          chooseRow={chooseRow}
          drag={drag}
        />
      </CaseContexts>
    </div>
  );
}
