import { Link } from "react-router";
import type { Step, StepEvidence } from "../../../api";
import type { Json } from "../../../base/exact";
import { count } from "../../../base/format";
import { inStep } from "../../../case/document";
import { Pieces } from "../../../parts/Pieces";
import { InPlace } from "../../../parts/typing/InPlace";
import { useEdited, useInsertable } from "../state/context";
import { useSharedSteps } from "../state/useShared";
import { uses } from "./KeepBand";

/** Shared steps where they are used: what goes in, what comes out, and where they are changed. */
export function UseBand({ step, evidence }: { step: Step; evidence: StepEvidence | undefined }) {
  const { editing } = useEdited();
  const insertable = useInsertable(step.number, step.key);
  const found = useSharedSteps().find((item) => item.called === step.use?.called);
  const use = step.use;
  if (!use) return null;
  const set = (field: "with" | "gives", name: string, value: string | undefined) =>
    editing.apply(
      inStep(step.key, (before) => {
        const { [field]: held, ...rest } = before;
        const next = { ...(held as { [key: string]: Json } | undefined) };
        if (value === undefined) delete next[name];
        else next[name] = value;
        return Object.keys(next).length ? { ...rest, [field]: next } : rest;
      }),
    );
  const given = use.gives.map((item) => item.output);
  return (
    <>
      <div className="band">
        <h3>With</h3>
        <ul>
          {use.inputs.map((input) => (
            <li key={input.name}>
              <span className="mono">{input.name}</span>{" "}
              <InPlace
                text={input.given ? input.value.map((piece) => piece.text).join("") : ""}
                label={`What ${input.name} is here`}
                hint={`${input.kind ? `A ${input.kind}. ` : ""}Type [= to insert a value.${input.needed ? "" : " Empty: as by default."}`}
                insertable={insertable}
                save={(text) => set("with", input.name, text.trim() || undefined)}
              >
                {input.given || !input.needed ? (
                  <span className={input.given ? "mono" : "mono muted"}>
                    is <Pieces pieces={input.value} used={evidence?.used} />
                  </span>
                ) : (
                  <span className="missing">is missing</span>
                )}
              </InPlace>
              {!input.given && !input.needed && <span className="muted"> by default</span>}
            </li>
          ))}
          {!use.inputs.length && <li className="muted">They need nothing.</li>}
        </ul>
      </div>
      <div className="band">
        <h3>Gives</h3>
        <ul>
          {use.gives.map((item) => (
            <li key={item.output} data-keep={item.name}>
              <span className="mono">{item.output}</span> as{" "}
              <InPlace
                text={item.name}
                label={`The name of ${item.output} here`}
                save={(name) => set("gives", item.output, name.trim() || undefined)}
              >
                <span className="reference">{item.name}</span>
              </InPlace>
              <span className="was">
                {[
                  evidence?.kept.find((kept) => kept.name === item.name && !kept.secret)?.value,
                  uses(item.to),
                ]
                  .filter(Boolean)
                  .join(" · ")}
              </span>
            </li>
          ))}
          {use.outputs
            .filter((name) => !given.includes(name))
            .map((name) => (
              <li key={name}>
                <button
                  data-needs="edit"
                  type="button"
                  className="plain-link"
                  onClick={() => void set("gives", name, name)}
                >
                  keep {name} too
                </button>
              </li>
            ))}
          {!use.outputs.length && <li className="muted">They give nothing.</li>}
        </ul>
      </div>
      <p className="step-line">
        {use.problem && <span className="trouble">{use.problem} </span>}
        {found && (
          <>
            <Link to={`/cases/${found.id}`}>Open the shared steps</Link>, {count(found.steps, "step")}, used
            in {count(found.uses, "case")}; a change there is one here, too.
          </>
        )}
      </p>
    </>
  );
}
