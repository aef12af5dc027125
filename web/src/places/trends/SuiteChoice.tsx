import { useQuery } from "@tanstack/react-query";
import { queries } from "../../api/queries";
import { Choice } from "../../parts/Choice";
import { useProject } from "../../state/project";

/** Of which suite: all, unless one is chosen. */
export function SuiteChoice({ suite, choose }: { suite: string; choose: (id: string) => void }) {
  const project = useProject();
  const suites = useQuery(queries.suites(project?.id)).data?.items ?? [];
  return (
    <p className="suite-choice">
      Of{" "}
      <Choice
        label="Which suite"
        value={suite}
        choices={[["", "every suite"], ...suites.map(({ id, name }): [string, string] => [id, name])]}
        choose={choose}
        needs="read"
      />
    </p>
  );
}
