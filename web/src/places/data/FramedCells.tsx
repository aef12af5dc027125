import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import type { LookedAt, SourceDocument } from "../../api";
import { useMay } from "../../api/may";
import { type Area, areaOf, framing, letters } from "./source";

const FEWEST_COLUMNS = 4;

interface Props {
  document: SourceDocument;
  looked: LookedAt;
  change: (document: SourceDocument) => Promise<string | undefined>;
}

/** The first cells of a file as they stand, with the frame around names and data, which is drawn anew by dragging, or by Shift and arrows. */
export function FramedCells({ document, looked, change }: Props) {
  const may = useMay("edit");
  const [drawn, setDrawn] = useState<Area>();
  const [withNames, setWithNames] = useState((looked.frame?.names ?? 1) > 0);
  const from = useRef<{ row: number; column: number }>(undefined);
  const { records, frame } = looked;
  const shown = { rows: records.length, columns: Math.max(1, ...records.map((record) => record.length)) };
  const columns = Math.max(FEWEST_COLUMNS, shown.columns);
  const area = drawn ?? (frame ? outer(areaOf(frame, shown), frame.names) : undefined);
  const names = drawn ? (withNames ? drawn.top : 0) : (frame?.names ?? 0);
  const bad = new Map(looked.badCells.map((cell) => [`${cell.row} ${cell.column}`, cell.problem]));
  const draw = (to: { row: number; column: number }) => {
    const begun = from.current;
    if (!begun) return;
    setDrawn({
      top: Math.min(begun.row, to.row),
      bottom: Math.max(begun.row, to.row),
      left: Math.min(begun.column, to.column),
      right: Math.max(begun.column, to.column),
    });
  };
  const take = async (framed: Area | undefined) => {
    from.current = undefined;
    if (framed && may)
      await change(framing(document, framed, withNames && framed.bottom > framed.top, shown));
    setDrawn(undefined);
  };
  const at = (event: PointerEvent) => {
    const cell = event.target instanceof HTMLElement ? event.target.closest<HTMLElement>("td") : null;
    return cell?.dataset.at?.split(" ").map(Number);
  };
  const keys = (event: KeyboardEvent) => {
    if (event.key === "Escape" && drawn) return setDrawn(undefined);
    if (event.key === "Enter" && drawn) return void take(drawn);
    const by = { ArrowDown: [1, 0], ArrowUp: [-1, 0], ArrowRight: [0, 1], ArrowLeft: [0, -1] }[event.key];
    if (!by || !area || !may) return;
    event.preventDefault();
    const [down = 0, right = 0] = by;
    const near = (value: number, most: number) => Math.min(most, Math.max(1, value));
    if (event.shiftKey)
      setDrawn({
        ...area,
        bottom: near(area.bottom + down, shown.rows),
        right: near(area.right + right, columns),
      });
    else
      setDrawn({
        ...area,
        top: near(area.top + down, area.bottom),
        left: near(area.left + right, area.right),
      });
  };
  return (
    <section aria-label="The file’s first cells">
      <div
        className="framed-cells"
        role="application"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: the frame is moved by keys, too
        tabIndex={0}
        aria-label={
          area
            ? `The frame goes from ${letters(area.left)}${area.top} to ${letters(area.right)}${area.bottom}`
            : "No frame"
        }
        onKeyDown={keys}
        onPointerDown={(event) => {
          if (!may) return;
          const [row, column] = at(event) ?? [];
          if (!row || !column || event.button) return;
          from.current = { row, column };
          draw(from.current);
        }}
        onPointerMove={(event) => {
          const [row, column] = from.current ? (at(event) ?? []) : [];
          if (row && column) draw({ row, column });
        }}
        onPointerUp={() => void take(from.current && drawn)}
        onPointerLeave={() => void take(from.current && drawn)}
      >
        <table>
          <thead>
            <tr>
              <td className="corner" />
              {Array.from({ length: columns }, (_, index) => (
                <th key={letters(index + 1)} scope="col">
                  {letters(index + 1)}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {records.map((record, index) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: a row of a file is its number
              <tr key={index}>
                <th scope="row">{index + 1}</th>
                {Array.from({ length: columns }, (_, place) => {
                  const wrong = bad.get(`${index + 1} ${place + 1}`);
                  return (
                    <td
                      key={letters(place + 1)}
                      data-at={`${index + 1} ${place + 1}`}
                      title={
                        wrong ?? (record[place] && record[place].length > 20 ? record[place] : undefined)
                      }
                      className={[...edges(area, index + 1, place + 1, names), wrong && "wrong"]
                        .filter(Boolean)
                        .join(" ")}
                    >
                      {wrong ?? record[place]}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p className="muted small">
        Drag over the cells that are meant, names included; or move the frame’s first cell by arrows, its last
        by Shift and arrows, and press Enter. Drawn to the last row, it goes on to where the data end.{" "}
        <label>
          <input
            type="checkbox"
            checked={withNames}
            onChange={(event) => setWithNames(event.target.checked)}
          />{" "}
          the first row of the frame has the names
        </label>
      </p>
    </section>
  );
}

/** The frame with the row of names, where that stands right above the data. */
function outer(area: Area, names: number): Area {
  return names && names < area.top ? { ...area, top: names } : area;
}

/** What of the frame goes along a cell. */
function edges(area: Area | undefined, row: number, column: number, names: number): string[] {
  if (!area || row < area.top || row > area.bottom || column < area.left || column > area.right)
    return ["outside"];
  const found = [row === names ? "of-names" : "of-data"];
  if (row === area.top) found.push("frame-top");
  if (row === area.bottom) found.push("frame-bottom");
  if (column === area.left) found.push("frame-left");
  if (column === area.right) found.push("frame-right");
  return found;
}
