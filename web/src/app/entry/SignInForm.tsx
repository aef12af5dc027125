import { type FormEvent, useState } from "react";
import { ApiProblem, api } from "../../api";
import { Field } from "./Field";

interface Props {
  /** The name that is known already, where somebody was signed out. */
  name?: string;
  done: (person: string) => void;
}

/** A name and a password; a code where one is asked. What was typed stays when it was wrong. */
export function SignInForm({ name: known = "", done }: Props) {
  const [name, setName] = useState(known);
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  const [asksCode, setAsksCode] = useState(false);
  const [problem, setProblem] = useState("");
  const [busy, setBusy] = useState(false);
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    if (busy) return;
    setBusy(true);
    try {
      const { person } = await api.signIn(name, password, code);
      done(person.id);
    } catch (wrong) {
      const second = wrong instanceof ApiProblem && wrong.code === "second-factor";
      setProblem(second && !asksCode ? "" : (wrong as Error).message);
      if (second) setAsksCode(true);
    }
    setBusy(false);
  };
  return (
    <form className="coming-in-form" onSubmit={(event) => void submit(event)}>
      <Field label="Name" value={name} write={setName} fill="username" first={!known} />
      <Field label="Password" value={password} write={setPassword} fill="current-password" first={!!known} />
      {asksCode && (
        <Field
          label="Code"
          value={code}
          write={setCode}
          fill="one-time-code"
          first
          hint="What your app of codes shows now, or one of the codes that you kept for a lost phone."
        />
      )}
      {problem && (
        <p className="trouble" role="alert">
          {problem}
        </p>
      )}
      <p>
        <button type="submit" className="plain-button strong" disabled={busy}>
          Sign in
        </button>
      </p>
    </form>
  );
}
