import { useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, type Case } from "../../app/api";
import { useProject } from "../../app/project";
import { InPlace } from "../../parts/typing/InPlace";
import { useEdited } from "./edit/context";

/** What is wrong with a step before it runs, and what mends it; that nothing is checked stands in Expect already. */
export function Findings({ findings }: { findings: Case["findings"] }) {
  const others = findings.filter((finding) => finding.code !== "no-checks");
  return (
    <span className="findings">
      {others.map((finding, index) => (
        <span key={`${finding.code} ${finding.sentence}`}>
          {index > 0 && " · "}
          {finding.sentence} {finding.code === "kept-nowhere" && <NewValue name={finding.name} />}
          {finding.code === "hard-coded-address" && (
            <Link to={`/setup?lift=${encodeURIComponent(finding.name)}`}>Lift it into a value</Link>
          )}
        </span>
      ))}
    </span>
  );
}

/** A value that is missing gets one where it is used. */
function NewValue({ name }: { name: string }) {
  const { id } = useEdited();
  const project = useProject();
  const client = useQueryClient();
  const save = async (text: string): Promise<string | undefined> => {
    if (!project) return undefined;
    try {
      const answer = await api.changeValues(project.id, [
        { kind: "put", name, suite: "", environment: "", text },
      ]);
      await client.invalidateQueries({ queryKey: ["case", id] });
      await client.invalidateQueries({ queryKey: ["values"] });
      return answer.faults[0]?.sentence;
    } catch (problem) {
      return (problem as Error).message;
    }
  };
  return (
    <InPlace
      text=""
      label={`What ${name} reads as`}
      hint="A value of the project; in Setup it can read otherwise in an environment."
      save={save}
    >
      <span className="add">+ give {name} a value</span>
    </InPlace>
  );
}
