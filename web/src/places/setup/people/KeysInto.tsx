import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api } from "../../../api";
import { queries } from "../../../api/queries";
import { useStale } from "../../../api/stale";
import { useTold } from "../../../state/acts";
import { KeyLine } from "./KeyLine";

/** The keys that open a project, whoever made them. */
export function KeysInto({ project }: { project: string }) {
  const tell = useStale();
  const keys = useQuery(queries.keysInto(project));
  const [problem, told] = useTold();
  return (
    <section aria-label="Keys">
      <h2>Keys that open it</h2>
      <p className="muted">
        A key lets a pipeline or a script in. It acts for whoever made it, with less. Everybody makes their
        own, <Link to="/you">in their account</Link>.
      </p>
      <ul className="people">
        {keys.data?.items.map((one) => (
          <KeyLine
            key={one.id}
            of={one}
            by
            end={() => void told(api.endKey(one.id).finally(() => tell("keys")))}
          />
        ))}
        {keys.data?.items.length === 0 && <li className="muted">None.</li>}
      </ul>
      {problem && (
        <p className="trouble" role="alert">
          {problem}
        </p>
      )}
    </section>
  );
}
