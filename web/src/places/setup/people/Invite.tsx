import { type FormEvent, useState } from "react";
import { useTold } from "../../../state/acts";
import { ROLE_CHOICES } from "./roles";

interface Props {
  /** Fails with the reason why it could not be. */
  ask: (name: string, role: string) => Promise<void>;
  choices?: [string, string][];
}

/** An invitation as a sentence: who, as what. */
export function Invite({ ask, choices = ROLE_CHOICES }: Props) {
  const [name, setName] = useState("");
  const [role, setRole] = useState(choices[1]?.[0] ?? choices[0]?.[0] ?? "");
  const [problem, told] = useTold();
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    if (!(await told(ask(name.trim(), role)))) setName("");
  };
  return (
    <form className="sentence-form" onSubmit={(event) => void submit(event)}>
      Invite{" "}
      <input
        aria-label="Whom to invite"
        placeholder="a name"
        value={name}
        onChange={(event) => setName(event.target.value)}
      />{" "}
      as{" "}
      <select
        className="which-part"
        aria-label="As what"
        value={role}
        onChange={(event) => setRole(event.target.value)}
      >
        {choices.map(([key, label]) => (
          <option key={key} value={key}>
            {label}
          </option>
        ))}
      </select>{" "}
      <button type="submit" className="plain-button" disabled={!name.trim()}>
        Make a link
      </button>{" "}
      {problem && (
        <span className="trouble" role="alert">
          {problem}
        </span>
      )}
    </form>
  );
}
