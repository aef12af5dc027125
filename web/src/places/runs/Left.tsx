import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, type Run, type RunReport, type Shapes } from "../../api";
import { queries } from "../../api/queries";
import { useStale } from "../../api/stale";
import { ago, count, exactly } from "../../base/format";
import { useTold } from "../../state/acts";

type Thing = Shapes["LeftThing"];

/** What an ended run made at the services and nobody took away since, with its removal by a run that signs in as its steps did. */
export function Left({ run }: { run: RunReport }) {
  const [open, setOpen] = useState(false);
  const brief = useQuery(queries.left(run.id, false)).data;
  if (!brief?.count && !brief?.removals.length) return null;
  return (
    <div className="left-there">
      <button type="button" className="plain-link" aria-expanded={open} onClick={() => setOpen(!open)}>
        {brief.count ? `It left ${count(brief.count, "thing")} there` : "What it left has been removed"}
      </button>
      {open && <Things run={run} />}
    </div>
  );
}

function Things({ run }: { run: RunReport }) {
  const tell = useStale();
  const found = useQuery(queries.left(run.id, true)).data;
  const [turned, setTurned] = useState<ReadonlySet<string>>(new Set());
  const [problem, told] = useTold();
  if (!found) return <p className="muted small">Reading what it made…</p>;
  const { items, removals } = found;
  const going = removals.find((one) => one.state !== "finished");
  // what is only guessed to be new is taken along by hand
  const isChosen = (one: Thing) => !one.why && one.sure !== turned.has(one.address);
  const chosen = items.filter(isChosen);
  const turn = (address: string) => {
    const next = new Set(turned);
    if (!next.delete(address)) next.add(address);
    setTurned(next);
  };
  const remove = () =>
    void told(
      api.removeLeft(
        run.id,
        chosen.map((one) => one.address),
      ),
    ).finally(() => tell("left", run.id));
  return (
    <section aria-label="What it left">
      {items.length > 0 && (
        <p>
          The service said that {found.count === 1 ? "this is" : "these are"} new, and the run sent no DELETE
          for {found.count === 1 ? "it" : "them"}.
          {found.count > items.length && ` These are the first ${items.length} of ${found.count}.`}
        </p>
      )}
      <ul className="lines">
        {items.map((one) => (
          <li className="entry" key={one.address}>
            <input
              id={`left-${one.address}`}
              type="checkbox"
              checked={isChosen(one)}
              disabled={Boolean(one.why)}
              onChange={() => turn(one.address)}
            />
            <label htmlFor={`left-${one.address}`}>
              <span className="mono">{one.address}</span>
              <span className="muted note">{sentence(one, run)}</span>
            </label>
          </li>
        ))}
      </ul>
      {removals.map((one) => (
        <p key={one.id}>
          <Removal of={one} />
        </p>
      ))}
      {items.length > 0 && !going && (
        <p data-needs="run">
          <button type="button" className="plain-button danger" disabled={!chosen.length} onClick={remove}>
            Remove {chosen.length === 1 ? "this one" : `these ${chosen.length}`} now
          </button>{" "}
          <span className="muted small">
            By a run of its own: it signs in as the steps did, and sends a DELETE to each.
          </span>
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

const HOW: Record<Thing["how"], string> = {
  location: "and said that it stands there",
  address: "so that it stands there",
  link: "with a link to it",
  identity: "with its identity",
};

function sentence(one: Thing, run: RunReport): string {
  const where = run.environments.length > 1 ? ` against ${one.environment}` : "";
  const row = one.row > 1 || run.cases[one.position]?.rows ? `, row ${one.row}` : "";
  const made = `“${one.name}”${row}${where}: ${one.method} was answered ${one.status} ${HOW[one.how]}`;
  if (one.why) return `${made}. It cannot be removed from here: ${one.why}.`;
  return one.sure ? `${made}.` : `${made}, which may also be of something that was there before.`;
}

function Removal({ of }: { of: Run }) {
  const link = <Link to={`/runs/${of.id}`}>a run</Link>;
  if (of.state !== "finished") return <span role="status">It is being removed, by {link}…</span>;
  const when = <span title={exactly(of.finishedAt)}>{ago(of.finishedAt)}</span>;
  return (
    <>
      {of.startedBy} had {link} remove things {when}:{" "}
      {of.verdict === "passed" ? "each of them is gone" : "not each of them is gone"}.
    </>
  );
}

/** Of a run that removes what another one left: which one that is. */
export function Removes({ run }: { run: RunReport }) {
  const found = useQuery(queries.left(run.id, false)).data?.removes;
  if (!found) return null;
  return (
    <p>
      It removes what <Link to={`/runs/${found.id}`}>run {found.number}</Link>, “{found.title}”, made and
      left.
    </p>
  );
}
