import { api } from "../../../api";
import { useStale } from "../../../api/stale";
import { useAsk } from "../../../parts/Confirm";
import { useTold } from "../../../state/acts";
import { useMe } from "../../../state/me";

/** Whether sign-in is asked on this machine; only where the server listens to it alone. */
export function Alone() {
  const me = useMe();
  const ask = useAsk();
  const tell = useStale();
  const [problem, told] = useTold();
  if (!me.mayWorkAlone) return null;
  const alone = me.way === "alone";
  const turn = async () => {
    const sure = await ask(
      alone
        ? {
            title: "Ask everybody to sign in?",
            text: "You sign in by your name and password from then on.",
            yes: "Ask for it",
            no: "Leave it",
          }
        : {
            title: "Ask nobody on this machine to sign in?",
            text: "Whoever can open pages or run programs on this machine is its owner then.",
            yes: "Ask nobody",
            no: "Leave it",
          },
    );
    if (sure && !(await told(api.setAlone(!alone)))) {
      await tell("entry");
      window.location.reload();
    }
  };
  return (
    <section aria-label="Sign-in">
      <h2>Sign-in on this machine</h2>
      <p>
        {alone
          ? "Nobody is asked to sign in on this machine: whoever opens its pages is you."
          : "Everybody signs in, also on this machine, to which alone this server listens."}{" "}
        <button type="button" className="plain-link" onClick={() => void turn()}>
          {alone ? "Ask for it" : "Ask nobody on this machine"}
        </button>
      </p>
      {problem && (
        <p className="trouble" role="alert">
          {problem}
        </p>
      )}
    </section>
  );
}
