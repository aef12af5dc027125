import { useState } from "react";
import { api } from "../../../api";
import { useStale } from "../../../api/stale";
import { InPlace } from "../../../parts/typing/InPlace";
import { useMe } from "../../../state/me";
import { useTab } from "../../../state/tab";
import { Keys } from "./Keys";
import { Password } from "./Password";
import { SecondFactor } from "./SecondFactor";
import { Sessions } from "./Sessions";

/** The account of whoever is signed in. */
export function YouPage() {
  const me = useMe();
  const tell = useStale();
  const [said, setSaid] = useState("");
  useTab("You");
  const change = async (given: { name?: string; signIn?: string }): Promise<string | undefined> => {
    try {
      await api.changeMe(given);
      await tell("entry");
      return undefined;
    } catch (problem) {
      return (problem as Error).message;
    }
  };
  const alone = me.way === "alone";
  return (
    <div className="page setup">
      <div className="page-head">
        <div>
          <p className="crumb">You</p>
          <h1>{me.name}</h1>
          <p className="muted">
            {alone
              ? "You work alone on this machine, without signing in."
              : "What you are called, and how you come in."}
          </p>
        </div>
      </div>
      <p>
        You are called{" "}
        <InPlace needs="self" text={me.name} label="Your name" save={(name) => change({ name: name.trim() })}>
          {me.name}
        </InPlace>{" "}
        and sign in as{" "}
        <InPlace
          needs="self"
          text={me.signIn}
          label="The name that you sign in by"
          hint="Without spaces, such as ines or ines@fernholm.example"
          save={(signIn) => change({ signIn: signIn.trim() })}
        >
          {me.signIn ? (
            <span className="mono">{me.signIn}</span>
          ) : (
            <span className="add">+ a name to sign in by</span>
          )}
        </InPlace>
        .
      </p>
      <Password me={me} say={setSaid} />
      <p role="status" className="muted">
        {said}
      </p>
      {me.hasPassword && <SecondFactor me={me} />}
      {!alone && <Sessions />}
      <Keys />
    </div>
  );
}
