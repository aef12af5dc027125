import { type CSSProperties, useEffect, useMemo, useRef } from "react";
import type { Column } from "../../../case/sheet/columns";
import type { Row } from "../../../case/sheet/sheet";
import { SheetRow } from "./SheetRow";
import type { useSheet } from "./useSheet";

const HEADS: Partial<Record<Column, string>> = { was: "was, at last", seen: "seen before" };
/** Letters that a column has room for at least and, before what is longer is cut, at most. */
const ROOM: Record<Column, [number, number]> = {
  case: [10, 30],
  step: [8, 20],
  method: [7, 8],
  address: [14, 40],
  headers: [8, 24],
  body: [8, 30],
  of: [12, 28],
  relation: [10, 16],
  expected: [10, 22],
  note: [5, 14],
  mark: [5, 8],
  was: [9, 16],
  seen: [9, 14],
};
const PADDING = 17;

/** Columns of paths and values stand in letters that are wider than those of the sheet. */
const WIDE = 1.1;
const IN_TEXT: Column[] = ["case", "step", "relation", "note", "mark", "seen"];

/** The columns as wide as what stands in them, and wider where there is room; where there is none, the sheet is as wide as they are. */
function widthsOf(columns: Column[], rows: Row[]): CSSProperties {
  const found = columns.map((column) => {
    const [least, most] = ROOM[column];
    const head = (HEADS[column] ?? column).length;
    const longest = rows.reduce((sum, row) => Math.max(sum, row.cells[column].length), head);
    const letters = Math.max(least, Math.min(most, longest + 1));
    return { letters: IN_TEXT.includes(column) ? letters : letters * WIDE, share: Math.min(longest, 80) };
  });
  const tracks = found.map(({ letters, share }) => `minmax(calc(${letters}ch + ${PADDING}px), ${share}fr)`);
  const letters = found.reduce((sum, column) => sum + column.letters, 0);
  return {
    "--columns": `24px ${tracks.join(" ")}`,
    "--least": `calc(24px + ${letters}ch + ${columns.length * PADDING}px)`,
  } as CSSProperties;
}

interface Props {
  sheet: ReturnType<typeof useSheet>;
  columns: Column[];
}

/** The cells of a sheet, chosen and typed into as in a spreadsheet program. */
export function SheetGrid({ sheet, columns }: Props) {
  const grid = useRef<HTMLDivElement>(null);
  const { at, typing } = sheet;
  useEffect(() => {
    grid.current?.querySelector(`[data-row="${at[0]}"]`)?.scrollIntoView({ block: "nearest" });
  }, [at]);
  // The field is gone once its text is taken, and the keys belong to the sheet again.
  useEffect(() => {
    if (typing === undefined && document.activeElement === document.body) grid.current?.focus();
  }, [typing]);
  const widths = useMemo(() => widthsOf(columns, sheet.rows), [columns, sheet.rows]);
  return (
    <>
      <div
        ref={grid}
        role="grid"
        tabIndex={0}
        aria-label="Checks"
        aria-rowcount={sheet.rows.length + 1}
        aria-colcount={columns.length + 1}
        aria-multiselectable="true"
        aria-activedescendant={`cell-${at[0]}-${at[1]}`}
        className="sheet"
        style={widths}
        onKeyDown={sheet.keys}
        onCopy={sheet.copy}
        onPaste={sheet.paste}
      >
        {/* biome-ignore lint/a11y/useFocusableInteractive: the grid has the focus, and says which cell is active */}
        <div role="row" className="sheet-row heads">
          {["" as const, ...columns].map((column) => (
            // biome-ignore lint/a11y/useFocusableInteractive: see above
            <span role="columnheader" key={column} aria-label={column ? undefined : "verdict"}>
              {column && (HEADS[column] ?? column)}
            </span>
          ))}
        </div>
        {sheet.rows.map((row, index) => {
          const chosen = index >= sheet.area.top && index <= sheet.area.bottom;
          const active = index === at[0];
          return (
            <SheetRow
              key={row.id}
              row={row}
              number={index}
              columns={columns}
              begins={row.of !== sheet.rows[index - 1]?.of}
              left={chosen ? sheet.area.left : -1}
              right={chosen ? sheet.area.right : -1}
              active={active ? at[1] : -1}
              typing={active ? typing : undefined}
              move={sheet.move}
              begin={sheet.begin}
              write={sheet.write}
              leave={sheet.setTyping}
            />
          );
        })}
      </div>
      <p className="muted small" role="status">
        {sheet.active?.problem ||
          sheet.said ||
          "Type to change a cell; Ctrl C and Ctrl V go to and from a spreadsheet; Ctrl D fills down; Delete takes rows away."}
      </p>
    </>
  );
}
