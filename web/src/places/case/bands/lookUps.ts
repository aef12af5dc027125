import type { StepDocument } from "../../../case/document";
import { UNNAMED } from "../../../case/lookup";

/** What a look-up says that asks a table. */
export const OF_TABLE = ["rows of", "columns", "where", "order by"];

/** The step with a statement instead, which asks the same table. */
export function ofSql(step: StepDocument): StepDocument {
  const kept = Object.fromEntries(Object.entries(step).filter(([name]) => !OF_TABLE.includes(name)));
  return { ...kept, sql: `select * from ${String(step["rows of"] ?? UNNAMED)}` };
}

/** The step with the table that its statement names instead. */
export function ofTable(step: StepDocument): StepDocument {
  const { sql, ...kept } = step;
  const table = /\bfrom\s+([\w.]+)/i.exec(String(sql))?.[1] ?? UNNAMED;
  return { ...kept, "rows of": table };
}
