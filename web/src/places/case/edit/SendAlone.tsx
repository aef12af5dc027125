import { useState } from "react";
import type { Step, StepEvidence } from "../../../api";
import { count, listed } from "../../../base/format";
import { useEnvironment } from "../../../state/run";
import { useEdited } from "../state/context";
import type { SendAloneAct, StepsBefore } from "../state/useCaseRun";

interface Props {
  step: Step;
  used: StepEvidence["used"];
  send: SendAloneAct;
  busy: boolean;
}

/** Earlier steps that somebody has let go first on this page: the same is not asked twice. */
const agreed = new Set<string>();

/** Send one step with the values of the last run, or with other ones for this once. */
export function SendAlone({ step, used, send, busy }: Props) {
  const { id } = useEdited();
  const [environment] = useEnvironment();
  /** The same step of the same case, that changes no more than it did, and goes to the same place. */
  const known = ({ step, changes }: StepsBefore["items"][number]) =>
    [id, step, changes, environment?.name ?? ""].join(" ");
  const [values, setValues] = useState<Record<string, string>>();
  const [before, setBefore] = useState<StepsBefore>();
  const names = namesIn(step);
  const [first, setFirst] = useState<string[]>([]);
  const act = async (asked?: StepsBefore) => {
    const given = Object.entries(values ?? {}).filter(([, value]) => value !== "");
    const own = given.length ? Object.fromEntries(given) : undefined;
    for (const item of asked?.items ?? []) agreed.add(known(item));
    const missing = asked ?? (await send(step, own));
    const goes = missing && !missing.once.length && missing.items.every((item) => agreed.has(known(item)));
    setFirst(goes ? missing.items.map((item) => item.name) : []);
    setBefore(goes ? undefined : missing);
    if (missing && goes)
      await send(
        step,
        own,
        missing.items.map((item) => item.index),
      );
  };
  const last = (name: string) => {
    const value = used.find((use) => use.text === `[=${name}]`)?.value ?? "";
    return value.replace(/^“(.*)”$/s, "$1");
  };
  return (
    <span className="send-alone" data-needs="run">
      {values && (
        <span className="other-values">
          {names.map((name) => (
            <label key={name}>
              <span className="reference">{name}</span>{" "}
              <input
                value={values[name] ?? ""}
                placeholder={last(name) || "as it was"}
                onChange={(event) => setValues({ ...values, [name]: event.target.value })}
              />
            </label>
          ))}
        </span>
      )}
      {names.length > 0 && (
        <button type="button" className="plain-link" onClick={() => setValues(values ? undefined : {})}>
          {values ? "with the values of the last run" : "with other values…"}
        </button>
      )}
      <button type="button" className="plain-button small" disabled={busy} onClick={() => void act()}>
        {values ? "Send with these, this once" : "Send this step alone"}
      </button>
      {first.length > 0 && (
        <span className="muted small" role="status">
          {listed(first.map((name) => `“${name}”`))} {first.length === 1 ? "is" : "are"} sent first, for what
          it needs
        </span>
      )}
      {before && <Missing before={before} busy={busy} act={act} leave={() => setBefore(undefined)} />}
    </span>
  );
}

interface MissingProps {
  before: StepsBefore;
  busy: boolean;
  act: (asked: StepsBefore) => Promise<void>;
  leave: () => void;
}

/** The step needs values that nothing has kept yet: no other step is sent unless it is asked for. */
function Missing({ before, busy, act, leave }: MissingProps) {
  const changing = before.items.filter((item) => item.changes);
  const these = count(before.items.length, "step");
  return (
    <span className="steps-before" role="alert">
      {before.items.length > 0 && (
        <span>
          Nothing was sent: {listed(before.names)} {before.names.length === 1 ? "is" : "are"} not kept yet;{" "}
          {listed(before.items.map((item) => `“${item.name}”`))}{" "}
          {before.items.length === 1 ? "keeps" : "keep"} {before.names.length === 1 ? "it" : "them"}
          {changing.length > 0 &&
            `, and ${listed(changing.map((item) => `“${item.name}”`))} may change something there`}
          .
        </span>
      )}
      {before.once.length > 0 && (
        <span>
          Nothing was sent: {listed(before.once)} {before.once.length === 1 ? "is" : "are"} kept by what runs
          once, before everything; run the case, and it is there.
        </span>
      )}
      <span>
        {before.items.length > 0 && (
          <button
            type="button"
            className="plain-button small"
            disabled={busy}
            onClick={() => void act(before)}
          >
            Send {before.items.length === 1 ? "it" : `these ${these}`} first
          </button>
        )}{" "}
        <button type="button" className="plain-link" onClick={leave}>
          leave it
        </button>
      </span>
    </span>
  );
}

/** The plain values that a request inserts, by name. */
function namesIn(step: Step): string[] {
  const send = step.send;
  if (!send) return [];
  const pieces = [
    ...send.address,
    ...[...send.query, ...send.headers].flatMap((pair) => pair.value),
    ...(send.auth?.value ?? []),
    ...(send.body?.text ?? []),
  ];
  const names = pieces.map((piece) => /^\[=([^\W\d][\w-]*)\s*[|\]]/u.exec(piece.text)?.[1]);
  const generated = /^(any|now|today|clock|count)$/;
  return [...new Set(names.filter((name) => name !== undefined && !generated.test(name)))] as string[];
}
