import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Step, StepEvidence } from "../../../api";
import { useMay } from "../../../api/may";
import { queries } from "../../../api/queries";
import { inStep, setField, stepWith } from "../../../case/document";
import { conditionLines, NO_DATABASE, readConditions, UNNAMED } from "../../../case/lookup";
import { Pieces } from "../../../parts/Pieces";
import { InPlace } from "../../../parts/typing/InPlace";
import { useLook } from "../../../state/looks";
import { useProject } from "../../../state/project";
import { useEdited, useInsertable } from "../state/context";
import { LookTable } from "./LookTable";
import { ofSql, ofTable } from "./lookUps";

/** What is looked up, as a sentence: the rows of a table where its columns say so, or one statement of SQL. */
export function LookBand({ step, used }: { step: Step; used: StepEvidence["used"] }) {
  const may = useMay("edit");
  const { editing } = useEdited();
  const project = useProject()?.id;
  const insertable = useInsertable(step.number, step.key);
  const databases = useQuery(queries.databases(project));
  const [looking, setLooking] = useState(false);
  const asked = step.lookUp;
  const tables = useLook(
    asked?.database ?? "",
    "",
    asked?.database !== NO_DATABASE && (looking || asked?.table === UNNAMED),
  );
  if (!asked) return null;
  const names = (databases.data?.items ?? []).map((item) => item.name);
  const document = stepWith(editing.document, step.key);
  const put = (field: string) => (text: string) =>
    editing.apply(setField(step.key, field, text.trim() || undefined));
  const list = (field: string) => (text: string) => {
    const found = text
      .split(",")
      .map((name) => name.trim())
      .filter(Boolean);
    return editing.apply(setField(step.key, field, found.length ? found : undefined));
  };
  const where = (text: string) => {
    const found = readConditions(text);
    if (typeof found === "string") return Promise.resolve(found);
    return editing.apply(setField(step.key, "where", Object.keys(found).length ? found : undefined));
  };
  const inSql = asked.sql.length > 0;
  const turn = () =>
    void editing.apply(inStep(step.key, (before) => (inSql ? ofTable(before) : ofSql(before))));
  return (
    <div className="band">
      <h3>Look</h3>
      <div>
        <p className="send-line">
          In{" "}
          <select
            disabled={!may}
            className="in-sentence"
            aria-label="Which database"
            value={asked.database}
            onChange={(event) => void editing.apply(setField(step.key, "in", event.target.value))}
          >
            {!names.includes(asked.database) && (
              <option value={asked.database}>
                {asked.database === NO_DATABASE ? "choose a database" : asked.database}
              </option>
            )}
            {names.map((name) => (
              <option key={name}>{name}</option>
            ))}
          </select>
          {inSql ? (
            " what this gives:"
          ) : (
            <>
              {" "}
              the rows of{" "}
              {tables.data ? (
                <select
                  disabled={!may}
                  className="in-sentence mono"
                  aria-label="Which table"
                  value={asked.table}
                  onChange={(event) => void put("rows of")(event.target.value)}
                >
                  {!tables.data.some((row) => row.name === asked.table) && (
                    <option value={asked.table}>
                      {asked.table === UNNAMED ? "choose a table" : asked.table}
                    </option>
                  )}
                  {tables.data.map((row) => (
                    <option key={String(row.name)}>{String(row.name)}</option>
                  ))}
                </select>
              ) : (
                <InPlace
                  text={asked.table}
                  label="Which table"
                  hint="Its name, or schema.table"
                  save={put("rows of")}
                >
                  <span className="mono">{asked.table}</span>
                </InPlace>
              )}
              {asked.columns.length > 0 ? ", of them " : " "}
              <InPlace
                text={asked.columns.join(", ")}
                label="Which columns"
                hint="Names with commas between them; nothing: all."
                save={list("columns")}
              >
                {asked.columns.length ? (
                  <span className="mono">{asked.columns.join(", ")}</span>
                ) : (
                  <span className="muted add">+ columns</span>
                )}
              </InPlace>
              {asked.order.length > 0 && ", sorted by "}
              <InPlace
                text={asked.order.join(", ")}
                label="What they are sorted by"
                hint="Names with commas between them; -length: the other way round."
                save={list("order by")}
              >
                {asked.order.length ? (
                  <span className="mono">{asked.order.join(", ")}</span>
                ) : (
                  <span className="muted add">+ order</span>
                )}
              </InPlace>
            </>
          )}
        </p>
        {inSql ? (
          <InPlace
            text={asked.sql.map((piece) => piece.text).join("")}
            label="The statement"
            hint="One statement. [=name] is bound as a value, so it stands without quotes around it. Ctrl Enter keeps."
            lines
            body="text"
            insertable={insertable}
            save={put("sql")}
          >
            <span className="code body-text">
              <Pieces pieces={asked.sql} used={used} />
            </span>
          </InPlace>
        ) : (
          <InPlace
            text={conditionLines(document?.where)}
            label="Which rows, a line each"
            hint="column = value; also: above 90, between [1, 5], is one of [a, b], contains, starts with, absent. Ctrl Enter keeps."
            lines
            insertable={insertable}
            save={where}
          >
            {asked.where.length ? (
              <span className="pairs mono">
                {asked.where.map((item) => (
                  <span key={`${item.column} ${item.relation}`}>
                    <span className="muted">
                      {item.column} {item.relation === "is" ? "=" : item.relation}
                    </span>{" "}
                    {item.relation !== "present" && item.relation !== "absent" && (
                      <Pieces pieces={item.value} used={used} />
                    )}
                  </span>
                ))}
              </span>
            ) : (
              <span className="muted add">+ where</span>
            )}
          </InPlace>
        )}
        <p className="muted small">
          <button data-needs="edit" type="button" className="plain-link" onClick={turn}>
            {inSql ? "choose a table instead" : "say it in SQL"}
          </button>
          {!inSql && (
            <>
              {" · "}
              <button
                type="button"
                className="plain-link"
                aria-expanded={looking}
                onClick={() => setLooking(!looking)}
              >
                {looking ? "close the table" : "look at the table, and point"}
              </button>
            </>
          )}
          {tables.error && <span className="trouble"> {tables.error.message}</span>}
          {names.length === 0 &&
            databases.isSuccess &&
            " The project has no database yet; say in Data where one stands."}
        </p>
        {looking && !inSql && asked.table !== UNNAMED && <LookTable step={step} />}
      </div>
    </div>
  );
}
