import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, type Database, type SourceDocument } from "../../api";
import { queries } from "../../api/queries";
import { useStale } from "../../api/stale";
import { useAsk } from "../../parts/Confirm";
import { InPlace } from "../../parts/typing/InPlace";
import { databaseText, readDatabase } from "./source";

const HINT =
  "sqlite /srv/harbour/harbour.db · postgres host:5432/name user reader password [=dbPassword] tls verify. May change, at the end: statements that change something are allowed.";

/** The databases that look-ups of cases ask: where each stands. */
export function Databases({ project }: { project: string }) {
  const tell = useStale();
  const ask = useAsk();
  const [said, setSaid] = useState("");
  const query = useQuery(queries.databases(project));
  const carry = async (act: () => Promise<unknown>): Promise<string | undefined> => {
    try {
      await act();
      setSaid("");
      return undefined;
    } catch (problem) {
      return (problem as Error).message;
    } finally {
      await tell("databases");
    }
  };
  const put = async (name: string, text: string, seen: SourceDocument | null) => {
    const document = readDatabase(text);
    if (typeof document === "string") return document;
    return carry(() => api.putDatabase(project, name, document, seen));
  };
  const add = async (text: string) => {
    const [, name, rest = ""] = /^\s*(\S+)\s*(?:=|:)?\s*(.*)$/s.exec(text) ?? [];
    if (!name) return undefined;
    return put(name, rest || `sqlite /srv/${name}.db`, null);
  };
  const remove = async (name: string) => {
    const yes = await ask({
      title: `Take ${name} away?`,
      text: "Nothing in the database itself changes.",
      yes: "Take it away",
      no: "Keep it",
    });
    if (yes) setSaid((await carry(() => api.removeDatabase(project, name))) ?? "");
  };
  return (
    <section aria-label="Databases" className="databases">
      <h2>Databases that cases look into</h2>
      <ul className="sources">
        {(query.data?.items ?? []).map((item) => (
          <li key={item.name} className="source-line">
            <p>
              <span className="source-name">{item.name}</span>{" "}
              <InPlace
                text={databaseText(item.document)}
                label={`Where ${item.name} stands`}
                hint={HINT}
                save={(text) => put(item.name, text, item.document)}
              >
                <span className="mono">{databaseText(item.document)}</span>
              </InPlace>
            </p>
            <p className="muted small">
              <Asking database={item} />
              {" · "}
              <button
                data-needs="edit"
                type="button"
                className="plain-link"
                onClick={() => void remove(item.name)}
              >
                take it away…
              </button>
            </p>
          </li>
        ))}
        <li>
          <InPlace
            text=""
            label="A new database: its name, and where it stands"
            hint={`register = ${HINT}`}
            save={add}
          >
            <span className="add">+ a database</span>
          </InPlace>
        </li>
      </ul>
      <p role="status" className="problem">
        {said}
      </p>
    </section>
  );
}

function Asking({ database }: { database: Database }) {
  if (!database.uses) return "no case asks it yet";
  return (
    <>
      asked by{" "}
      {database.cases.map((user, index) => (
        <span key={user.id}>
          {index > 0 && ", "}
          <Link to={`/cases/${user.id}`}>{user.name}</Link>
        </span>
      ))}
      {database.uses > database.cases.length && ` and ${database.uses - database.cases.length} more`}
    </>
  );
}
