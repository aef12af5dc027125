import type { Step, StepEvidence } from "../../../api";
import { addInside, setField } from "../../../case/document";
import { fromText } from "../../../case/pasting";
import { Pieces } from "../../../parts/Pieces";
import { InPlace } from "../../../parts/typing/InPlace";
import { Typing } from "../../../parts/typing/Typing";
import { useEdited, useInsertable } from "../state/context";

/** A step for each item of a list: which list, what an item is called, and a place for one more step inside. */
export function EachBand({ step, evidence }: { step: Step; evidence: StepEvidence | undefined }) {
  const { editing, openLater } = useEdited();
  const insertable = useInsertable(step.number, step.key);
  const each = step.each;
  if (!each) return null;
  const list = each.of.map((piece) => piece.text).join("");
  const add = async (text: string): Promise<string | undefined> => {
    if (!text.trim()) return undefined;
    const openIt = openLater();
    try {
      const { steps } = await fromText(text);
      const problem = await editing.apply((before) =>
        steps.reduce((document, one) => addInside(step.key, one)(document), before),
      );
      if (!problem) openIt(steps.at(-1)?.key ?? "");
      return problem;
    } catch (wrong) {
      return (wrong as Error).message;
    }
  };
  return (
    <div className="band">
      <h3>Each</h3>
      <div>
        <p>
          The steps below run once for each{" "}
          <InPlace
            text={each.item}
            label="What an item is called"
            save={(name) => editing.apply(setField(step.key, "as", name.trim() || undefined))}
          >
            <span className="reference">{each.item}</span>
          </InPlace>{" "}
          of{" "}
          <InPlace
            text={list}
            label="The list"
            hint="A value that holds a list, such as [=lines]."
            insertable={insertable}
            save={(text) => editing.apply(setField(step.key, "for each", text.trim()))}
          >
            <span className="mono">
              <Pieces pieces={each.of} used={evidence?.used} />
            </span>
          </InPlace>
          .
        </p>
        <Typing
          text=""
          label="Add a step for each item: a method and an address"
          placeholder={`+ a step for each: GET [=harbour]/vessels/[=${each.item}]`}
          save={add}
          insertable={insertable}
          close={() => undefined}
          quiet
        />
      </div>
    </div>
  );
}
