import { useEffect, useRef, useState } from "react";
import { api } from "../../../api";
import { count, listed } from "../../../base/format";
import { type Accepted, acceptAll, type Cause } from "../../../case/accepted";
import type { CaseChange } from "../../../case/document";

interface Props {
  causes: Cause[];
  /** A sentence says why nothing could be changed. */
  apply: (changes: CaseChange[]) => Promise<string | undefined>;
  close: (accepted: number) => void;
}

/** After an intended change of the API: what came otherwise, cause by cause, becomes what is expected, in one act. */
export function Accept({ causes, apply, close }: Props) {
  const dialog = useRef<HTMLDialogElement>(null);
  // Another status is seldom what was meant; who means it ticks it.
  const [left, setLeft] = useState<ReadonlySet<string>>(
    () => new Set(causes.filter((cause) => cause.place === "status").map((cause) => cause.id)),
  );
  const several = new Set(causes.flatMap((cause) => cause.checks.map((item) => item.case))).size > 1;
  const [why, setWhy] = useState("");
  const [problem, setProblem] = useState("");
  useEffect(() => dialog.current?.showModal(), []);
  const chosen = causes.filter((cause) => !left.has(cause.id)).flatMap((cause) => cause.checks);
  const take = async () => {
    try {
      const items: Accepted[] = [];
      for (const id of new Set(chosen.map((changed) => changed.case))) {
        const own = chosen.filter((changed) => changed.case === id);
        const read = await api.readSheet(
          id,
          own.map(({ step, of, actual }) => ({ step, of, relation: "is", expected: actual })),
        );
        own.forEach((changed, index) => {
          const check = read[index]?.check;
          if (check) items.push({ changed, check });
        });
      }
      const wrong = await apply(acceptAll(items, why.trim()));
      if (wrong) setProblem(wrong);
      else if (items.length < chosen.length)
        setProblem(`${count(chosen.length - items.length, "value")} could not be read as an expected one.`);
      else close(items.length);
    } catch (failed) {
      setProblem((failed as Error).message);
    }
  };
  const turn = (id: string) => {
    const next = new Set(left);
    if (!next.delete(id)) next.add(id);
    setLeft(next);
  };
  return (
    <dialog ref={dialog} className="confirm accept" aria-label="What came otherwise" onClose={() => close(0)}>
      <h2>What came otherwise, and is right now</h2>
      <ul className="lines">
        {causes.map((cause) => (
          <li className="entry" key={cause.id}>
            <input
              id={cause.id}
              type="checkbox"
              checked={!left.has(cause.id)}
              onChange={() => turn(cause.id)}
            />
            <label htmlFor={cause.id}>
              <span className="mono">{cause.place}</span> was expected as{" "}
              <span className="mono before">{cause.expected}</span>, and is{" "}
              <span className="mono after">{cause.actual}</span>
              <span className="muted note">{where(cause, several)}</span>
            </label>
          </li>
        ))}
      </ul>
      <label className="why">
        Why, as a note at each{" "}
        <input
          value={why}
          onChange={(event) => setWhy(event.target.value)}
          aria-label="Why it is right now"
        />
      </label>
      {problem && (
        <p role="alert" className="problem">
          {problem}
        </p>
      )}
      <div className="actions">
        <button type="button" className="plain-button" onClick={() => close(0)}>
          Close
        </button>
        <button
          data-needs="edit"
          type="button"
          className="plain-button strong"
          disabled={!chosen.length}
          onClick={() => void take()}
        >
          Expect {count(chosen.length, "value")} as {chosen.length === 1 ? "it is" : "they are"}
        </button>
      </div>
    </dialog>
  );
}

function where({ checks }: Cause, several: boolean): string {
  const cases = [...new Set(checks.map((changed) => changed.caseName))];
  if (cases.length > 1)
    return `${count(checks.length, "check")}, in ${count(cases.length, "case")}: ${listed(cases.map((name) => `“${name}”`))}`;
  const steps = [...new Set(checks.map((changed) => String(changed.number)))];
  const words = `${count(checks.length, "check")}, in ${steps.length === 1 ? "step" : "steps"}`;
  return `${words} ${listed(steps)}${several ? ` of “${cases[0]}”` : ""}`;
}
