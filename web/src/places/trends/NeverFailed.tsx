import { useState } from "react";
import type { Shapes } from "../../api";
import { count, whole } from "../../base/format";
import { WouldNotice } from "./WouldNotice";

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
          <WouldNotice key={one.id} one={one} />
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
