import type { Step, StepEvidence } from "../../../api";
import { cut } from "../../../base/cut";
import { isFields, type Json } from "../../../base/exact";
import { listed } from "../../../base/format";
import { inStep, setKeep } from "../../../case/document";
import { InPlace } from "../../../parts/typing/InPlace";
import { KeptPreview } from "../edit/KeptPreview";
import { useEdited } from "../state/context";

/** What later steps use of this answer: each value with where it comes from, its last value and where it goes. */
export function KeepBand({ step, evidence }: { step: Step; evidence: StepEvidence | undefined }) {
  const { editing } = useEdited();
  if (!step.keep?.length) return null;
  return (
    <div className="band">
      <h3>Keep</h3>
      <ul>
        {step.keep.map((keep) => {
          const last = evidence?.kept.find((item) => item.name === keep.name);
          return (
            <li key={keep.name} data-keep={keep.name}>
              <InPlace
                text={keep.of}
                label={`What is kept as ${keep.name}`}
                hint="a place of the answer; after | what cleans it: | trim, | upper, | cut 0 to 5 …"
                below={(of, put) => <KeptPreview step={step.key} of={of} put={put} />}
                save={(of) => {
                  const text = of.trim();
                  return editing.apply(setKeep(step.key, keep.name, kept({ ...keep, of: text })));
                }}
              >
                <span className="mono">{keep.of}</span>
              </InPlace>{" "}
              as{" "}
              <InPlace
                text={keep.name}
                label={`The name of ${keep.of}`}
                save={(name) => editing.apply(renamed(step.key, keep.name, name.trim()))}
              >
                <span className="reference">{keep.name}</span>
              </InPlace>
              {keep.secret && <span className="muted">, a secret</span>}
              {keep.build && <span className="muted">, the run’s build</span>}
              <span className="was">
                {[
                  last && !keep.secret ? cut(last.value, MOST_SHOWN) : "",
                  keep.gives.length ? `given as ${listed(keep.gives)}` : uses(keep.to),
                ]
                  .filter(Boolean)
                  .join(" · ")}
              </span>
              <span className="row-tools" data-needs="edit">
                <button
                  data-needs="edit"
                  type="button"
                  aria-label={`${keep.secret ? "no secret" : "secret"}: ${keep.name}`}
                  title={keep.secret ? "Show it again in evidence" : "Show it nowhere, as with a token"}
                  onClick={() =>
                    void editing.apply(
                      setKeep(step.key, keep.name, kept({ ...keep, secret: !keep.secret, build: false })),
                    )
                  }
                >
                  {keep.secret ? "no secret" : "secret"}
                </button>
                {!keep.secret && (
                  <button
                    data-needs="edit"
                    type="button"
                    aria-label={`${keep.build ? "no build" : "the build"}: ${keep.name}`}
                    title={
                      keep.build
                        ? "Runs do not say it of themselves"
                        : "A run of which no build is said says this one"
                    }
                    onClick={() =>
                      void editing.apply(setKeep(step.key, keep.name, kept({ ...keep, build: !keep.build })))
                    }
                  >
                    {keep.build ? "no build" : "the build"}
                  </button>
                )}
                <button
                  data-needs="edit"
                  type="button"
                  aria-label={`delete ${keep.name}`}
                  onClick={() => void editing.apply(setKeep(step.key, keep.name, undefined))}
                >
                  delete
                </button>
              </span>
            </li>
          );
        })}
      </ul>
    </div>
  );
}

/** A keep as the document has it. */
function kept({ of, secret, build }: { of: string; secret: boolean; build: boolean }): Json {
  if (secret) return { of, secret };
  return build ? { of, build } : of;
}

/** Another name, in the same place, and in every reference of the case. */
function renamed(key: string, from: string, to: string) {
  const pattern = new RegExp(`(\\[=(?:kept\\.)?)${from}(?=[\\]\\s])`, "g");
  return (document: Parameters<ReturnType<typeof inStep>>[0]) => {
    const changed = inStep(key, (step) => ({
      ...step,
      keep: Object.fromEntries(
        Object.entries((step.keep as object) ?? {}).map(([name, of]) => [name === from ? to : name, of]),
      ),
    }))(document);
    return replaced(changed, pattern, to) as typeof document;
  };
}

const MOST_SHOWN = 70;

/** Every text in a value with the pattern replaced; exact numbers stay what they are. */
function replaced(value: Json, pattern: RegExp, to: string): Json {
  if (typeof value === "string") return value.replace(pattern, `$1${to}`);
  if (Array.isArray(value)) return value.map((item) => replaced(item, pattern, to));
  if (isFields(value))
    return Object.fromEntries(
      Object.entries(value).map(([name, item]) => [name, replaced(item, pattern, to)]),
    );
  return value;
}

/** Where a value goes, in words. */
export function uses(to: number[]): string {
  if (!to.length) return "used nowhere yet";
  return `to ${to.length === 1 ? "step" : "steps"} ${listed(to.map(String))}`;
}
