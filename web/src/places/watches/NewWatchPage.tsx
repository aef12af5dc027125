import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { ApiProblem, api, type Shapes } from "../../api";
import { useMay } from "../../api/may";
import { queries } from "../../api/queries";
import { useStale } from "../../api/stale";
import { useAsk } from "../../parts/Confirm";
import { Notice } from "../../parts/Notice";
import { useProject } from "../../state/project";
import { useEnvironments } from "../../state/run";
import { useTab } from "../../state/tab";
import { Telling } from "./Telling";
import { Understood } from "./Understood";

/** A watch of a case, a suite or a tag, made with one sentence. */
export function NewWatchPage() {
  const project = useProject();
  useTab("New watch");
  const may = useMay("edit");
  const [search] = useSearchParams();
  const suites = useQuery(queries.suites(project?.id));
  const known = useEnvironments();
  const environments = known.data?.items ?? [];
  const where =
    environments.find((one) => one.name === search.get("environment")) ??
    environments.find((one) => one.usual);
  if (!project || !suites.data || known.isPending) return <p className="muted pad">Reading the cases…</p>;
  if (!may) return <p className="pad">You may look at watches here, and not make any.</p>;
  const targets = suites.data.items.flatMap((suite) => [
    { kind: "suite" as const, id: suite.id, name: suite.name },
    ...suite.cases.map((line) => ({ kind: "case" as const, id: line.id, name: line.name })),
  ]);
  const given = targets.find((one) => one.id === (search.get("case") ?? search.get("suite")));
  return (
    <Making
      project={project.id}
      targets={targets}
      tags={[
        ...new Set(
          suites.data.items.flatMap((suite) => [...suite.tags, ...suite.cases.flatMap((line) => line.tags)]),
        ),
      ]}
      given={given}
      usual={where?.name}
    />
  );
}

interface Target {
  kind: "case" | "suite";
  id: string;
  name: string;
}

interface Props {
  project: string;
  targets: Target[];
  tags: string[];
  given: Target | undefined;
  usual: string | undefined;
}

const value = (one: Target) => `${one.kind} ${one.id}`;

function Making({ project, targets, tags, given, usual }: Props) {
  const navigate = useNavigate();
  const tell = useStale();
  const ask = useAsk();
  const [what, setWhat] = useState(given ? value(given) : "");
  const [name, setName] = useState("");
  const [sentence, setSentence] = useState(`every 5 min${usual ? ` against ${usual}` : ""}`);
  const [problem, setProblem] = useState("");
  const [busy, setBusy] = useState(false);
  const [kind = "", ...rest] = what.split(" ");
  const id = rest.join(" ");
  const add = async (mayChange?: boolean): Promise<void> => {
    const asked: Shapes["NewWatch"] = { project, sentence, name, [kind]: id };
    try {
      const made = await api.addWatch(mayChange === undefined ? asked : { ...asked, mayChange });
      await tell("watches");
      void navigate(`/watches/${made.id}`);
    } catch (wrong) {
      if (wrong instanceof ApiProblem && wrong.code === "guarded") {
        const sure = await ask({
          title: "May its steps change something there?",
          text: `${wrong.message.split(". ")[0]}. Each run would send them again. Without, they are left out, and the rest is watched.`,
          yes: "They may",
          no: "Leave them out",
        });
        return add(sure);
      }
      setProblem((wrong as Error).message);
    }
  };
  const submit = (event: FormEvent) => {
    event.preventDefault();
    setProblem("");
    setBusy(true);
    void add().finally(() => setBusy(false));
  };
  return (
    <div className="page">
      <div className="page-head">
        <h1>New watch</h1>
      </div>
      <form id="new-watch" className="new-watch" onSubmit={submit}>
        <label>
          What is watched
          <select value={what} onChange={(event) => setWhat(event.target.value)} required>
            <option value="">choose a case, a suite or a tag…</option>
            <Options
              label="Suites, with all their cases"
              of={targets.filter((one) => one.kind === "suite")}
            />
            <Options label="Cases" of={targets.filter((one) => one.kind === "case")} />
            {tags.length > 0 && (
              <optgroup label="Cases with a tag">
                {tags.map((tag) => (
                  <option key={tag} value={`tag ${tag}`}>
                    {tag}
                  </option>
                ))}
              </optgroup>
            )}
          </select>
        </label>
        <label>
          When, where, and what is expected
          <input
            value={sentence}
            onChange={(event) => setSentence(event.target.value)}
            aria-describedby="watch-understood"
            required
          />
        </label>
        <div id="watch-understood" aria-live="polite">
          <Understood project={project} sentence={sentence} />
        </div>
        <p className="muted small">
          Such as <em>every minute against Live, at most 0.5 s</em> ·{" "}
          <em>at 02:30 on weekdays, Europe/Oslo</em> ·{" "}
          <em>every 30 s, 06:00 to 22:00 on weekdays, available 99.9 %, bad after 2</em> ·{" "}
          <em>every 5 min, 95 % within 0.2 s, tell desk, not urgent</em>
        </p>
        <label>
          What it is called
          <input
            value={name}
            placeholder={targets.find((one) => value(one) === what)?.name ?? "as what is watched"}
            onChange={(event) => setName(event.target.value)}
          />
        </label>
      </form>
      <Telling project={project} sentence={sentence} change={setSentence} />
      {problem && <Notice sentence={problem} />}
      <div className="actions new-watch-end">
        <button type="submit" form="new-watch" className="run-button" disabled={busy || !what}>
          Watch it
        </button>
      </div>
    </div>
  );
}

function Options({ label, of }: { label: string; of: Target[] }) {
  if (!of.length) return null;
  return (
    <optgroup label={label}>
      {of.map((one) => (
        <option key={one.id} value={value(one)}>
          {one.name}
        </option>
      ))}
    </optgroup>
  );
}
