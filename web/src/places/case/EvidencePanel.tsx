import { useQuery } from "@tanstack/react-query";
import { useContext, useMemo } from "react";
import type { Evidence as Seen, Step } from "../../api";
import { useMay } from "../../api/may";
import { queries } from "../../api/queries";
import type { Json } from "../../base/exact";
import { inChecks, stepWith } from "../../case/document";
import { anyOfKind, asItIs, byPath, everything, isThere, type SeenPlaces } from "../../case/making";
import { type SentPlace, sentBefore, sentPlaces, whatWasSent } from "../../case/sent";
import { isNamed } from "../../case/stepKinds";
import { asWritten } from "../../case/written";
import { Copies } from "../../parts/Copies";
import { Evidence } from "../../parts/Evidence";
import { Inside } from "../../parts/Inside";
import type { Acts, Picked } from "../../parts/tree/picked";
import { Runs } from "./EvidenceRuns";
import { NodeActs } from "./edit/NodeActs";
import { SignInContext } from "./edit/SignIn";
import { useEdited } from "./state/context";
import type { Edits } from "./state/useEditing";

interface Props {
  step: Step | undefined;
  seen: Seen["steps"][number] | undefined;
  about: string | undefined;
  /** The run that is looked at; the newest without one. */
  run: string;
  chooseRun: (run: string) => void;
  /** Which row is looked at; undefined: the case has none. */
  row: number | undefined;
  chooseRow: (row: number) => void;
  drag: (picked: Picked | undefined) => void;
  /** Where it can be folded away. */
  fold?: (() => void) | undefined;
}

/** The last answer of the step in focus, or the one that another run had; with what can be made of it. */
export function EvidencePanel({ step, seen, about, run, chooseRun, row, chooseRow, drag, fold }: Props) {
  const { id, single, editing } = useEdited();
  const key = step && isNamed(step) ? step.key : "";
  const shown = useQuery(queries.seen(id, seen ? key : undefined));
  const places = useMemo(() => byPath(shown.data), [shown.data]);
  const loose = useMemo(
    () => (path: string) => (places.get(path)?.loose?.code === "varied" ? "varies" : undefined),
    [places],
  );
  const exchange = seen?.exchanges.at(-1);
  const document = seen ? undefined : stepWith(editing.document, key);
  const around = useContext(SignInContext).findLast(
    (level) => level.auth && level.origin === step?.send?.auth?.from,
  );
  const written = document?.send
    ? asWritten(around ? { ...document, auth: around.document as Json } : document)
    : undefined;
  const sent = useMemo(
    () =>
      onceAsked(() => [...(step?.lookUp ? [] : sentPlaces(exchange)), ...sentBefore(editing.document, key)]),
    [exchange, step, editing.document, key],
  );
  const may = useMay("edit");
  const acts = useMemo(
    () =>
      may && step && isNamed(step)
        ? actsOn(editing, step, places, sent, single ? undefined : drag)
        : undefined,
    [may, editing, step, places, sent, drag, single],
  );
  const whose = (
    <>
      {row !== undefined && <RowField row={row} choose={chooseRow} />}
      <Runs id={id} about={about ?? ""} run={run} choose={chooseRun} />
    </>
  );
  return (
    <aside className="evidence" aria-label="Evidence">
      {fold && (
        <button type="button" className="plain-link fold-away" onClick={fold}>
          fold away
        </button>
      )}
      {seen && (step?.use || step?.each) ? (
        <Inside key={step.key} about={whose} run={seen.run} why={seen.why} inside={seen.inside} />
      ) : seen ? (
        <Evidence
          key={step?.key}
          step={seen}
          run={seen.run}
          about={whose}
          keeps={step?.keep}
          acts={acts}
          loose={loose}
          namespaces={seen.namespaces}
        />
      ) : (
        <div className="pad teach">
          <h2>Evidence</h2>
          {run && <Runs id={id} about="another run" run={run} choose={chooseRun} />}
          <p>
            The last real answer of this {single ? "request" : "step"} is shown here.{" "}
            {single ? "Send the request." : "Run the case, or send this step alone."}
          </p>
          <p>
            Then click a value of the answer to expect it
            {single ? " or to keep it." : ", to keep it, or to put it into a later step."}
          </p>
          {written && (
            <>
              <p>Until then the request can be copied as it is written.</p>
              <Copies request={written} />
            </>
          )}
        </div>
      )}
    </aside>
  );
}

/** Worked out when it is first asked for: most steps are only looked at. */
function onceAsked<Value>(work: () => Value): () => Value {
  let known: Value | undefined;
  return () => {
    known ??= work();
    return known;
  };
}

/** What pointing at the answer of a step can make; without `drag` there is no later step to put a value into. E a check as it is, A one for its kind, T that it is there, O one of what
 * was seen, S that it is what was sent, B everything below, K a kept value, P a hand-over. */
function actsOn(
  editing: Edits,
  step: Step,
  seen: SeenPlaces,
  sent: () => SentPlace[],
  drag: Acts["drag"],
): Acts {
  const expect = (checks: ReturnType<typeof everything>["checks"]) =>
    void editing.apply(inChecks(step.key, (before) => [...before, ...checks]));
  return {
    keys: drag ? "eatokpbs" : "eatokbs",
    press: (picked, key) => {
      if (key === "s") {
        const checks = whatWasSent(picked, sent());
        if (checks.length) expect(checks);
        return checks.length > 0;
      }
      const make = { e: asItIs, a: anyOfKind, t: isThere }[key];
      if (!make) return false;
      const checks = picked.map((item) => make(item, item.path)).filter((check) => check !== undefined);
      if (checks.length) expect(checks);
      return checks.length > 0;
    },
    show: (picked, key, close) => (
      <NodeActs
        key={`${picked.map((item) => item.path).join(" ")} ${key}`}
        step={step}
        picked={picked}
        asked={key}
        seen={seen}
        sent={sent()}
        close={close}
      />
    ),
    drag,
    hint:
      step.expect?.length || step.keep?.length
        ? ""
        : drag
          ? "Click a value to expect it, keep it, or put it into a later step; or drag it onto that step."
          : "Click a value to expect it, or to keep it.",
    rest: (unchecked) => expect(everything(unchecked, seen).checks),
  };
}

/** Which row's exchange is shown: its number, changed where it stands. */
function RowField({ row, choose }: { row: number; choose: (row: number) => void }) {
  return (
    <label className="row-field">
      row{" "}
      <input
        key={row}
        type="number"
        min={1}
        defaultValue={row || undefined}
        aria-label="Which row is looked at"
        onChange={(event) => event.target.valueAsNumber > 0 && choose(event.target.valueAsNumber)}
      />
      {" · "}
    </label>
  );
}
