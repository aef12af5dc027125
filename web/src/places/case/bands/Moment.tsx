import { api, type Step } from "../../../api";
import type { Json } from "../../../base/exact";
import { setField } from "../../../case/document";
import { InPlace } from "../../../parts/typing/InPlace";
import { useEdited, useInsertable } from "../state/context";

const REPEAT =
  /^(?:again\s+)?(?:until\s+)?(.+?),?\s+every\s+(\d[\d.]*\s*\w+),?\s+at most\s+(\d[\d.]*\s*\w+)$/i;

/** When the step is carried out, and how often: its condition, and what is waited for. Nothing is shown where it has neither. */
export function Moment({ step }: { step: Step }) {
  const { editing, id } = useEdited();
  const insertable = useInsertable(step.number, step.key);
  const check = async (text: string): Promise<Json | string> => {
    const understood = await api.understood(id, step.key, text);
    return (understood.check as Json) ?? (understood.problem || "This is no check.");
  };
  const saveCondition = async (text: string) => {
    const typed = text.trim().replace(/^only if\s+/i, "");
    if (!typed) return editing.apply(setField(step.key, "only if", undefined));
    const found = await check(typed);
    return typeof found === "string" ? found : editing.apply(setField(step.key, "only if", found));
  };
  const saveRepeat = async (text: string) => {
    if (!text.trim()) return editing.apply(setField(step.key, "repeat", undefined));
    const [, until, every, most] = REPEAT.exec(text.trim()) ?? [];
    if (!until || !every || !most) return "Write it as: until $.state is quoted, every 1 s, at most 20 s";
    const found = await check(until);
    if (typeof found === "string") return found;
    return editing.apply(setField(step.key, "repeat", { until: found, every, "at most": most }));
  };
  const { repeat, onlyIf } = step;
  const again = repeat ? `until ${repeat.until}, every ${repeat.every}, at most ${repeat["at most"]}` : "";
  return (
    <>
      <InPlace
        text={onlyIf}
        label="The condition of this step"
        hint="A check of a value, such as: value portCallId is present. Empty: always."
        insertable={insertable}
        save={saveCondition}
      >
        {onlyIf ? `only if ${onlyIf}` : <span className="muted add">+ condition</span>}
      </InPlace>
      {step.kind === "request" && (
        <>
          {" "}
          <InPlace
            text={again}
            label="What is waited for"
            hint="until $.state is quoted, every 1 s, at most 20 s. Empty: sent once."
            insertable={insertable}
            save={saveRepeat}
          >
            {again ? `sent again ${again}` : <span className="muted add">+ wait until</span>}
          </InPlace>
        </>
      )}
    </>
  );
}
