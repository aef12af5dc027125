import { memo } from "react";
import type { ValueRow } from "../../api";
import { count } from "../../base/format";
import { CellField } from "../../parts/grid/CellField";
import { VerdictMark } from "../../parts/VerdictMark";
import type { useValueGrid } from "./useValueGrid";
import { EMPTY, isUnused, NAME, opened } from "./values";

interface Props {
  /** None: the row for a new value. */
  row: ValueRow | undefined;
  number: number;
  /** The chosen columns of the row, -1 where it is not chosen. */
  left: number;
  right: number;
  /** The column of the active cell, -1 in every other row. */
  active: number;
  typing: string | undefined;
  grid: ReturnType<typeof useValueGrid>;
}

/** One value: its name, what it reads as everywhere and in each environment, and who uses it. */
export const ValueLine = memo(
  function ValueLine({ row, number, left, right, active, typing, grid }: Props) {
    const columns = row ? row.cells.length + 1 : 1;
    return (
      // biome-ignore lint/a11y/useFocusableInteractive: the grid has the focus, and says which cell is active
      <div role="row" className="sheet-row" aria-rowindex={number + 2}>
        {Array.from({ length: columns }, (_, column) => {
          const here = column === active;
          const classes = [
            "cell",
            column === NAME ? "value-name" : "value-cell",
            column >= left && column <= right && "in-area",
            here && "active",
          ];
          return (
            // biome-ignore lint/a11y/useFocusableInteractive: see above
            <span
              role="gridcell"
              id={`value-${number}-${column}`}
              key={row?.cells[column - 1]?.environment ?? `${column}`}
              aria-selected={column >= left && column <= right}
              className={classes.filter(Boolean).join(" ")}
              title={titleOf(row, column)}
              onMouseDown={(event) => {
                if (!(here && typing !== undefined)) grid.move(number, column, event.shiftKey);
              }}
              onMouseEnter={(event) => event.buttons === 1 && grid.move(number, column, true)}
              onDoubleClick={() => grid.begin(undefined, [number, column])}
            >
              {here && typing !== undefined ? (
                <CellField
                  label={column === NAME ? "The name of this value" : `What ${row?.name} reads as`}
                  typed={typing}
                  change={grid.setTyping}
                  write={grid.write}
                  go={(down, right) => grid.move(number + down, column + right)}
                />
              ) : (
                <Shown row={row} column={column} />
              )}
            </span>
          );
        })}
        {row && (
          // biome-ignore lint/a11y/useFocusableInteractive: see above
          <span role="gridcell" className="cell muted">
            {uses(row)}
          </span>
        )}
      </div>
    );
  },
  (before, after) =>
    before.row === after.row &&
    before.number === after.number &&
    before.left === after.left &&
    before.right === after.right &&
    before.active === after.active &&
    before.typing === after.typing &&
    after.active < 0,
);

function Shown({ row, column }: { row: ValueRow | undefined; column: number }) {
  if (!row)
    return (
      <span className="muted" data-needs="edit">
        + a value
      </span>
    );
  if (column === NAME)
    return (
      <>
        {row.nowhere && <VerdictMark verdict="blocked" />}
        <span className="reference">{row.name}</span>
        {row.suiteName && <span className="muted"> {row.suiteName}</span>}
      </>
    );
  const cell = row.cells[column - 1];
  if (!cell) return null;
  if (cell.given && cell.text === EMPTY) return <span className="hidden-value">an empty text</span>;
  if (cell.given) return row.secret ? <span className="hidden-value">set, hidden</span> : cell.text;
  if (cell.missing) return <span className="missing">missing</span>;
  if (row.secret && cell.environment) return <span className="hidden-value">as everywhere</span>;
  return <span className="inherited">{opened(row, cell)}</span>;
}

function uses(row: ValueRow): string {
  if (row.uses) return count(row.uses, "case");
  return isUnused(row) ? "not used" : "the project";
}

function titleOf(row: ValueRow | undefined, column: number): string | undefined {
  const cell = row?.cells[column - 1];
  if (!row || !cell || row.secret) return undefined;
  if (cell.missing) return `Nothing is said of ${row.name} in ${cell.environment}`;
  return cell.given ? (cell.text.length > 14 ? cell.text : undefined) : cell.environment && "As everywhere";
}
