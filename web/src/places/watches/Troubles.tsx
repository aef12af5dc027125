import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, type Shapes } from "../../api";
import { queries } from "../../api/queries";
import { useStale } from "../../api/stale";
import type { Stretch } from "../../api/watches";
import { count, exactly, listed } from "../../base/format";
import { longFor, momentName } from "../../parts/overTime/time";
import { useSay } from "../../parts/Said";
import { InPlace } from "../../parts/typing/InPlace";

export type Trouble = Shapes["Trouble"];

interface Props {
  project: string;
  stretch: Stretch;
  /** Of one watch alone. */
  watch?: string;
  /** Open a run that was due at a moment. */
  open: (watch: { id: string; name: string }, moment: string) => Promise<void>;
}

export const byWatch = (items: Trouble[]): Map<string, Trouble[]> => {
  const found = new Map<string, Trouble[]>();
  for (const one of items) found.set(one.watch, [...(found.get(one.watch) ?? []), one]);
  return found;
};

/** The trouble of a stretch, each a sentence with what people note of it. */
export function TroublesHere({ project, stretch, watch, open }: Props) {
  const found = useQuery(queries.troubles(project, stretch, watch));
  const items = found.data?.items ?? [];
  if (!items.length) return null;
  return (
    <section className="troubles" aria-label="Trouble">
      <h2>{heading(items)}</h2>
      <ul className="lines">
        {items.map((trouble) => (
          <TroubleLine key={trouble.id} trouble={trouble} named={!watch} open={open} />
        ))}
      </ul>
    </section>
  );
}

/** `2 outages and one that became slower here`. */
function heading(items: Trouble[]): string {
  const of = (kind: Trouble["kind"]) => items.filter((one) => one.kind === kind).length;
  const parts = [
    of("outage") && count(of("outage"), "outage"),
    of("burn") && count(of("burn"), "allowance used up too fast", "allowances used up too fast"),
    of("slower") && count(of("slower"), "slowdown"),
  ].filter((part): part is string => Boolean(part));
  return `${listed(parts)} here`;
}

interface LineProps extends Pick<Props, "open"> {
  trouble: Trouble;
  named: boolean;
}

function TroubleLine({ trouble, named, open }: LineProps) {
  const tell = useStale();
  const say = useSay();
  const taken = async () => {
    try {
      await api.takeTrouble(trouble.id, !trouble.takenBy);
    } catch (problem) {
      say((problem as Error).message);
    }
    await tell("watches");
  };
  const save = async (note: string) => {
    try {
      await api.noteTrouble(trouble.id, note.trim(), trouble.note);
      return undefined;
    } catch (problem) {
      return (problem as Error).message;
    } finally {
      await tell("watches");
    }
  };
  return (
    <li className="trouble-line">
      <button
        type="button"
        className="plain-link"
        title={`${exactly(trouble.began)}: open its first run`}
        onClick={() => void open({ id: trouble.watch, name: trouble.watchName }, trouble.began)}
      >
        {momentName(trouble.began)}
      </button>
      <span>
        {trouble.ended ? longFor(trouble.seconds) : `${longFor(trouble.seconds)} so far`}
        {trouble.kind === "outage" && `, ${count(trouble.runs, "bad run")}`}
      </span>
      <span>
        {named && <Link to={`/watches/${trouble.watch}`}>{trouble.watchName}</Link>}
        {named && ": "}
        {trouble.cause}{" "}
        {!trouble.ended && (
          <button type="button" className="plain-link" data-needs="run" onClick={() => void taken()}>
            {trouble.takenBy ? `${trouble.takenBy} looks after it: leave it` : "I look after it"}
          </button>
        )}
        <br />
        <InPlace text={trouble.note} label="What is noted of this trouble" lines save={save}>
          {trouble.note ? (
            <span className="muted">
              {trouble.note} ({trouble.notedBy})
            </span>
          ) : (
            <span className="add small">+ note</span>
          )}
        </InPlace>
      </span>
    </li>
  );
}
