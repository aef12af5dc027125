import { type FormEvent, useState } from "react";
import { api, type Me } from "../../../api";
import { useStale } from "../../../api/stale";
import { count } from "../../../base/format";
import { useTold } from "../../../state/acts";
import { SecretField } from "./SecretField";

/** The password of whoever is signed in: another one, for the one that stands. */
export function Password({ me, say }: { me: Me; say: (sentence: string) => void }) {
  const tell = useStale();
  const [open, setOpen] = useState(false);
  const [old, setOld] = useState("");
  const [next, setNext] = useState("");
  const [problem, told] = useTold();
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    const wrong = await told(
      api.changePassword(old, next).then(async ({ ended }) => {
        say(
          `It is changed.${ended ? ` ${count(ended, "other session has", "other sessions have")} ended.` : ""}`,
        );
        setOld("");
        setNext("");
        setOpen(false);
        await tell("entry");
        await tell("sessions");
      }),
    );
    if (wrong) say("");
  };
  return (
    <section aria-label="Password">
      <h2>Password</h2>
      {!open && (
        <p>
          {me.hasPassword ? "You have one." : "You have none yet, so nobody can sign in as you."}{" "}
          <button type="button" className="plain-link" onClick={() => setOpen(true)}>
            {me.hasPassword ? "Change it" : "Set one"}
          </button>
        </p>
      )}
      {open && (
        <form className="sentence-form" onSubmit={(event) => void submit(event)}>
          {me.hasPassword && (
            <SecretField label="The one of now" value={old} write={setOld} fill="current-password" />
          )}
          <SecretField label="The new one" value={next} write={setNext} fill="new-password" />
          <button type="submit" className="plain-button strong">
            Keep it
          </button>{" "}
          <button type="button" className="plain-link" onClick={() => setOpen(false)}>
            Leave it
          </button>
          {problem && (
            <span className="trouble" role="alert">
              {problem}
            </span>
          )}
        </form>
      )}
    </section>
  );
}
