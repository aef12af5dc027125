import { type FormEvent, useEffect, useRef, useState } from "react";
import { api } from "../../api";
import { confirmBy } from "../../api/asking";
import { Field } from "./Field";

/** Asks for the password again where something would be opened to others: the page may have been left open. What was asked for is done after it. */
export function Again() {
  const dialog = useRef<HTMLDialogElement>(null);
  const asked = useRef<Promise<boolean>>(undefined);
  const answer = useRef<(given: boolean) => void>(() => undefined);
  const [open, setOpen] = useState(false);
  useEffect(() => {
    // several that are asked at once are one question
    confirmBy(() => {
      asked.current ??= new Promise<boolean>((resolve) => {
        answer.current = resolve;
        setOpen(true);
      }).finally(() => {
        asked.current = undefined;
      });
      return asked.current;
    });
    return () => confirmBy(undefined);
  }, []);
  useEffect(() => {
    if (open) dialog.current?.showModal();
  }, [open]);
  const close = (given: boolean) => {
    answer.current(given);
    setOpen(false);
  };
  if (!open) return null;
  return (
    <dialog ref={dialog} className="confirm" aria-labelledby="again-title" onCancel={() => close(false)}>
      <h2 id="again-title">Is it you?</h2>
      <p>This opens something to others. Give your password again; it counts for 15 minutes.</p>
      <Form close={close} />
    </dialog>
  );
}

function Form({ close }: { close: (given: boolean) => void }) {
  const [password, setPassword] = useState("");
  const [problem, setProblem] = useState("");
  const [busy, setBusy] = useState(false);
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    if (busy) return;
    setBusy(true);
    try {
      await api.confirmMe(password);
      close(true);
    } catch (wrong) {
      setProblem((wrong as Error).message);
      setBusy(false);
    }
  };
  return (
    <form className="coming-in-form" onSubmit={(event) => void submit(event)}>
      <Field label="Password" value={password} write={setPassword} fill="current-password" first />
      {problem && (
        <p className="trouble" role="alert">
          {problem}
        </p>
      )}
      <div className="actions">
        <button type="button" className="plain-button" onClick={() => close(false)}>
          Leave it
        </button>
        <button type="submit" className="plain-button strong" disabled={busy}>
          It is me
        </button>
      </div>
    </form>
  );
}
