import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect, useRef, useState } from "react";
import type { Me } from "../../api";
import { SIGNED_OUT } from "../../api/asking";
import { queries } from "../../api/queries";
import { Notice } from "../../parts/Notice";
import { MeContext } from "../../state/me";
import { Again } from "./Again";
import { ByProvider, ByProviderElsewhere } from "./ByProvider";
import { EntryPage } from "./EntryPage";
import { SignInForm } from "./SignInForm";

/** Stands before every page: whoever is not known signs in. Whose session ends meanwhile signs in over the page, which stays as it is. */
export function Gate({ children }: { children: ReactNode }) {
  const client = useQueryClient();
  const entry = useQuery(queries.entry());
  const known = useRef<Me>(undefined);
  const [out, setOut] = useState(false);
  useEffect(() => {
    const told = () => setOut(true);
    window.addEventListener(SIGNED_OUT, told);
    return () => window.removeEventListener(SIGNED_OUT, told);
  }, []);
  if (entry.data?.me) known.current = entry.data.me;
  const me = known.current;
  if (!entry.data) {
    return entry.error ? (
      <EntryPage title="Salt Path does not answer">
        <Notice sentence={entry.error.message} retry={() => void entry.refetch()} />
      </EntryPage>
    ) : null;
  }
  if (!me) {
    return (
      <EntryPage title="Sign in">
        {entry.data.owned ? (
          <>
            {entry.data.provider && <ByProvider called={entry.data.provider} />}
            <SignInForm done={() => void client.invalidateQueries()} />
          </>
        ) : (
          <p className="coming-in-told">
            Nobody owns this installation yet. Open the link that it printed on the terminal when it started;{" "}
            <span className="mono">saltpath link</span> prints another one.
          </p>
        )}
      </EntryPage>
    );
  }
  const again = (person: string) => {
    if (person !== me.id) return window.location.reload();
    setOut(false);
    void client.invalidateQueries();
  };
  return (
    <MeContext.Provider value={me}>
      {children}
      <Again />
      {(out || !entry.data.me) && <SignedOut me={me} provider={entry.data.provider} done={again} />}
    </MeContext.Provider>
  );
}

interface SignedOutProps {
  me: Me;
  /** Empty: none vouches. */
  provider: string;
  done: (person: string) => void;
}

/** Over the page of somebody whose session has ended. */
function SignedOut({ me, provider, done }: SignedOutProps) {
  const dialog = useRef<HTMLDialogElement>(null);
  useEffect(() => dialog.current?.showModal(), []);
  return (
    <dialog
      ref={dialog}
      className="confirm"
      aria-labelledby="signed-out-title"
      onCancel={(event) => event.preventDefault()}
    >
      <h2 id="signed-out-title">You are signed out here</h2>
      <p>Your session has ended. What stands on this page stays; sign in to go on.</p>
      {provider && <ByProviderElsewhere called={provider} done={done} />}
      {me.signIn && <SignInForm name={me.signIn} done={done} />}
      {!me.signIn && !provider && (
        <p>
          You came by a link; ask for another one (<span className="mono">saltpath link</span>) and open it in
          this browser.{" "}
          <button type="button" className="plain-link" onClick={() => window.location.reload()}>
            Read the page again
          </button>
        </p>
      )}
    </dialog>
  );
}
