import { useQuery } from "@tanstack/react-query";
import type { DataSource } from "../../api";
import { useMay } from "../../api/may";
import { queries } from "../../api/queries";
import { conditionLines, NO_DATABASE, readConditions, UNNAMED } from "../../case/lookup";
import { InPlace } from "../../parts/typing/InPlace";
import { useLook } from "../../state/looks";
import { isAsked, saying } from "./source";
import type { Opened } from "./useSource";

interface Props {
  project: string;
  opened: Opened;
}

/** Rows that are there only when a case runs, of a database's table or of an output table; what is shown is how they were last. */
export function ReadWhenItRuns({ project, opened }: Props) {
  const { change, looking, lookAgain } = opened;
  const source = opened.source as DataSource;
  const { document, kind } = source;
  const databases = useQuery(queries.databases(project));
  const tables = useQuery(queries.outputTables(project));
  const database = kind === "database" && document.in !== NO_DATABASE ? String(document.in) : "";
  const table = String(document["rows of"] ?? UNNAMED);
  const held = useLook(database, "", Boolean(database) && document.sql === undefined);
  const put = (key: string) => (text: string) => change(saying(document, key, text.trim() || undefined));
  if (kind === "output")
    return (
      <p className="how-read">
        Rows of the output table{" "}
        <Named
          label="Which output table"
          value={String(document["output table"])}
          names={(tables.data?.items ?? []).map((item) => item.name)}
          set={(name) => void put("output table")(name)}
        />
        : those that the run itself has written when a case begins, else those of the newest run that wrote
        there.
      </p>
    );
  const where = async (text: string) => {
    const found = readConditions(text);
    return typeof found === "string"
      ? found
      : change(saying(document, "where", Object.keys(found).length ? found : undefined));
  };
  return (
    <>
      <p className="how-read">
        In{" "}
        <Named
          label="Which database"
          value={document.in === NO_DATABASE ? "choose a database" : String(document.in)}
          names={(databases.data?.items ?? []).map((item) => item.name)}
          set={(name) => void put("in")(name)}
        />{" "}
        {typeof document.sql === "string" ? (
          <>
            what this gives:{" "}
            <InPlace
              text={document.sql}
              label="The statement"
              lines
              hint="One statement that only reads. Ctrl Enter keeps."
              save={put("sql")}
            >
              <span className="code body-text">{document.sql}</span>
            </InPlace>
          </>
        ) : (
          <>
            the rows of{" "}
            <Named
              label="Which table"
              value={table === UNNAMED ? "choose a table" : table}
              names={(held.data ?? []).map((row) => String(row.name))}
              set={(name) => void put("rows of")(name)}
            />{" "}
            where{" "}
            <InPlace
              text={conditionLines(document.where)}
              label="Which rows, a line each"
              lines
              hint="column = value; above 90; is one of [a, b]. Nothing: all. Ctrl Enter keeps."
              save={where}
            >
              {document.where ? (
                <span className="mono">{conditionLines(document.where).split("\n").join(", ")}</span>
              ) : (
                "anything holds"
              )}
            </InPlace>
          </>
        )}
        {document.sql === undefined && ". "}They are read when a case runs.{" "}
        {lookAgain && (
          <button
            data-needs="run"
            type="button"
            className="plain-link"
            disabled={looking}
            onClick={lookAgain}
          >
            {looking ? "looking…" : "look again"}
          </button>
        )}
      </p>
      {held.error && <p className="trouble">{held.error.message}</p>}
      {!isAsked(document) && (
        <p className="muted">
          {databases.data?.items.length === 0
            ? "Say in Data first where a database stands."
            : "Choose a database and one of its tables: the rows that are there now are shown here, with what their columns hold."}
        </p>
      )}
      {opened.profile?.rows === 0 && (
        <p className="muted">No row is there now. A case over them would be blocked.</p>
      )}
    </>
  );
}

interface NamedProps {
  label: string;
  value: string;
  names: string[];
  set: (name: string) => void;
}

function Named({ label, value, names, set }: NamedProps) {
  const may = useMay("edit");
  return (
    <select
      disabled={!may}
      className="in-sentence"
      aria-label={label}
      value={value}
      onChange={(event) => set(event.target.value)}
    >
      {!names.includes(value) && <option>{value}</option>}
      {names.map((name) => (
        <option key={name}>{name}</option>
      ))}
    </select>
  );
}
