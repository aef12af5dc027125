import { useQuery } from "@tanstack/react-query";
import { useCallback } from "react";
import { api, type Shapes } from "../../../api";
import { queries } from "../../../api/queries";
import { useStale } from "../../../api/stale";
import { Notice } from "../../../parts/Notice";
import { InPlace } from "../../../parts/typing/InPlace";
import { useTold } from "../../../state/acts";

const HINT =
  "Names, addresses and networks with commas between, such as harbour.example, *.internal, 10.0.0.0/8, 127.0.0.1:8420.";

/** Where requests may go, for the whole installation, in sentences whose parts can be changed. */
export function WhereRequestsGo() {
  const tell = useStale();
  const reach = useQuery(queries.reach());
  const [problem, told] = useTold();
  const change = useCallback(
    (wanted: Shapes["ReachChange"]) => told(api.changeReach(wanted).then(() => tell("reach"))),
    [told, tell],
  );
  if (reach.error) return <Notice sentence={reach.error.message} retry={() => void reach.refetch()} />;
  if (!reach.data) return null;
  const { nearby, shared, allow, deny, only } = reach.data;
  const rules = (typed: string) =>
    typed
      .split(",")
      .map((rule) => rule.trim())
      .filter(Boolean);
  return (
    <section aria-label="Where requests may go">
      <h2>Where requests may go</h2>
      <p>
        Cases, deliveries and databases{" "}
        <select
          className="which-part"
          aria-label="Whether this machine and private networks may be asked"
          value={nearby === null ? "" : String(nearby)}
          onChange={(event) =>
            void change({ nearby: event.target.value ? event.target.value === "true" : null })
          }
        >
          <option value="">
            {shared
              ? "may not ask this machine and private networks, since others come here"
              : "may ask this machine and private networks, since only this machine comes here"}
          </option>
          <option value="true">may ask this machine and private networks</option>
          <option value="false">may not ask this machine and private networks</option>
        </select>
        , and never Salt Path itself, nor where machines find their own keys (link-local addresses).
      </p>
      <p>
        Opened beside that:{" "}
        <InPlace
          needs="self"
          text={allow.join(", ")}
          label="What may be asked beside that"
          hint={HINT}
          save={(typed) => change({ allow: rules(typed) })}
        >
          {allow.length ? <span className="mono">{allow.join(", ")}</span> : "nothing"}
        </InPlace>
        . Closed:{" "}
        <InPlace
          needs="self"
          text={deny.join(", ")}
          label="What is never asked"
          hint={HINT}
          save={(typed) => change({ deny: rules(typed) })}
        >
          {deny.length ? <span className="mono">{deny.join(", ")}</span> : "nothing"}
        </InPlace>
        .{" "}
        <label>
          <input
            type="checkbox"
            checked={only}
            disabled={!allow.length && !only}
            onChange={() => void change({ only: !only })}
          />{" "}
          ask nothing but what is opened here
        </label>
      </p>
      {problem && (
        <p className="trouble" role="alert">
          {problem}
        </p>
      )}
    </section>
  );
}
