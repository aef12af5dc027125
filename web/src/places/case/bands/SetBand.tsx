import type { Step, StepEvidence } from "../../../api";
import { isFields, type Json, readTyped } from "../../../base/exact";
import { inStep } from "../../../case/document";
import { Pieces } from "../../../parts/Pieces";
import { InPlace } from "../../../parts/typing/InPlace";
import { useEdited, useInsertable } from "../state/context";
import { uses } from "./KeepBand";

/** Values that are computed here: each with its name, what it is made of, what it was last, and where it goes. */
export function SetBand({ step, evidence }: { step: Step; evidence: StepEvidence | undefined }) {
  const { editing } = useEdited();
  const insertable = useInsertable(step.number, step.key);
  const change = (set: (values: { [name: string]: Json }) => { [name: string]: Json }) =>
    editing.apply(
      inStep(step.key, (before) => ({ ...before, set: set(isFields(before.set) ? before.set : {}) })),
    );
  /** The names keep their order, since a later one may use an earlier one. */
  const rename = (from: string, to: string) =>
    change((values) =>
      Object.fromEntries(
        Object.entries(values).flatMap(([name, value]) =>
          name === from ? (to ? [[to, value]] : []) : [[name, value]],
        ),
      ),
    );
  const add = (text: string) => {
    const [, name, value = ""] = /^\s*(\S+)\s*(?:=|\bto\b)\s*(.*)$/s.exec(text) ?? [];
    if (!name) return Promise.resolve("Write it as: name = what it is, such as reference = [=any digits 6]");
    return change((values) => ({ ...values, [name]: readTyped(value) }));
  };
  return (
    <div className="band">
      <h3>Set</h3>
      <ul>
        {step.set?.map((value) => {
          const last = evidence?.kept.find((kept) => kept.name === value.name);
          return (
            <li key={value.name} data-keep={value.name}>
              <InPlace
                text={value.name}
                label={`The name of ${value.name}`}
                hint="Empty: it is not set any more."
                save={(name) => rename(value.name, name.trim())}
              >
                <span className="reference">{value.name}</span>
              </InPlace>{" "}
              to{" "}
              <InPlace
                text={value.value.map((piece) => piece.text).join("")}
                label={`What ${value.name} is set to`}
                insertable={insertable}
                save={(text) => change((values) => ({ ...values, [value.name]: readTyped(text) }))}
              >
                <span className="mono">
                  <Pieces pieces={value.value} used={evidence?.used} />
                </span>
              </InPlace>
              <span className="was">{[last?.value, uses(value.to)].filter(Boolean).join(" · ")}</span>
            </li>
          );
        })}
        <li>
          <InPlace
            text=""
            label="One more value"
            hint="name = what it is, such as reference = [=any digits 6]"
            insertable={insertable}
            save={add}
          >
            <span className="add">+ a value</span>
          </InPlace>
        </li>
      </ul>
    </div>
  );
}
