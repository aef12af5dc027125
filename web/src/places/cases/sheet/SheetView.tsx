import { useEffect, useRef } from "react";
import type { Case, StepEvidence } from "../../../app/api";
import { SheetRow } from "./SheetRow";
import { COLUMNS } from "./sheet";
import { useSheet } from "./useSheet";

const HEADS: Record<string, string> = { was: "was, at last" };

interface Props {
  of: Case;
  evidence: Map<string, StepEvidence>;
  /** The step of the active row is the one whose evidence stands beside. */
  choose: (key: string) => void;
}

/** The checks of a case as a sheet: edited, filled down, copied and pasted as in a spreadsheet program, to and from one. */
export default function SheetView({ of, evidence, choose }: Props) {
  const sheet = useSheet(of, evidence);
  const key = sheet.active?.key;
  useEffect(() => {
    if (key) choose(key);
  }, [key, choose]);
  const grid = useRef<HTMLDivElement>(null);
  const { at, typing } = sheet;
  useEffect(() => {
    grid.current?.querySelector(`[data-row="${at[0]}"]`)?.scrollIntoView({ block: "nearest" });
  }, [at]);
  // The field is gone once its text is taken, and the keys belong to the sheet again.
  useEffect(() => {
    if (typing === undefined && document.activeElement === document.body) grid.current?.focus();
  }, [typing]);
  if (!sheet.rows.length)
    return (
      <div className="sheet-view pad teach">
        <p>A sheet has a row for each check. This case has no request yet: add one in the Path.</p>
      </div>
    );
  return (
    <section className="sheet-view" aria-label="The case as a sheet">
      <div
        ref={grid}
        role="grid"
        tabIndex={0}
        aria-label="Checks"
        aria-rowcount={sheet.rows.length + 1}
        aria-colcount={COLUMNS.length + 1}
        aria-multiselectable="true"
        aria-activedescendant={`cell-${at[0]}-${at[1]}`}
        className="sheet"
        onKeyDown={sheet.keys}
        onCopy={sheet.copy}
        onPaste={sheet.paste}
      >
        {/* biome-ignore lint/a11y/useFocusableInteractive: the grid has the focus, and says which cell is active */}
        <div role="row" className="sheet-row heads">
          {["", ...COLUMNS].map((column) => (
            // biome-ignore lint/a11y/useFocusableInteractive: see above
            <span role="columnheader" key={column} aria-label={column ? undefined : "verdict"}>
              {HEADS[column] ?? column}
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
              first={row.key !== sheet.rows[index - 1]?.key}
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
    </section>
  );
}
