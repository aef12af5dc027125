import { createContext, type ReactNode, useCallback, useContext, useRef, useState } from "react";
import type { ChangingStep } from "../api";
import { count } from "../base/format";

/** Which of the steps may change the guarded environment: their keys; nothing where it is not to be run at all. */
type Ask = (environment: string, steps: ChangingStep[]) => Promise<string[] | undefined>;
const Asking = createContext<Ask>(() => Promise.resolve(undefined));
export const useAskChanges = (): Ask => useContext(Asking);

interface Question {
  environment: string;
  steps: ChangingStep[];
}

/** Asks about each step that may change a guarded environment, in the browser's own dialog. */
export function ChangesProvider({ children }: { children: ReactNode }) {
  const dialog = useRef<HTMLDialogElement>(null);
  const answer = useRef<(keys: string[] | undefined) => void>(() => undefined);
  const [question, setQuestion] = useState<Question>();
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const ask = useCallback<Ask>((environment, steps) => {
    setQuestion({ environment, steps });
    setLeft(new Set());
    return new Promise((resolve) => {
      answer.current = resolve;
      dialog.current?.showModal();
    });
  }, []);
  const close = (keys: string[] | undefined) => {
    answer.current(keys);
    dialog.current?.close();
  };
  const steps = question?.steps ?? [];
  const chosen = [...new Set(steps.map((step) => step.step).filter((key) => !left.has(key)))];
  const turn = (key: string) => {
    const next = new Set(left);
    if (!next.delete(key)) next.add(key);
    setLeft(next);
  };
  return (
    <Asking.Provider value={ask}>
      {children}
      <dialog
        ref={dialog}
        className="confirm changes"
        aria-labelledby="changes-title"
        onCancel={() => answer.current(undefined)}
      >
        <h2 id="changes-title">Run against {question?.environment}?</h2>
        <p>
          {question?.environment} is guarded. {count(steps.length, "step")} may change something there, for
          everybody; what is not ticked is left out.
        </p>
        <ul className="changing">
          {steps.map((step) => (
            <li key={`${step.case} ${step.step}`}>
              <label>
                <input type="checkbox" checked={!left.has(step.step)} onChange={() => turn(step.step)} />{" "}
                <span className="mono">{step.send}</span>
                <br />
                <span className="muted">
                  {step.name} · {step.caseName}
                </span>
              </label>
            </li>
          ))}
        </ul>
        <div className="actions">
          <button type="button" className="plain-button" onClick={() => close(undefined)}>
            Do not run
          </button>
          <button type="button" className="plain-button" onClick={() => close([])}>
            Run without them
          </button>
          <button
            type="button"
            className="plain-button strong"
            disabled={!chosen.length}
            onClick={() => close(chosen)}
          >
            Run {chosen.length === steps.length ? "all of it" : `with the ${chosen.length} ticked`}
          </button>
        </div>
      </dialog>
    </Asking.Provider>
  );
}
