import type { LookedAt } from "../../api";
import { CellTable } from "../../parts/CellTable";

/** The first rows as they will be: of rows that are made, or of a list in a document. */
export function MadeRows({ looked }: { looked: LookedAt }) {
  if (!looked.rows.length) return null;
  return (
    <CellTable
      label="The first rows"
      columns={looked.columns}
      rows={looked.rows.map((row) => row.cells)}
      why={(place) => looked.rows[place]?.why ?? ""}
      numbered
      referred
    />
  );
}
