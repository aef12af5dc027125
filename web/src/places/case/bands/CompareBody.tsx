import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { useMay } from "../../../api/may";
import { queries } from "../../../api/queries";
import { cut } from "../../../base/cut";
import { type Json, readExact, writeExact } from "../../../base/exact";
import { namesOf } from "../../../base/places";
import { type Compared, compared, taken } from "../../../case/compared";
import { literally, put, valueAt } from "../../../case/expectedBody";

interface Props {
  of: string;
  body: Json;
  /** The exchange whose answer stands beside. */
  exchange: string;
  wrong: (path: string) => boolean;
  save: (body: Json) => Promise<string | undefined>;
}

/** The expected body and the answer side by side, place by place: a tick says that a place is expected. */
export function CompareBody({ of, body, exchange, wrong, save }: Props) {
  const answer = useQuery(queries.answerText(exchange));
  const [only, setOnly] = useState(false);
  const [problem, setProblem] = useState("");
  const rows = useMemo(() => {
    try {
      const whole = readExact(answer.data ?? "null");
      return compared(body, of, valueAt(whole, namesOf(of)), wrong);
    } catch {
      return undefined;
    }
  }, [answer.data, body, of, wrong]);
  if (answer.error) return <p role="alert">{answer.error.message}</p>;
  if (!answer.data) return <p className="muted">Reading the answer…</p>;
  if (!rows) return <p className="muted">The answer is no JSON, so there is nothing to compare.</p>;
  const change = async (next: Json | undefined) =>
    setProblem((next === undefined ? "An expected body has at least one place." : await save(next)) ?? "");
  const shown = only ? rows.filter((row) => row.differs || row.way === undefined) : rows;
  return (
    <div className="compared">
      <table aria-label={`What is expected of ${of}, and what the answer has`}>
        <thead>
          <tr>
            <th scope="col" aria-label="whether it is expected" />
            <th scope="col">place</th>
            <th scope="col">expected</th>
            <th scope="col">the answer</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((row) => (
            <Row key={row.key} of={of} row={row} body={body} change={change} />
          ))}
        </tbody>
      </table>
      <label>
        <input type="checkbox" checked={only} onChange={() => setOnly(!only)} /> only what differs, and what
        is not expected
      </label>
      {problem && <p role="alert">{problem}</p>}
    </div>
  );
}

interface RowProps {
  of: string;
  row: Compared;
  body: Json;
  change: (next: Json | undefined) => Promise<void>;
}

function Row({ of, row, body, change }: RowProps) {
  const may = useMay("edit");
  const { way, value } = row;
  const name = row.name || of;
  const here = way === undefined ? name : [of, ...way].join(" ");
  const asItIs = way && row.differs && value !== undefined;
  return (
    <tr className={row.differs ? "differs" : undefined}>
      <td>
        {(way === undefined || way.length > 0) && (
          <input
            disabled={!may}
            type="checkbox"
            aria-label={`Expect ${here}`}
            checked={way !== undefined}
            onChange={() => void change(way ? put(body, way, undefined) : taken(body, row))}
          />
        )}
      </td>
      <th scope="row" className="mono" style={{ paddingLeft: 4 + 14 * row.depth }}>
        {name}
      </th>
      <td className={row.loose ? "muted" : "mono"}>{row.expected}</td>
      <td className={way === undefined ? "mono muted" : "mono"}>
        {row.differs && <span aria-hidden="true">≠ </span>}
        {row.actual ?? (way && !row.name.endsWith("?") && row.depth ? "—" : "")}
        {asItIs && (
          <button
            data-needs="edit"
            type="button"
            className="plain-link"
            aria-label={`expect this: ${cut(writeExact(value), 40)} at ${here}`}
            onClick={() => void change(put(body, way, literally(value)))}
          >
            expect this
          </button>
        )}
      </td>
    </tr>
  );
}
