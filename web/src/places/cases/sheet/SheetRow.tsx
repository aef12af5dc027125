import { memo, useRef } from "react";
import { VerdictMark } from "../../../parts/VerdictMark";
import { COLUMNS, type Column, type Row } from "./sheet";

interface Props {
  row: Row;
  number: number;
  /** Whether its step is named: in the first row of each. */
  first: boolean;
  /** The chosen columns of the row, -1 where it is not chosen. */
  left: number;
  right: number;
  /** The column of the active cell, -1 in every other row. */
  active: number;
  typing: string | undefined;
  move: (row: number, column: number, extend?: boolean) => void;
  begin: (text?: string) => void;
  write: (text: string) => void;
  leave: (typing: string | undefined) => void;
}

/** One row of the sheet. The functions may change, the rest says whether it is drawn again. */
export const SheetRow = memo(
  function SheetRow({ row, number, first, left, right, active, typing, move, begin, write, leave }: Props) {
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
        {COLUMNS.map((column, place) => {
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
              onMouseDown={(event) => {
                if (!(here && typing !== undefined)) move(number, place, event.shiftKey);
              }}
              onMouseEnter={(event) => event.buttons === 1 && move(number, place, true)}
              onDoubleClick={() => begin()}
            >
              {here && typing !== undefined ? (
                <Field
                  column={column}
                  typed={typing}
                  change={leave}
                  write={write}
                  down={() => move(number + 1, place)}
                />
              ) : (
                shown(row, column, first)
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
    before.first === after.first &&
    before.left === after.left &&
    before.right === after.right &&
    before.active === after.active &&
    before.typing === after.typing &&
    (after.active < 0 || before.write === after.write),
);

function shown(row: Row, column: Column, first: boolean) {
  if (row.id === "new" && column === "of") return <span className="muted">+ a check</span>;
  return column === "step" && !first && row.id !== "new" ? "" : row.cells[column];
}

interface FieldProps {
  column: Column;
  typed: string;
  change: (typed: string | undefined) => void;
  write: (text: string) => void;
  down: () => void;
}

function Field({ column, typed, change, write, down }: FieldProps) {
  const done = useRef(false);
  const take = () => {
    if (done.current) return;
    done.current = true;
    write(typed);
  };
  return (
    <input
      // biome-ignore lint/a11y/noAutofocus: the cell was just opened
      autoFocus
      aria-label={`The ${column} of this row`}
      value={typed}
      onChange={(event) => change(event.target.value)}
      onBlur={take}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Escape") {
          done.current = true;
          change(undefined);
        } else if (event.key === "Enter" || event.key === "Tab") {
          event.preventDefault();
          take();
          if (event.key === "Enter") down();
        }
      }}
    />
  );
}
