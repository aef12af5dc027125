import { memo } from "react";
import type { Column } from "../../../case/sheet/columns";
import { isEmpty, type Row } from "../../../case/sheet/sheet";
import { CellField } from "../../../parts/grid/CellField";
import { VerdictMark } from "../../../parts/VerdictMark";

interface Props {
  row: Row;
  number: number;
  columns: Column[];
  /** Whether its case is named: in the first row of each. */
  begins: boolean;
  /** The chosen columns of the row, -1 where it is not chosen. */
  left: number;
  right: number;
  /** The column of the active cell, -1 in every other row. */
  active: number;
  typing: string | undefined;
  move: (row: number, column: number, extend?: boolean) => void;
  begin: (text?: string, place?: [row: number, column: number]) => void;
  write: (text: string) => void;
  leave: (typing: string | undefined) => void;
}

/** One row of the sheet. The functions may change, the rest says whether it is drawn again. */
export const SheetRow = memo(
  function SheetRow({
    row,
    number,
    columns,
    begins,
    left,
    right,
    active,
    typing,
    move,
    begin,
    write,
    leave,
  }: Props) {
    return (
      // biome-ignore lint/a11y/useFocusableInteractive: the grid has the focus, and says which cell is active
      <div
        role="row"
        className={row.problem ? "sheet-row wrong" : "sheet-row"}
        data-row={number}
        aria-rowindex={number + 2}
        title={row.problem || undefined}
      >
        {/* biome-ignore lint/a11y/useFocusableInteractive: see above */}
        <span role="gridcell" className="sheet-mark">
          {row.problem ? (
            <VerdictMark verdict="blocked" />
          ) : (
            row.verdict && <VerdictMark verdict={row.verdict} />
          )}
        </span>
        {columns.map((column, place) => {
          const here = place === active;
          const classes = [
            "cell",
            `col-${column}`,
            place >= left && place <= right && "in-area",
            here && "active",
          ];
          return (
            // biome-ignore lint/a11y/useFocusableInteractive: see above
            <span
              role="gridcell"
              id={`cell-${number}-${place}`}
              key={column}
              aria-selected={place >= left && place <= right}
              className={classes.filter(Boolean).join(" ")}
              title={row.problem || row.cells[column].length < 12 ? undefined : row.cells[column]}
              onMouseDown={(event) => {
                if (!(here && typing !== undefined)) move(number, place, event.shiftKey);
              }}
              onMouseEnter={(event) => event.buttons === 1 && move(number, place, true)}
              onDoubleClick={() => begin(undefined, [number, place])}
            >
              {here && typing !== undefined ? (
                <CellField
                  label={`The ${column} of this row`}
                  lines={column === "headers" || column === "body"}
                  typed={typing}
                  change={leave}
                  write={write}
                  go={(down, right) => move(number + down, place + right)}
                />
              ) : (
                shown(row, column, begins)
              )}
            </span>
          );
        })}
      </div>
    );
  },
  (before, after) =>
    before.row === after.row &&
    before.number === after.number &&
    before.columns === after.columns &&
    before.begins === after.begins &&
    before.left === after.left &&
    before.right === after.right &&
    before.active === after.active &&
    before.typing === after.typing &&
    (after.active < 0 || before.write === after.write),
);

function shown(row: Row, column: Column, begins: boolean) {
  if (isEmpty(row) && column === "of") return <span className="muted">+ a check</span>;
  if (column === "case") return begins ? row.cells.case : "";
  return column === "step" && !row.first && row.id !== "new" ? "" : row.cells[column];
}
