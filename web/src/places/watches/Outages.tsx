import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, type Shapes } from "../../api";
import { queries } from "../../api/queries";
import { useStale } from "../../api/stale";
import type { Stretch } from "../../api/watches";
import { count, exactly } from "../../base/format";
import { useSay } from "../../parts/Said";
import { InPlace } from "../../parts/typing/InPlace";
import { longFor, momentName } from "./time";

type Outage = Shapes["Outage"];

interface Props {
  project: string;
  stretch: Stretch;
  /** Of one watch alone. */
  watch?: string;
}

/** The outages of a stretch, each a sentence with what people note of it. */
export function OutagesHere({ project, stretch, watch }: Props) {
  const found = useQuery(queries.outages(project, stretch, watch));
  const items = found.data?.items ?? [];
  if (!items.length) return null;
  return (
    <section className="outages" aria-label="Outages">
      <h2>{items.length === 1 ? "One outage" : `${items.length} outages`} here</h2>
      <ul className="lines">
        {items.map((outage) => (
          <OutageLine key={outage.id} outage={outage} named={!watch} />
        ))}
      </ul>
    </section>
  );
}

function OutageLine({ outage, named }: { outage: Outage; named: boolean }) {
  const tell = useStale();
  const say = useSay();
  const taken = async () => {
    try {
      await api.takeOutage(outage.id, !outage.takenBy);
    } catch (problem) {
      say((problem as Error).message);
    }
    await tell("watches");
  };
  const save = async (note: string) => {
    try {
      await api.noteOutage(outage.id, note.trim(), outage.note);
      return undefined;
    } catch (problem) {
      return (problem as Error).message;
    } finally {
      await tell("watches");
    }
  };
  return (
    <li className="outage-line">
      <span title={exactly(outage.began)}>{momentName(outage.began)}</span>
      <span>
        {outage.ended ? longFor(outage.seconds) : `${longFor(outage.seconds)} so far`},{" "}
        {count(outage.runs, "bad run")}
      </span>
      <span>
        {named && <Link to={`/watches/${outage.watch}`}>{outage.watchName}</Link>}
        {named && ": "}
        {outage.cause}{" "}
        {!outage.ended && (
          <button type="button" className="plain-link" data-needs="run" onClick={() => void taken()}>
            {outage.takenBy ? `${outage.takenBy} looks after it: leave it` : "I look after it"}
          </button>
        )}
        <br />
        <InPlace text={outage.note} label="What is noted of this outage" lines save={save}>
          {outage.note ? (
            <span className="muted">
              {outage.note} ({outage.notedBy})
            </span>
          ) : (
            <span className="add small">+ note</span>
          )}
        </InPlace>
      </span>
    </li>
  );
}
