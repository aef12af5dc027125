import { type KeyboardEvent, useEffect, useRef, useState } from "react";
import type { Step } from "../../../api";
import { type CheckDocument, inChecks, setKeep, stepWith } from "../../../case/document";
import { canRunOver, keptAs, overList, takenNames } from "../../../case/handover";
import {
  anyOfKind,
  asBody,
  asItIs,
  asNow,
  everything,
  isAlwaysThere,
  isThere,
  type Loosened,
  oneOfSeen,
  type SeenPlaces,
  short,
} from "../../../case/making";
import { proposeName, reservedIn } from "../../../case/naming";
import { type SentPlace, whatWasSent } from "../../../case/sent";
import type { Change } from "../../../case/types";
import type { Picked } from "../../../parts/tree/picked";
import { Typing } from "../../../parts/typing/Typing";
import { useEdited } from "../state/context";
import { PutInto } from "./PutInto";

interface Props {
  step: Step;
  picked: Picked[];
  /** The key that asked: k keep, p put, b everything below; empty for a click. */
  asked: string;
  seen: SeenPlaces;
  sent: SentPlace[];
  close: () => void;
}

type Make = (picked: Picked, path: string) => CheckDocument | undefined;

/** What can be made of nodes of the answer, one or several: checks, kept values, a hand-over. */
export function NodeActs(props: Props) {
  const { step, picked, asked, seen, sent, close } = props;
  const { editing, single } = useEdited();
  const [mode, setMode] = useState(asked === "k" ? "keep" : asked === "p" ? "put" : "");
  const [byName, setByName] = useState(false);
  const [problem, setProblem] = useState("");
  const [loosened, setLoosened] = useState<Loosened[]>();
  const document = stepWith(editing.document, step.key);
  const only = picked.length === 1 ? picked[0] : undefined;
  const named = only?.named();
  const pathOf = (item: Picked) => (byName && item === only && named ? named.path : item.path);
  const expect = async (make: Make) => {
    const checks = picked.map((item) => make(item, pathOf(item))).filter((check) => check !== undefined);
    if (!checks.length) return setProblem("This value is masked, so it cannot be expected as it is.");
    await add(checks);
  };
  const apply = async (change: Change, loose: Loosened[] = []) => {
    const wrong = await editing.apply(change);
    if (wrong) setProblem(wrong);
    else if (loose.length) setLoosened(loose);
    else close();
  };
  const add = (checks: CheckDocument[], loose?: Loosened[]) =>
    apply(
      inChecks(step.key, (before) => [...before, ...checks]),
      loose,
    );
  const wereSent = whatWasSent(picked, sent, pathOf);
  const below = async () => {
    const found = everything(
      picked.flatMap((item) => item.below()),
      seen,
    );
    await add(found.checks, found.loosened);
  };
  const whole = async () => {
    const made = only && asBody(only, pathOf(only), seen);
    if (!made) return setProblem("There is nothing in it to expect.");
    await add([made.check], made.loosened);
  };
  const keepAll = async () => {
    const names = takenNames(editing.document);
    const changes = picked.map((item) => {
      const name = proposeName(item.path, String(document?.send), names);
      names.push(name);
      return setKeep(step.key, name, item.path);
    });
    await apply((before) => changes.reduce((next, change) => change(next), before));
  };
  const overItems = () => apply(overList(step.key, name, only ? pathOf(only) : ""));
  // B was pressed on it; what it loosened is told here.
  const begun = useRef(false);
  useEffect(() => {
    if (asked === "b" && !begun.current) void below();
    begun.current = true;
  });
  const keys = (event: KeyboardEvent) => {
    event.stopPropagation();
    if (event.key === "Escape") close();
  };
  if (!document) return null;
  if (loosened) {
    return (
      <div key="loosened" className="acts-bar column" data-needs="edit" role="status" onKeyDown={keys}>
        <span>Expected as it is, but for what had better stay loose:</span>
        {loosened.map((item) => (
          <span key={item.path}>
            <span className="mono">{item.path}</span> {item.why}
          </span>
        ))}
        {/* biome-ignore lint/a11y/noAutofocus: so that Enter or Escape ends the message */}
        <button type="button" autoFocus onClick={close}>
          Good
        </button>
      </div>
    );
  }
  const name = only
    ? (keptAs(document, pathOf(only)) ??
      proposeName(only.path, String(document.send), takenNames(editing.document)))
    : "";
  const own = only && reservedIn(only.path);
  if (mode === "keep" && only) {
    return (
      <div className="acts-bar" data-needs="edit" role="toolbar" aria-label={`Keep ${only.path}`}>
        keep as{" "}
        <Typing
          text={name}
          label="Keep as"
          always
          hint={own && `“${own}” is a word of Salt Path’s own, so it is kept under another name.`}
          save={(typed) => editing.apply(setKeep(step.key, typed.trim(), pathOf(only)))}
          close={close}
        />
      </div>
    );
  }
  if (mode === "put" && only)
    return <PutInto from={document} path={pathOf(only)} name={name} picked={only} close={close} />;
  const several = picked.length > 1;
  const one = only && oneOfSeen(seen.get(only.path), pathOf(only));
  const branches = picked.some((item) => item.kind === "object" || item.kind === "list");
  const label = only ? `What to make of ${only.path}` : `What to make of ${picked.length} places`;
  return (
    <div className="acts-bar" data-needs="edit" role="toolbar" aria-label={label} onKeyDown={keys}>
      {several && <span>{picked.length} places:</span>}
      <button type="button" onClick={() => void expect(asItIs)}>
        Expect {only ? asNow(only) : "each as it is"} <kbd>E</kbd>
      </button>
      {!isAlwaysThere(only) && picked.every((item) => item.kind !== "null") && (
        <button type="button" onClick={() => void expect(anyOfKind)}>
          Expect any {only ? only.kind : "of its kind"} <kbd>A</kbd>
        </button>
      )}
      {!isAlwaysThere(only) && only?.kind !== "object" && (
        <button type="button" onClick={() => void expect(isThere)}>
          Expect {several ? "them" : "it"} there <kbd>T</kbd>
        </button>
      )}
      {wereSent.length > 0 && (
        <button type="button" onClick={() => void add(wereSent)}>
          Expect what was sent{wereSent.length > 1 && ` (${wereSent.length})`} <kbd>S</kbd>
        </button>
      )}
      {one && (
        <button type="button" onClick={() => void expect(() => one)}>
          Expect one of the {(one["is one of"] as unknown[]).length} seen <kbd>O</kbd>
        </button>
      )}
      {branches && (
        <button type="button" onClick={() => void below()}>
          Expect everything below as it is <kbd>B</kbd>
        </button>
      )}
      {branches && only?.path.startsWith("$") && (
        <button type="button" onClick={() => void whole()}>
          Expect it as one body
        </button>
      )}
      <button type="button" onClick={() => (only ? setMode("keep") : void keepAll())}>
        {only ? "Keep as…" : "Keep them"} <kbd>K</kbd>
      </button>
      {only && !single && (
        <button type="button" onClick={() => setMode("put")}>
          Put into… <kbd>P</kbd>
        </button>
      )}
      {only?.kind === "list" && canRunOver(editing.document, step.key) && (
        <button type="button" onClick={() => void overItems()}>
          Run the case over its items
        </button>
      )}
      {named && (
        <button type="button" aria-pressed={byName} onClick={() => setByName(!byName)}>
          of the item whose {named.field} is {short(named.value)}
        </button>
      )}
      {problem && <span role="alert">{problem}</span>}
    </div>
  );
}
