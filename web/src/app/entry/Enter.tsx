import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, type Shapes } from "../../api";
import { queries } from "../../api/queries";
import { exactly } from "../../base/format";
import { EntryPage } from "./EntryPage";
import { Field } from "./Field";

type Seen = Shapes["LinkSeen"];

const TITLES: { [kind in Seen["kind"]]: string } = {
  own: "This installation is yours",
  enter: "Come in",
  join: "You are invited",
  password: "A new password",
};

/** What a link is for that lets somebody in once: `/enter#TOKEN`. The token stands behind #, so that it is sent to no server by the address. */
export function Enter() {
  const [token] = useState(() => window.location.hash.slice(1));
  const seen = useQuery(queries.link(token));
  if (seen.error) {
    return (
      <EntryPage title="This link lets nobody in">
        <p className="trouble" role="alert">
          {seen.error.message}
        </p>
        <p>
          <a href="/">Go to Salt Path</a>
        </p>
      </EntryPage>
    );
  }
  if (!seen.data) return null;
  return (
    <EntryPage title={TITLES[seen.data.kind]}>
      <p className="coming-in-told">{told(seen.data)}</p>
      <Take token={token} seen={seen.data} />
      <p className="muted small">It counts once, until {exactly(seen.data.endsAt)}.</p>
    </EntryPage>
  );
}

function told({ kind, name, by, project, role, administrator }: Seen): string {
  if (kind === "own") return "Say who you are. You decide who else comes in, and what they may do.";
  if (kind === "enter") return `This link lets you in as ${name}.`;
  if (kind === "password") return `${name} gives a new password; sessions that are open end.`;
  const what = administrator
    ? "as an administrator of Salt Path"
    : project
      ? `into ${project}, as ${role}`
      : "";
  return `${by} invites ${name} ${what}`.trimEnd().concat(".");
}

/** What is to be given, and the buttons. */
function Take({ token, seen }: { token: string; seen: Seen }) {
  const isNew = seen.kind === "own" || seen.kind === "join";
  const [name, setName] = useState(isNew ? seen.name : "");
  const [signIn, setSignIn] = useState(seen.signIn);
  const [password, setPassword] = useState("");
  const [problem, setProblem] = useState("");
  const [busy, setBusy] = useState(false);
  const use = async (given: Omit<Shapes["LinkToUse"], "token">) => {
    if (busy) return;
    setBusy(true);
    try {
      await api.comeIn({ token, ...given });
      window.location.replace("/");
    } catch (wrong) {
      setProblem((wrong as Error).message);
      setBusy(false);
    }
  };
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (seen.kind === "enter") return void use({});
    return void use(isNew ? { name, signIn, password } : { password });
  };
  return (
    <form className="coming-in-form" onSubmit={submit}>
      {seen.me && seen.kind === "join" && (
        <p>
          <button
            type="button"
            className="plain-button strong"
            disabled={busy}
            onClick={() => void use({ asMe: true })}
          >
            Take it as {seen.me.name}
          </button>{" "}
          <span className="muted">or as somebody new:</span>
        </p>
      )}
      {isNew && (
        <>
          <Field label="Your name" value={name} write={setName} fill="name" first={!seen.me} />
          <Field
            label="Name to sign in by"
            value={signIn}
            write={setSignIn}
            fill="username"
            hint="Without spaces, such as ines or ines@fernholm.example"
          />
        </>
      )}
      {seen.kind !== "enter" && (
        <Field
          label="Password"
          value={password}
          write={setPassword}
          fill="new-password"
          first={!isNew}
          hint="At least 12 characters. Four words that do not belong together are good, and easy to keep."
        />
      )}
      {problem && (
        <p className="trouble" role="alert">
          {problem}
        </p>
      )}
      <p>
        <button type="submit" className="plain-button strong" disabled={busy}>
          {seen.kind === "enter" ? `Go on as ${seen.name}` : seen.kind === "password" ? "Keep it" : "Come in"}
        </button>{" "}
        {seen.mayWorkAlone && (
          <button
            type="button"
            className="plain-link"
            disabled={busy}
            onClick={() => void use({ alone: true })}
          >
            Only I use it, on this machine: go on without signing in
          </button>
        )}
      </p>
    </form>
  );
}
