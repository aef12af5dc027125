import { useQuery } from "@tanstack/react-query";
import type { Case, Step } from "../../../api";
import { queries } from "../../../api/queries";

const USUAL = ["User-Agent", "Accept", "Accept-Encoding"];

interface Props {
  of: Case;
  step: Step;
  environment: string;
}

/** What a step would send for the first rows; nothing is sent. */
export function FinishedRows({ of, step, environment }: Props) {
  const query = useQuery(queries.finished(of.id, of.version, step.key, environment));
  if (query.error) return <p className="trouble">{query.error.message}</p>;
  if (!query.data) return <p className="muted">Finishing them…</p>;
  return (
    <ol className="finished-rows" aria-label="Finished requests">
      {query.data.problem && <li className="trouble">{query.data.problem}</li>}
      {query.data.items.map((item) => (
        <li key={item.row}>
          <span className="muted">row {item.row}</span>{" "}
          {item.why ? (
            <span className="trouble">would be blocked: {item.why}</span>
          ) : (
            <pre className="code">
              {item.method} {item.address}
              {item.head
                .filter((header) => !USUAL.includes(header.name))
                .map((header) => `\n${header.name}: ${header.value}`)
                .join("")}
              {item.body && `\n\n${item.body}`}
            </pre>
          )}
        </li>
      ))}
      <li className="muted small">
        Against {environment || "the usual environment"}. Nothing was sent; what steps before it keep stands
        as the last run kept it, secrets stand as marks.
      </li>
    </ol>
  );
}
