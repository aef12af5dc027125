import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, type Suite } from "../../../api";
import { useStale } from "../../../api/stale";
import type { Document } from "../../../case/document";
import { fromText, looksPasted } from "../../../case/pasting";
import { InPlace } from "../../../parts/typing/InPlace";
import { useProject } from "../../../state/project";
import { CaseRow } from "./CaseRow";
import { CASE } from "./dragging";
import { FromPipeline } from "./FromPipeline";
import { SuiteHead } from "./SuiteHead";
import { asBefore, type Outline, putBack } from "./useOutline";
import type { Ticked } from "./useTicked";

interface Props {
  suite: Suite;
  suites: Suite[];
  outline: Outline;
  /** Only some cases are shown, so that nothing is put in order. */
  filtered: boolean;
  above: string | undefined;
  /** Before which suite it stands when it goes one down. */
  below: string | null;
  last: boolean;
  run: () => void;
  ticked: Ticked;
}

/** One suite with its cases: named, ordered and taken away where it stands; cases are dragged, or moved with Alt and the arrows. */
export function SuiteBlock({ suite, suites, outline, filtered, above, below, last, run, ticked }: Props) {
  const [over, setOver] = useState("");
  const [pipeline, setPipeline] = useState(false);
  const move = (before: string | null) => void outline.act(() => api.changeSuite(suite.id, { before }));
  const drop = (id: string, before: string | null) => {
    setOver("");
    if (id === before) return;
    const from = suites.find((item) => item.cases.some((line) => line.id === id));
    const at = from?.cases.findIndex((line) => line.id === id) ?? 0;
    const line = from?.cases[at];
    if (!from || !line) return;
    void outline.act(() => api.moveCase(id, suite.id, before), {
      sentence: `Moved into ${suite.name}.`,
      undo: putBack(outline, line, from.id, from.cases[at + 1]?.id ?? null),
    });
  };
  const onto = (before: string | null) => ({
    onDragOver: (event: React.DragEvent) => {
      if (!event.dataTransfer.types.includes(CASE) || filtered) return;
      event.preventDefault();
      event.stopPropagation();
      setOver(before ?? "end");
    },
    onDragLeave: () => setOver(""),
    onDrop: (event: React.DragEvent) => {
      const id = event.dataTransfer.getData(CASE);
      if (!id || filtered) return;
      event.preventDefault();
      event.stopPropagation();
      drop(id, before);
    },
  });
  return (
    <section className={over === "end" ? "suite over" : "suite"} aria-labelledby={suite.id} {...onto(null)}>
      <SuiteHead
        suite={suite}
        outline={outline}
        filtered={filtered}
        up={above ? () => move(above) : undefined}
        down={last ? undefined : () => move(below)}
        run={run}
        ticked={ticked}
        pipeline={pipeline}
        showPipeline={setPipeline}
      />
      {pipeline && <FromPipeline suite={suite} />}
      <ul className="lines">
        {suite.cases.map((line, index) => (
          <CaseRow
            key={line.id}
            line={line}
            ticked={ticked.has(line.id)}
            tick={() => ticked.turn(line.id)}
            over={over === line.id}
            onto={onto(line.id)}
            move={(by) => {
              const others = suite.cases.filter((item) => item !== line);
              if (!filtered && index + by >= 0 && index + by <= others.length)
                drop(line.id, others[index + by]?.id ?? null);
            }}
            suites={suites.filter((item) => item.id !== suite.id)}
            into={(to) =>
              void outline.act(() => api.moveCase(line.id, to.id, null), {
                sentence: `“${line.name}” stands in ${to.name} now.`,
                undo: putBack(outline, line, suite.id, suite.cases[index + 1]?.id ?? null),
              })
            }
            turnInto={(role) => void outline.act(() => api.setRole(line.id, role))}
            remove={() =>
              void outline.act(() => api.removeCase(line.id), {
                sentence: `“${line.name}” is deleted; its runs are kept.`,
                undo: () =>
                  void outline.act(() => api.bringBack(line.id).then(() => asBefore(line)), {
                    sentence: `“${line.name}” is back.`,
                  }),
              })
            }
          />
        ))}
      </ul>
      {!filtered && <AddCase suite={suite.id} />}
    </section>
  );
}

const REQUEST = /^([A-Za-z]+\s+)?(https?:\/\/|\[=)/;

/** An empty case of that name; of a request, the case that begins with it. */
async function newCase(text: string): Promise<Document> {
  const steps = REQUEST.test(text) || looksPasted(text) ? (await fromText(text)).steps : [];
  return { "salt-path": 1, case: String(steps[0]?.request ?? text), steps };
}

/** A new case by its name, or by its first request; it opens at once. */
function AddCase({ suite }: { suite: string }) {
  const project = useProject();
  const navigate = useNavigate();
  const tell = useStale();
  const save = async (name: string) => {
    if (!name.trim() || !project) return undefined;
    try {
      const made = await api.addCase(project.id, suite, await newCase(name.trim()));
      void tell("outline");
      void navigate(`/cases/${made.id}`);
      return undefined;
    } catch (problem) {
      return (problem as Error).message;
    }
  };
  return (
    <div className="add-case">
      <InPlace
        text=""
        label="Add a case to this suite"
        hint="Name the case by what it shows, such as: A vessel is found again. Or type its first request."
        save={save}
      >
        <span className="muted">+ case</span>
      </InPlace>{" "}
      <Link className="muted small" to={`/cases/recording?suite=${suite}`}>
        or from a browser’s recording…
      </Link>
    </div>
  );
}
