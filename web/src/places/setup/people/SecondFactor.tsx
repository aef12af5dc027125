import { type FormEvent, useState } from "react";
import { api, type Me, type Shapes } from "../../../api";
import { useStale } from "../../../api/stale";
import { count } from "../../../base/format";
import { ToldOnce } from "../../../parts/ToldOnce";
import { useTold } from "../../../state/acts";
import { SecretField } from "./SecretField";

/** Whether a code is asked beside the password: set by an app that reads the picture, and given off. */
export function SecondFactor({ me }: { me: Me }) {
  const tell = useStale();
  const [made, setMade] = useState<Shapes["SecondFactorToSet"]>();
  const [dropping, setDropping] = useState(false);
  const [codes, setCodes] = useState<string[]>([]);
  const [code, setCode] = useState("");
  const [password, setPassword] = useState("");
  const [problem, told] = useTold();
  const over = async () => {
    setMade(undefined);
    setDropping(false);
    setCode("");
    setPassword("");
    await tell("entry");
  };
  const set = (event: FormEvent) => {
    event.preventDefault();
    if (!made) return;
    const { secret } = made;
    void told(
      api.setSecondFactor({ secret, code, password }).then(async (kept) => {
        setCodes(kept.codes);
        await over();
      }),
    );
  };
  const drop = (event: FormEvent) => {
    event.preventDefault();
    void told(api.dropSecondFactor(password).then(over));
  };
  const wrong = problem && (
    <p className="trouble" role="alert">
      {problem}
    </p>
  );
  return (
    <section aria-label="Second factor">
      <h2>Second factor</h2>
      {!made && !dropping && (
        <p>
          {me.secondFactor
            ? `A code is asked beside your password; ${count(me.codesLeft, "code")} for a lost phone ${me.codesLeft === 1 ? "is" : "are"} left.`
            : "No code is asked beside your password."}{" "}
          <button
            type="button"
            className="plain-link"
            onClick={() => void told(api.beginSecondFactor().then(setMade))}
          >
            {me.secondFactor ? "Set another one" : "Ask for one"}
          </button>{" "}
          {me.secondFactor && (
            <button type="button" className="plain-link" onClick={() => setDropping(true)}>
              Ask for none
            </button>
          )}
        </p>
      )}
      {made && (
        <form className="second-factor" onSubmit={set}>
          <Picture rows={made.picture} />
          <div>
            <p>
              Let an app of codes read this picture, or type the secret{" "}
              <span className="mono told-text">{made.secret.replace(/(.{4})(?=.)/g, "$1 ")}</span> into it.
            </p>
            <p>
              <SecretField label="The code that it shows" value={code} write={setCode} fill="one-time-code" />
            </p>
            <p>
              <SecretField
                label="Your password"
                value={password}
                write={setPassword}
                fill="current-password"
              />
            </p>
            {wrong}
            <p>
              <button type="submit" className="plain-button strong">
                Ask for codes from now on
              </button>{" "}
              <button type="button" className="plain-link" onClick={() => setMade(undefined)}>
                Leave it
              </button>
            </p>
          </div>
        </form>
      )}
      {dropping && (
        <form className="sentence-form" onSubmit={drop}>
          <SecretField label="Your password" value={password} write={setPassword} fill="current-password" />
          <button type="submit" className="plain-button">
            Ask for none
          </button>{" "}
          <button type="button" className="plain-link" onClick={() => setDropping(false)}>
            Leave it
          </button>
        </form>
      )}
      {!made && wrong}
      {codes.length > 0 && (
        <ToldOnce
          about="A code is asked from now on. For the day on which the phone is lost: each of these counts once."
          text={codes.join("\n")}
          close={() => setCodes([])}
        />
      )}
    </section>
  );
}

/** A QR code, from rows of 0 and 1; dark on light in every theme, as cameras want it. */
function Picture({ rows }: { rows: string[] }) {
  const path = rows
    .flatMap((row, y) => [...row].map((cell, x) => (cell === "1" ? `M${x} ${y}h1v1h-1z` : "")))
    .join("");
  return (
    <svg
      viewBox={`0 0 ${rows.length} ${rows.length}`}
      width={180}
      height={180}
      role="img"
      aria-label="The secret as a picture"
      shapeRendering="crispEdges"
    >
      <path d={`M0 0h${rows.length}v${rows.length}h-${rows.length}z`} fill="#fff" />
      <path d={path} fill="#000" />
    </svg>
  );
}
