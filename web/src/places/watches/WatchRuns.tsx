import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Shapes } from "../../api";
import { queries } from "../../api/queries";
import { type Span, stretchOf } from "../../parts/overTime/time";
import { VerdictMark } from "../../parts/VerdictMark";
import { isBad, runMark, runSentence } from "./RunBeside";

type Full = Shapes["WatchInFull"];

const SOME = 50;

interface Props {
  watch: Full;
  span: Span;
  again: number | false;
  open: (shown: { watch: Full; at: number; runs: Shapes["WatchRun"][] }) => void;
}

/** The newest runs of the stretch, or only the bad ones. */
export function WatchRuns({ watch, span, again, open }: Props) {
  const [bad, setBad] = useState(false);
  const [most, setMost] = useState(SOME);
  const found = useQuery({
    ...queries.watchRuns(watch.id, stretchOf(span), bad, most),
    refetchInterval: again,
  });
  const items = found.data?.items ?? [];
  return (
    <section aria-label="Runs">
      <div className="watch-runs-head">
        <h2>Runs</h2>
        <label>
          <input type="checkbox" checked={bad} onChange={() => setBad(!bad)} /> only bad ones
        </label>
      </div>
      {found.isSuccess && !items.length && (
        <p className="muted">{bad ? "No bad run here." : "No run here."}</p>
      )}
      <ul className="lines">
        {items.map((run) => (
          <li key={`${run.due} ${run.fate}`} className="watch-run">
            <VerdictMark verdict={runMark(run)} />
            <button
              type="button"
              className={isBad(run) ? "plain-link trouble" : "plain-link"}
              onClick={() => open({ watch, at: Date.parse(run.due), runs: [run] })}
            >
              {runSentence(run)}
            </button>
          </li>
        ))}
      </ul>
      {found.data?.next && (
        <button type="button" className="plain-link" onClick={() => setMost(Math.min(most * 4, 1000))}>
          Earlier ones
        </button>
      )}
    </section>
  );
}
