import { useQuery } from "@tanstack/react-query";
import { queries } from "../../api/queries";
import { ago } from "../../base/format";
import { useProject } from "../../state/project";

interface RunsProps {
  id: string;
  about: string;
  run: string;
  choose: (run: string) => void;
}

/** Which run is looked at, as a list of the last ones. */
export function Runs({ id, about, run, choose }: RunsProps) {
  const project = useProject();
  const found = useQuery(queries.runsOf(project?.id, id));
  const finished = (found.data?.items ?? []).filter((item) => item.state === "finished");
  if (finished.length < 2 && !run) return <span>{about}</span>;
  return (
    <select
      className="which-run"
      aria-label="Which run is looked at"
      value={run}
      onChange={(event) => choose(event.target.value)}
    >
      <option value="">{run ? "the newest answers" : about}</option>
      {finished.flatMap((item) =>
        item.environments.length > 1 ? (
          item.environments.map((environment) => (
            <option key={`${item.id} ${environment}`} value={`${item.id} ${environment}`}>
              run {item.number} against {environment}, {ago(item.finishedAt)}
            </option>
          ))
        ) : (
          <option key={item.id} value={item.id}>
            run {item.number}, {ago(item.finishedAt)}: {item.verdict}
          </option>
        ),
      )}
    </select>
  );
}
