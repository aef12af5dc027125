import { useState } from "react";
import { Link } from "react-router";
import type { Shapes } from "../../api";
import { count, whole } from "../../base/format";
import { WouldNotice } from "../../parts/WouldNotice";

const FIRST = 5;

/** Cases that passed in each of their last runs: do they still check something? */
export function NeverFailed({ never }: { never: Shapes["NeverFailed"][] }) {
  const [all, setAll] = useState(false);
  const most = never[0]?.runs ?? 0;
  return (
    <section aria-label="Never failed" className="never">
      <h2>Never failed</h2>
      <p className="muted">
        {count(never.length, "case has", "cases have")} passed each time, up to {whole(most)} times. Would
        they notice if an answer were otherwise? One value after another is turned round in the answers that
        were kept; nothing is sent.
      </p>
      <ul>
        {never.slice(0, all ? undefined : FIRST).map((one) => (
          <li key={one.id}>
            <Link to={`/cases/${one.id}/runs`}>{one.name}</Link>{" "}
            <span className="muted">{count(one.runs, "run")}</span>{" "}
            <WouldNotice id={one.id} name={one.name} />
          </li>
        ))}
      </ul>
      {never.length > FIRST && (
        <button type="button" className="plain-link" onClick={() => setAll(!all)}>
          {all ? "fewer" : `all ${never.length}`}
        </button>
      )}
    </section>
  );
}
