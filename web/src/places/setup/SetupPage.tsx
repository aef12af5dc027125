import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api } from "../../api";
import { queries } from "../../api/queries";
import { useStale } from "../../api/stale";
import { count, listed } from "../../base/format";
import { Notice } from "../../parts/Notice";
import { WhereContext } from "../../parts/typing/drafts";
import { InPlace } from "../../parts/typing/InPlace";
import { UndoButton } from "../../parts/UndoButton";
import { useProject } from "../../state/project";
import { useEnvironments } from "../../state/run";
import { useTab } from "../../state/tab";
import { ActiveValue } from "./ActiveValue";
import { Deliveries } from "./Deliveries";
import { Kept } from "./Kept";
import { Lifts } from "./Lifts";
import { SetupPlaces } from "./people/SetupPlaces";
import { useValueGrid } from "./useValueGrid";
import { useValues } from "./useValues";
import { ValueGrid } from "./ValueGrid";
import { found, isMissing, isUnused, type Show } from "./values";

const SHOWN: { show: Show; name: string }[] = [
  { show: "all", name: "all" },
  { show: "missing", name: "missing somewhere" },
  { show: "unused", name: "not used" },
  { show: "secret", name: "secrets" },
];

/** Setup: environments and values side by side, and what stands written out that could be a value. */
export function SetupPage() {
  const project = useProject();
  useTab("Setup");
  return (
    <WhereContext.Provider value={`setup ${project?.id}`}>
      <Opened key={project?.id} project={project?.id} />
    </WhereContext.Provider>
  );
}

function Opened({ project }: { project: string | undefined }) {
  const tell = useStale();
  const environments = useEnvironments().data?.items ?? [];
  const names = useMemo(() => environments.map((environment) => environment.name), [environments]);
  const values = useValues(project, names);
  const [text, setText] = useState("");
  const [show, setShow] = useState<Show>("all");
  const rows = useMemo(() => found(values.rows, text, show), [values.rows, text, show]);
  const [suite, setSuite] = useState("");
  const suites = useQuery(queries.suites(project));
  const grid = useValueGrid({
    rows,
    environments: names,
    suite,
    apply: values.apply,
    rename: values.rename,
    say: values.setSaid,
  });
  const active = rows[grid.at[0]];
  const refresh = () => tell("environments");
  const add = async (name: string): Promise<string | undefined> => {
    try {
      await api.addEnvironment(project as string, name);
      await refresh();
      return undefined;
    } catch (problem) {
      return (problem as Error).message;
    }
  };
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the shortcut of a button that is there too
    <div
      className="page setup"
      onKeyDown={(event) => {
        const typing = event.target instanceof HTMLElement && event.target.closest("input, textarea");
        if (!event.ctrlKey || event.key.toLowerCase() !== "z" || typing) return;
        event.preventDefault();
        void values.undo();
      }}
    >
      <div className="page-head">
        <div>
          <p className="crumb">Setup</p>
          <h1>Environments and values</h1>
          <p className="muted">{standing(values.rows, names)}</p>
        </div>
        <UndoButton can={values.canUndo} undo={values.undo} />
      </div>
      <SetupPlaces />
      {values.query.error && (
        <Notice sentence={values.query.error.message} retry={() => void values.query.refetch()} />
      )}
      <div className="value-ways">
        <input
          type="search"
          placeholder="Find a name or what it reads as"
          aria-label="Find a value"
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        <fieldset className="views" aria-label="Which values are shown">
          {SHOWN.map((item) => (
            <button
              key={item.show}
              type="button"
              className="plain-button"
              aria-pressed={item.show === show}
              onClick={() => setShow(item.show)}
            >
              {item.name}
            </button>
          ))}
        </fieldset>
        <label className="muted" data-needs="edit">
          new values belong to{" "}
          <select className="which-part" value={suite} onChange={(event) => setSuite(event.target.value)}>
            <option value="">the project</option>
            {(suites.data?.items ?? []).map((item) => (
              <option key={item.id} value={item.id}>
                {item.name}
              </option>
            ))}
          </select>
        </label>
        <InPlace text="" label="The name of a new environment" hint="Such as Rehearsal." save={add}>
          <span className="add">+ an environment</span>
        </InPlace>
      </div>
      {values.query.isSuccess && !values.rows.length && (
        <p>
          A value has a name, such as <span className="reference mono">harbour</span>, and{" "}
          <span className="mono">[=harbour]</span> inserts it in any case. Where the API stands more than
          once, each place is an environment, in which values may read otherwise. Name the first value in the
          row below.
        </p>
      )}
      {values.query.isSuccess && (
        <ValueGrid rows={rows} environments={environments} grid={grid} refresh={refresh} />
      )}
      <p className="muted small" role="status" data-needs="edit">
        {values.said ||
          "Type to change a cell; an empty one reads as everywhere. Ctrl C and Ctrl V go to and from a spreadsheet; Ctrl D fills down; Delete empties."}
      </p>
      {active && <ActiveValue row={active} apply={values.apply} />}
      <Lifts project={project} refresh={values.refresh} undoValues={values.apply} />
      {project && <Deliveries project={project} />}
      {project && <Kept project={project} />}
    </div>
  );
}

function standing(rows: ReturnType<typeof useValues>["rows"], environments: string[]): string {
  const there = rows.filter((row) => !row.nowhere);
  const words = [`${count(there.length, "value")} in ${count(environments.length, "environment")}`];
  const nowhere = rows.filter((row) => row.nowhere).map((row) => row.name);
  if (nowhere.length)
    words.push(`${listed(nowhere.slice(0, 3))} ${nowhere.length === 1 ? "has" : "have"} no value anywhere`);
  for (const name of environments) {
    const missing = there.filter((row) =>
      row.cells.some((cell) => cell.environment === name && cell.missing),
    );
    if (missing.length) words.push(`${count(missing.length, "is", "are")} missing in ${name}`);
  }
  const unused = there.filter(isUnused);
  if (unused.length) words.push(`${count(unused.length, "is", "are")} not used`);
  if (there.length && !rows.some(isMissing)) words.push("none is missing anywhere");
  return words.join(" · ");
}
