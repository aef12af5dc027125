import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api } from "../../api";
import { queries } from "../../api/queries";
import { useStale } from "../../api/stale";
import { ago, count, exactly } from "../../base/format";
import { ToldOnce } from "../../parts/ToldOnce";
import { useTold } from "../../state/acts";

const DAYS = [1, 7, 30, 90];

/** Links to this report for people who do not come in here: that report alone, read-only, until a day. */
export function Shares({ run, close }: { run: string; close: () => void }) {
  const tell = useStale();
  const shares = useQuery(queries.shares(run));
  const [days, setDays] = useState(7);
  const [made, setMade] = useState("");
  const [problem, told] = useTold();
  const submit = (event: FormEvent) => {
    event.preventDefault();
    void told(
      api.addShare(run, days).then(async ({ address }) => {
        setMade(address);
        await tell("shares", run);
      }),
    );
  };
  const end = (id: string) => void told(api.endShare(id).finally(() => tell("shares", run)));
  const items = shares.data?.items ?? [];
  return (
    <section className="shares" aria-label="Links for people without an account">
      <p>
        Whoever has such a link sees this report and nothing else, without signing in. Secrets are masked in
        it, as everywhere.
      </p>
      <ul className="people">
        {items.map((one) => (
          <li key={one.id}>
            A link by {one.by}, made <span title={exactly(one.madeAt)}>{ago(one.madeAt)}</span>, until{" "}
            {exactly(one.endsAt)},{" "}
            {one.used ? `opened ${count(one.used, "time")}, last ${ago(one.usedAt)}` : "not opened yet"}.{" "}
            <button type="button" className="plain-link" onClick={() => end(one.id)}>
              End it
            </button>
          </li>
        ))}
        {shares.isSuccess && !items.length && <li className="muted">No link leads there.</li>}
      </ul>
      {made && <ToldOnce about="This link leads to the report." text={made} close={() => setMade("")} />}
      <form className="sentence-form" onSubmit={submit}>
        A link that leads there for{" "}
        <select
          className="which-part"
          aria-label="How long it leads there"
          value={days}
          onChange={(event) => setDays(Number(event.target.value))}
        >
          {DAYS.map((number) => (
            <option key={number} value={number}>
              {count(number, "day")}
            </option>
          ))}
        </select>{" "}
        <button type="submit" className="plain-button">
          Make a link
        </button>{" "}
        <button type="button" className="plain-link" onClick={close}>
          Close
        </button>
      </form>
      {problem && (
        <p className="trouble" role="alert">
          {problem}
        </p>
      )}
    </section>
  );
}
