import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, type Suite } from "../../../api";
import { useStale } from "../../../api/stale";
import type { Document } from "../../../case/document";
import { fromText, looksPasted } from "../../../case/pasting";
import { pathOf } from "../../../parts/suites";
import { InPlace } from "../../../parts/typing/InPlace";
import { useProject } from "../../../state/project";
import { AddSuite } from "./AddSuite";
import { CaseRow } from "./CaseRow";
import { CASE, SUITE } from "./dragging";
import { FromPipeline } from "./FromPipeline";
import { SuiteHead } from "./SuiteHead";
import { casesOf, type Standing } from "./tree";
import { asBefore, type Outline, putBack } from "./useOutline";
import { useSuiteMoves } from "./useSuiteMoves";
import type { Ticked } from "./useTicked";

interface Props {
  standing: Standing;
  /** Those that it stands with, in order. */
  beside: Suite[];
  /** It stands in another. */
  inner?: boolean;
  suites: Suite[];
  outline: Outline;
  /** Only some cases are shown, so that nothing is put in order. */
  filtered: boolean;
  run: (suite: string) => void;
  ticked: Ticked;
}

/** One suite with its cases and the suites in it: named, ordered and taken away where it stands; cases and suites are dragged, or moved
 *  with Alt and the arrows. */
export function SuiteBlock(props: Props) {
  const { standing, beside, inner = false, suites, outline, filtered, run, ticked } = props;
  const { suite } = standing;
  const [over, setOver] = useState("");
  const [pipeline, setPipeline] = useState(false);
  const moves = useSuiteMoves(suite, beside, suites, outline);
  const drop = (id: string, before: string | null) => {
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
      const carried = event.dataTransfer.types;
      if (filtered || !(carried.includes(CASE) || carried.includes(SUITE))) return;
      event.preventDefault();
      event.stopPropagation();
      setOver(before && carried.includes(CASE) ? before : "end");
    },
    onDragLeave: () => setOver(""),
    onDrop: (event: React.DragEvent) => {
      const [id, dropped] = [event.dataTransfer.getData(CASE), event.dataTransfer.getData(SUITE)];
      if (filtered || !(id || dropped)) return;
      event.preventDefault();
      event.stopPropagation();
      setOver("");
      if (id) drop(id, before);
      else if (dropped !== suite.id) dropSuite(dropped, suite, suites, outline);
    },
  });
  return (
    <section className={over === "end" ? "suite over" : "suite"} aria-labelledby={suite.id} {...onto(null)}>
      <SuiteHead
        suite={suite}
        suites={suites}
        cases={casesOf(standing)}
        inner={inner}
        isFolder={standing.inner.length > 0}
        outline={outline}
        filtered={filtered}
        moves={moves}
        run={() => run(suite.id)}
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
            called={(one) => pathOf(one, suites)}
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
      {standing.inner.length > 0 && (
        <div className="inner">
          {standing.inner.map((one) => (
            <SuiteBlock
              {...props}
              key={one.suite.id}
              standing={one}
              beside={standing.inner.map((other) => other.suite)}
              inner
            />
          ))}
        </div>
      )}
      {!filtered && <AddCase suite={suite} outline={outline} />}
    </section>
  );
}

const REQUEST = /^([A-Za-z]+\s+)?(https?:\/\/|\[=)/;

/** An empty case of that name; of a request, the case that begins with it. */
async function newCase(text: string): Promise<Document> {
  const steps = REQUEST.test(text) || looksPasted(text) ? (await fromText(text)).steps : [];
  return { "salt-path": 1, case: String(steps[0]?.request ?? text), steps };
}

/** A suite that was dropped onto another stands in it. */
function dropSuite(dropped: string, into: Suite, suites: Suite[], outline: Outline) {
  const moved = suites.find(({ id }) => id === dropped);
  if (!moved || moved.within === into.id) return;
  const beside = suites.filter(({ within }) => within === moved.within);
  const before = beside[beside.indexOf(moved) + 1]?.id ?? null;
  void outline.act(() => api.changeSuite(dropped, { into: into.id, before: null }), {
    sentence: `${moved.name} stands in ${into.name} now.`,
    undo: () => void outline.act(() => api.changeSuite(dropped, { into: moved.within, before })),
  });
}

/** A new case by its name, or by its first request, which opens at once; or a suite in this one. */
function AddCase({ suite, outline }: { suite: Suite; outline: Outline }) {
  const project = useProject();
  const navigate = useNavigate();
  const tell = useStale();
  const save = async (name: string) => {
    if (!name.trim() || !project) return undefined;
    try {
      const made = await api.addCase(project.id, suite.id, await newCase(name.trim()));
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
      <Link data-needs="edit" className="muted small" to={`/cases/recording?suite=${suite.id}`}>
        or from a browser’s recording…
      </Link>{" "}
      <AddSuite outline={outline} into={suite} />
    </div>
  );
}
