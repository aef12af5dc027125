import { createContext, type ReactNode, useCallback, useContext, useRef, useState } from "react";

interface Question {
  title: string;
  text: string;
  yes: string;
  no: string;
}

type Ask = (question: Question) => Promise<boolean>;
const Asking = createContext<Ask>(() => Promise.resolve(false));

/** Asks a yes-or-no question in the browser's own dialog, which needs no style of its own under the strict policy. */
export const useAsk = (): Ask => useContext(Asking);

export function ConfirmProvider({ children }: { children: ReactNode }) {
  const dialog = useRef<HTMLDialogElement>(null);
  const answer = useRef<(yes: boolean) => void>(() => undefined);
  const [question, setQuestion] = useState<Question>();
  const ask = useCallback<Ask>((next) => {
    setQuestion(next);
    return new Promise((resolve) => {
      answer.current = resolve;
      dialog.current?.showModal();
    });
  }, []);
  const close = (yes: boolean) => {
    answer.current(yes);
    dialog.current?.close();
  };
  return (
    <Asking.Provider value={ask}>
      {children}
      <dialog
        ref={dialog}
        className="confirm"
        aria-labelledby="confirm-title"
        onCancel={() => answer.current(false)}
      >
        <h2 id="confirm-title">{question?.title}</h2>
        <p>{question?.text}</p>
        <div className="actions">
          <button type="button" className="plain-button" onClick={() => close(false)}>
            {question?.no}
          </button>
          <button type="button" className="plain-button strong" onClick={() => close(true)}>
            {question?.yes}
          </button>
        </div>
      </dialog>
    </Asking.Provider>
  );
}
