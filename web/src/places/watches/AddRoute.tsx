import { type FormEvent, useState } from "react";
import { api, type Shapes } from "../../api";
import { Segments } from "../../parts/Segments";
import type { Carry } from "../../state/acts";
import { parts } from "./RouteSentence";

const KINDS = ["by mail", "by webhook"] as const;

interface Props {
  project: string;
  carry: Carry;
  /** There is none yet. */
  none: boolean;
}

/** A new route: what has to be known of it, the rest stands in its sentence. */
export function AddRoute({ project, carry, none }: Props) {
  const [open, setOpen] = useState(none);
  const [kind, setKind] = useState<(typeof KINDS)[number]>("by mail");
  const [problem, setProblem] = useState("");
  if (!open)
    return (
      <p>
        <button type="button" className="plain-button" data-needs="edit" onClick={() => setOpen(true)}>
          + a route
        </button>
      </p>
    );
  const submit = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const form = event.currentTarget;
    const given = new FormData(form);
    const text = (name: string) => String(given.get(name) ?? "").trim();
    const said: Shapes["NewRoute"] =
      kind === "by mail"
        ? {
            project,
            kind: "mail",
            name: text("name"),
            to: parts(text("to")),
            server: text("server"),
            sender: text("sender"),
            user: text("user"),
            security: text("security") as "starttls",
            ...(text("secret") && { secret: text("secret") }),
          }
        : {
            project,
            kind: "webhook",
            name: text("name"),
            address: text("address"),
            ...(text("secret") && { secret: text("secret") }),
          };
    try {
      await carry(
        () => api.addRoute(said),
        (made) => () => api.removeRoute(made.id),
      );
      setProblem("");
      form.reset();
      setOpen(false);
    } catch (wrong) {
      setProblem((wrong as Error).message);
    }
  };
  return (
    <form
      className="new-watch"
      data-needs="edit"
      aria-label="A new route"
      onSubmit={(event) => void submit(event)}
    >
      <Segments label="How people are told" value={kind} options={KINDS} choose={setKind} />
      <Field name="name" label="What it is called, as watches name it" hint="desk" />
      {kind === "by mail" ? (
        <>
          <Field name="to" label="Whom it tells" hint="desk@fernholm.example, night@fernholm.example" />
          <Field name="sender" label="From whom it comes" hint="Salt Path <salt@fernholm.example>" />
          <Field name="server" label="The mail server" hint="mail.fernholm.example:587" />
          <label>
            How it is spoken to
            <select name="security">
              <option value="starttls">with STARTTLS</option>
              <option value="tls">with TLS</option>
              <option value="none">without encryption</option>
            </select>
          </label>
          <Field name="user" label="Who signs in there" hint="nobody" optional />
          <Field name="secret" label="The password" optional secret />
        </>
      ) : (
        <>
          <Field name="address" label="Where it goes" hint="https://chat.fernholm.example/hook" />
          <Field name="secret" label="The key that signs" hint="none" optional secret />
        </>
      )}
      {problem && (
        <p className="trouble" role="alert">
          {problem}
        </p>
      )}
      <div className="actions">
        {!none && (
          <button type="button" className="plain-button" onClick={() => setOpen(false)}>
            Leave it
          </button>
        )}
        <button type="submit" className="run-button">
          Add the route
        </button>
      </div>
    </form>
  );
}

interface FieldProps {
  name: string;
  label: string;
  hint?: string;
  optional?: boolean;
  secret?: boolean;
}

function Field({ name, label, hint, optional, secret }: FieldProps) {
  return (
    <label>
      {label}
      <input
        name={name}
        placeholder={hint}
        required={!optional}
        type={secret ? "password" : "text"}
        autoComplete={secret ? "new-password" : "off"}
      />
    </label>
  );
}
