import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Proposals as Proposed } from "../../../api";
import { queries } from "../../../api/queries";
import { count } from "../../../base/format";
import { inChecks } from "../../../case/document";
import { useEdited } from "../state/context";

/** What the step's kept answers propose to expect, when it is asked for: each with its evidence, taken singly or all. */
export function Proposals({ step }: { step: string }) {
  const { id, editing } = useEdited();
  const [open, setOpen] = useState(false);
  const asked = useQuery({ ...queries.proposals(id, step), enabled: open });
  const [taken, setTaken] = useState<ReadonlySet<string>>(new Set());
  const take = async (items: Proposed["items"]) => {
    const problem = await editing.apply(
      inChecks(step, (before) => [...before, ...items.map((item) => item.check)]),
    );
    if (!problem) setTaken(new Set([...taken, ...items.map((item) => item.typed)]));
  };
  const left = asked.data?.items.filter((item) => !taken.has(item.typed)) ?? [];
  return (
    <li className="proposals">
      <button
        data-needs="edit"
        type="button"
        className="plain-link"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
      >
        {open ? "Close the proposals" : "What its answers propose…"}
      </button>
      {open && (
        <div role="region" aria-label="What its answers propose">
          {asked.error && <p role="alert">{asked.error.message}</p>}
          {asked.data && (
            <p className="muted" role="status">
              {summary(asked.data, left.length, taken.size)}
            </p>
          )}
          {left.length > 0 && (
            <ul>
              {left.map((item) => (
                <li key={item.typed}>
                  <button
                    data-needs="edit"
                    type="button"
                    className="plain-link"
                    onClick={() => void take([item])}
                  >
                    Expect it
                  </button>
                  <span>
                    <span className="sentence">{item.typed}</span>
                    <span className="muted note">{item.evidence.sentence}</span>
                  </span>
                </li>
              ))}
            </ul>
          )}
          {left.length > 1 && (
            <button data-needs="edit" type="button" className="plain-link" onClick={() => void take(left)}>
              Expect all {left.length}
            </button>
          )}
        </div>
      )}
    </li>
  );
}

/** How much the answers justify by now, and from how many on they would justify more. */
function summary({ answers, needs }: Proposed, left: number, taken: number): string {
  const of = `${count(answers, "answer")} of this status ${answers === 1 ? "is" : "are"} kept.`;
  const more =
    answers < needs.always
      ? ` What was sent and comes back is proposed from ${needs.sent} on, forms of text from ${needs.forms} different values, what is always so from ${needs.always}.`
      : "";
  const justify = answers === 1 ? "It justifies" : "They justify";
  if (left) return `${of} ${justify} ${count(left, "check")} more.${more}`;
  return taken
    ? `${of} All that they justify is expected.`
    : `${of} ${justify} nothing that is not checked yet.${more}`;
}
