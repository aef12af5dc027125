import { useQuery } from "@tanstack/react-query";
import { api, type Sending } from "../../../api";
import { queries } from "../../../api/queries";
import { exactly } from "../../../base/format";
import { answered } from "../../../case/answered";
import { useEdited } from "../state/context";

interface Props {
  id: string;
  /** The run that is looked at; the newest without one. */
  run: string;
  chooseRun: (run: string) => void;
}

/** What a single request sent before, newest first; each can be looked at, and its request taken up again as it was. */
export function SentBefore({ id, run, chooseRun }: Props) {
  const { editing } = useEdited();
  const found = useQuery(queries.sendings(id));
  const items = found.data?.items ?? [];
  if (!items.length) return null;
  const takeUp = async (item: Sending) => {
    const then = await api.revision(id, item.version);
    await editing.apply(() => then.document as never);
    chooseRun("");
  };
  const looked = run || items[0]?.run;
  return (
    <section className="sent-before" aria-labelledby="sent-before">
      <h2 id="sent-before">Sent before</h2>
      <ul className="lines">
        {items.map((item, index) => (
          <li key={item.run} className={item.run === looked ? "looked-at" : undefined}>
            <button
              type="button"
              className="line-button"
              aria-pressed={item.run === looked}
              title={exactly(item.at)}
              onClick={() => chooseRun(index ? item.run : "")}
            >
              <span className="mono">
                {item.method} {item.address}
              </span>
              <span className="muted">{answered(item)}</span>
            </button>
            {index > 0 && item.run === run && (
              <button
                data-needs="edit"
                type="button"
                className="plain-link"
                onClick={() => void takeUp(item)}
              >
                Take this request up again
              </button>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
