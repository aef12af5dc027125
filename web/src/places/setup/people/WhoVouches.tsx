import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useCallback, useState } from "react";
import { api, type Shapes } from "../../../api";
import { queries } from "../../../api/queries";
import { useStale } from "../../../api/stale";
import { Notice } from "../../../parts/Notice";
import { InPlace } from "../../../parts/typing/InPlace";
import { useTold } from "../../../state/acts";
import { SecretField } from "./SecretField";

const GIVEN_HINT =
  "One in each line: a value, a colon, and what it gives, such as “harbour-testers: editor in Fernholm Harbour” or “harbour-admins: administrator”.";

/** Another sign-in by which people come (OpenID Connect), in sentences whose parts can be changed. */
export function WhoVouches() {
  const tell = useStale();
  const found = useQuery(queries.provider());
  const [problem, told] = useTold();
  const held = found.data;
  const change = useCallback(
    (wanted: Shapes["ProviderChange"]) => told(api.changeProvider(wanted).then(() => tell("provider"))),
    [told, tell],
  );
  if (found.error) return <Notice sentence={found.error.message} retry={() => void found.refetch()} />;
  if (!held) return null;
  return (
    <section aria-label="Another sign-in">
      <h2>Another sign-in</h2>
      <p>
        People may also come by an account that they have elsewhere (OpenID Connect), at{" "}
        <InPlace
          needs="self"
          text={held.issuer}
          label="The provider's address"
          hint="Its issuer, such as https://id.harbour.example; empty: none."
          save={(issuer) => change({ issuer: issuer.trim() })}
        >
          {held.issuer ? <span className="mono">{held.issuer}</span> : "no provider yet"}
        </InPlace>
        .{" "}
        {held.issuer ? (
          <>
            Their page to sign in says “Sign in with{" "}
            <InPlace
              needs="self"
              text={held.called}
              label="What people call it"
              save={(called) => change({ called })}
            >
              {held.called}
            </InPlace>
            ”.
          </>
        ) : (
          <>
            Tell the provider to lead back to <span className="mono">{held.redirect}</span>.
          </>
        )}
      </p>
      {held.issuer && (
        <>
          <p>
            The provider knows Salt Path as{" "}
            <InPlace
              needs="self"
              text={held.clientId}
              label="The client's identity at the provider"
              save={(clientId) => change({ clientId })}
            >
              {held.clientId ? <span className="mono">{held.clientId}</span> : "nobody yet"}
            </InPlace>
            , and leads back to <span className="mono">{held.redirect}</span>.
          </p>
          <div>
            They share <Secret has={held.hasSecret} keep={(secret) => change({ secret })} />
          </div>
          <p>
            The claim{" "}
            <InPlace
              needs="self"
              text={held.claim}
              label="The claim that gives roles"
              hint="Such as groups; empty: none does."
              save={(claim) => change({ claim })}
            >
              {held.claim ? <span className="mono">{held.claim}</span> : "(none)"}
            </InPlace>{" "}
            gives roles, each time somebody signs in:{" "}
            <InPlace
              needs="self"
              text={held.given.join("\n")}
              label="What each value of the claim gives"
              hint={GIVEN_HINT}
              lines
              save={(typed) => change({ given: typed.split("\n").filter((line) => line.trim()) })}
            >
              {held.given.length ? held.given.join("; ") : "nothing"}
            </InPlace>
            . In projects named there, the claim alone says who has a part.
          </p>
          <p>
            <label>
              <input
                type="checkbox"
                checked={held.newcomers}
                onChange={() => void change({ newcomers: !held.newcomers })}
              />{" "}
              whoever the provider vouches for may come in, also without a role
            </label>
          </p>
        </>
      )}
      {problem && (
        <p className="trouble" role="alert">
          {problem}
        </p>
      )}
    </section>
  );
}

/** Written, never read: the secret is told nowhere. */
function Secret({ has, keep }: { has: boolean; keep: (secret: string) => Promise<string | undefined> }) {
  const [open, setOpen] = useState(false);
  const [text, setText] = useState("");
  const close = () => {
    setText("");
    setOpen(false);
  };
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    if (!(await keep(text))) close();
  };
  if (!open) {
    return (
      <button type="button" className="in-place" title="Give its secret" onClick={() => setOpen(true)}>
        {has ? "a secret that is kept sealed." : "no secret."}
      </button>
    );
  }
  return (
    <form
      className="sentence-form"
      onSubmit={(event) => void submit(event)}
      onKeyDown={(event) => event.key === "Escape" && close()}
    >
      <SecretField
        label="the secret that the provider gave"
        value={text}
        write={setText}
        fill="new-password"
      />
      <button type="submit" className="plain-button strong">
        Keep it
      </button>{" "}
      <button type="button" className="plain-link" onClick={close}>
        Leave it
      </button>
    </form>
  );
}
