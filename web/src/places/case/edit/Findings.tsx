import { Link } from "react-router";
import { api, type Case } from "../../../api";
import { useStale } from "../../../api/stale";
import { readTyped } from "../../../base/exact";
import { type WrittenOut, writtenSecret } from "../../../case/secrets";
import { InPlace } from "../../../parts/typing/InPlace";
import { useProject } from "../../../state/project";
import { useEdited } from "../state/context";

/** What is wrong with a step before it runs, and what mends it; that nothing is checked stands in Expect already. */
export function Findings({ step, findings }: { step: string; findings: Case["findings"] }) {
  const others = findings.filter((finding) => finding.code !== "no-checks");
  return (
    <span className="findings">
      {others.map((finding, index) => (
        <span key={`${finding.code} ${finding.sentence}`}>
          {index > 0 && " · "}
          {finding.sentence} {finding.code === "kept-nowhere" && <NewValue name={finding.name} />}
          {finding.secret && <MarkSecret step={step} of={finding.secret} what={finding.name} />}
          {finding.code === "hard-coded-address" && (
            <Link to={`/setup?lift=${encodeURIComponent(finding.name)}`}>Lift it into a value</Link>
          )}
        </span>
      ))}
    </span>
  );
}

/** What is written out goes into a secret of the project, and a reference stands in its place. */
export function MarkSecret({ step, of, what }: { step: string; of: WrittenOut; what: string }) {
  const { id, editing, references } = useEdited();
  const project = useProject();
  const tell = useStale();
  const written = writtenSecret(editing.document, step, of);
  if (!written || !project) return null;
  const taken = references(Number.POSITIVE_INFINITY);
  const save = async (typed: string): Promise<string | undefined> => {
    const name = typed.trim();
    if (taken.some((value) => value.name === name && value.from !== "case"))
      return `There is a value ${name} already; choose another name.`;
    const about = { name, suite: "", environment: "" };
    const text = readTyped(written.text) === written.text ? written.text : JSON.stringify(written.text);
    const { faults } = await api.changeValues(project.id, [
      { kind: "hide", ...about },
      { kind: "put", ...about, text },
    ]);
    if (faults[0]) return faults[0].sentence;
    const wrong = await editing.apply(written.without(name));
    await tell("values of", id);
    return wrong;
  };
  return (
    <InPlace
      text={written.name}
      label={`The name of the secret that stands for ${what}`}
      hint="It goes into the project’s secrets, sealed, and is shown nowhere again."
      always
      save={save}
    >
      <span className="add">Mark it as secret</span>
    </InPlace>
  );
}

/** A value that is missing gets one where it is used. */
function NewValue({ name }: { name: string }) {
  const { id } = useEdited();
  const project = useProject();
  const tell = useStale();
  const save = async (text: string): Promise<string | undefined> => {
    if (!project) return undefined;
    try {
      const answer = await api.changeValues(project.id, [
        { kind: "put", name, suite: "", environment: "", text },
      ]);
      await tell("values of", id);
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
