import { useState } from "react";
import { api } from "../../api";

const BEGIN = "/api/v1/provider/begin";
const REFUSED = "provider";

/** The way to the provider that vouches for people, from the page where one signs in. */
export function ByProvider({ called }: { called: string }) {
  const refused = new URLSearchParams(window.location.search).get("refused") === REFUSED;
  return (
    <div className="coming-in-other">
      {refused && (
        <p className="trouble" role="alert">
          {called} did not let you in here. Whoever looks after this installation finds the reason under
          Setup, This installation.
        </p>
      )}
      <p>
        <a className="plain-button" href={BEGIN}>
          Sign in with {called}
        </a>
      </p>
    </div>
  );
}

/** The same over a page that has to stay: in another tab, and back to this one. */
export function ByProviderElsewhere({ called, done }: { called: string; done: (person: string) => void }) {
  const [problem, setProblem] = useState("");
  const goOn = async () => {
    try {
      const { me } = await api.entry();
      if (me) done(me.id);
      else setProblem("You are not signed in yet.");
    } catch (wrong) {
      setProblem((wrong as Error).message);
    }
  };
  return (
    <>
      <p>
        <a href={BEGIN} target="_blank" rel="noreferrer">
          Sign in with {called}
        </a>{" "}
        in another tab, then{" "}
        <button type="button" className="plain-button strong" onClick={() => void goOn()}>
          Go on here
        </button>
      </p>
      {problem && (
        <p className="trouble" role="alert">
          {problem}
        </p>
      )}
    </>
  );
}
