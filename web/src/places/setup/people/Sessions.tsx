import { useQuery } from "@tanstack/react-query";
import { api, type Shapes } from "../../../api";
import { queries } from "../../../api/queries";
import { useStale } from "../../../api/stale";
import { ago, exactly } from "../../../base/format";
import { useTold } from "../../../state/acts";

/** Where somebody is signed in; each can be ended. */
export function Sessions() {
  const tell = useStale();
  const sessions = useQuery(queries.sessions());
  const [problem, told] = useTold();
  const act = (call: Promise<unknown>) => void told(call.finally(() => tell("sessions")));
  const items = sessions.data?.items ?? [];
  return (
    <section aria-label="Sessions">
      <h2>Where you are signed in</h2>
      <ul className="people">
        {items.map((one) => (
          <li key={one.id}>
            <strong title={one.agent}>{browser(one)}</strong> from {one.place},{" "}
            <span className="muted" title={exactly(one.madeAt)}>
              by {one.way} {ago(one.madeAt)}, seen {ago(one.seenAt)}, until {exactly(one.endsAt)}
            </span>{" "}
            {one.here ? (
              <span className="muted">(here)</span>
            ) : (
              <button type="button" className="plain-link" onClick={() => act(api.endSession(one.id))}>
                End it
              </button>
            )}
          </li>
        ))}
      </ul>
      {items.length > 1 && (
        <p>
          <button type="button" className="plain-link" onClick={() => act(api.endSessions())}>
            End all others
          </button>
        </p>
      )}
      {problem && (
        <p className="trouble" role="alert">
          {problem}
        </p>
      )}
    </section>
  );
}

/** The browser and the system, as far as it says them. */
function browser({ agent }: Shapes["Session"]): string {
  const name = /(Firefox|Edg|OPR|Chrome|Chromium|Safari)\/\d+/.exec(agent)?.[1] ?? "A program";
  const system = /(Windows|Android|iPhone|iPad|Mac OS X|Linux)/.exec(agent)?.[1];
  return system ? `${name} on ${system}` : name;
}
