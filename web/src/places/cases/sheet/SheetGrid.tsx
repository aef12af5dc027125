import { type CSSProperties, useEffect, useRef } from "react";
import type { Column } from "./columns";
import { SheetRow } from "./SheetRow";
import type { useSheet } from "./useSheet";

const HEADS: Partial<Record<Column, string>> = { was: "was, at last", seen: "seen before" };
const WIDTHS: Record<Column, string> = {
  case: "minmax(90px, 1.1fr)",
  step: "minmax(80px, 1fr)",
  method: "62px",
  address: "minmax(120px, 1.6fr)",
  headers: "minmax(70px, 0.8fr)",
  body: "minmax(70px, 1fr)",
  of: "minmax(130px, 1.6fr)",
  relation: "98px",
  expected: "minmax(96px, 1.2fr)",
  note: "minmax(50px, 0.8fr)",
  mark: "58px",
  was: "minmax(74px, 1fr)",
  seen: "minmax(60px, 0.9fr)",
};

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
  const widths = { "--columns": `24px ${columns.map((name) => WIDTHS[name]).join(" ")}` } as CSSProperties;
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
        className={columns.length > 10 ? "sheet many" : "sheet"}
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
