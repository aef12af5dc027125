import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import type { Shapes } from "../../api";
import { queries } from "../../api/queries";
import type { StepPlace } from "../../api/runs";
import { ago, count, exactly } from "../../base/format";
import { Long } from "../../parts/Long";

type Difference = Shapes["PassDifference"];

/** What a step has that it had not when it last passed; what is otherwise at each pass, too, is told apart. */
export function SincePass({ of }: { of: StepPlace }) {
  const found = useQuery(queries.sincePass(of)).data;
  if (!found?.run) return null;
  const news = found.differences.filter(({ volatile }) => !volatile);
  const usual = found.differences.filter(({ volatile }) => volatile);
  const { run } = found;
  return (
    <section className="since-pass" aria-label="Since its last pass">
      <p>
        It last passed in <Link to={`/runs/${run.id}`}>run {run.number}</Link>{" "}
        <span title={exactly(run.at)}>{ago(run.at)}</span>
        {run.build && `, build ${run.build}`}.{" "}
        {news.length === 0 && "Since then nothing that it sent or got is otherwise."}
      </p>
      {news.length > 0 && <Differences differences={news} />}
      {usual.length > 0 && (
        <details>
          <summary className="muted">
            {count(usual.length, "place is", "places are")} otherwise at each pass, too
          </summary>
          <Differences differences={usual} />
        </details>
      )}
    </section>
  );
}

/** Places that are otherwise, with what stood there then and now. */
export function Differences({ differences }: { differences: Difference[] }) {
  return (
    <table>
      <thead>
        <tr>
          <th scope="col">where</th>
          <th scope="col">then</th>
          <th scope="col">now</th>
        </tr>
      </thead>
      <tbody>
        {differences.map(({ part, where, before, after }) => (
          <tr key={`${part} ${where}`}>
            <th scope="row" className="mono">
              {part === "request" && <span className="muted">sent </span>}
              {where}
            </th>
            <td>
              {before === null ? (
                <span className="muted">not there</span>
              ) : (
                <Long text={before} what={`${where} then`} />
              )}
            </td>
            <td>
              {after === null ? (
                <span className="muted">not there</span>
              ) : (
                <Long text={after} what={`${where} now`} />
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
