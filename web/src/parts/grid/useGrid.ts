import { type KeyboardEvent, useCallback, useState } from "react";
import { useMay } from "../../api/may";
import { areaOf } from "./area";

export type Place = [row: number, column: number];

interface Props {
  rows: number;
  columns: number;
  begins?: Place;
  /** The text with which a cell opens; undefined where it cannot be changed. */
  open: (row: number, column: number) => string | undefined;
  fillDown: () => void;
  remove: () => void;
}

const STEPS: Record<string, Place> = {
  ArrowDown: [1, 0],
  ArrowUp: [-1, 0],
  ArrowRight: [0, 1],
  ArrowLeft: [0, -1],
  PageDown: [20, 0],
  PageUp: [-20, 0],
};

/** The chosen cells of a grid, the one that is typed into, and what the keys do, as in a spreadsheet program. */
export function useGrid({ rows, columns, begins = [0, 0], open, fillDown, remove }: Props) {
  const [at, setAt] = useState<Place>(begins);
  const [anchor, setAnchor] = useState<Place>(begins);
  const [typing, setTyping] = useState<string>();
  const may = useMay("edit");
  const move = useCallback(
    (row: number, wanted: number, extend = false) => {
      const column = Math.max(0, Math.min(columns - 1, wanted));
      setAt([row, column]);
      if (!extend) setAnchor([row, column]);
    },
    [columns],
  );
  /** Type into the chosen cell, or into the one at a place: a double click may come before its first click is drawn. */
  const begin = (text?: string, place: Place = at) => {
    if (!may) return move(...place);
    const held = open(...place);
    if (place !== at) move(...place);
    if (held !== undefined) setTyping(text ?? held);
  };
  const keys = (event: KeyboardEvent) => {
    if (typing !== undefined) return;
    const by = STEPS[event.key];
    const ctrl = event.ctrlKey || event.metaKey;
    const go = (row: number, column: number) =>
      move(Math.max(0, Math.min(rows - 1, row)), Math.max(0, Math.min(columns - 1, column)), event.shiftKey);
    // Tab goes right in a row, and from its end on to what follows the grid.
    const beside = at[1] + (event.shiftKey ? -1 : 1);
    if (event.key === "Tab" && !ctrl && !event.altKey) {
      if (beside < 0 || beside >= columns) return;
      move(at[0], beside);
    } else if (by && !event.altKey) go(at[0] + by[0], at[1] + by[1]);
    else if (event.key === "Home") go(ctrl ? 0 : at[0], 0);
    else if (event.key === "End") go(ctrl ? rows - 1 : at[0], columns - 1);
    else if (ctrl && event.key.toLowerCase() === "a") {
      setAnchor([0, 0]);
      setAt([rows - 1, columns - 1]);
    } else if (ctrl && event.key.toLowerCase() === "d") may && fillDown();
    else if (event.key === "Delete") may && remove();
    else if ((event.key === "Enter" && !ctrl) || event.key === "F2") begin();
    else if (event.key.length === 1 && !ctrl && !event.altKey) begin(event.key);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  /** The same cells after rows or columns came or went. */
  const moved = useCallback((where: (place: Place) => Place) => {
    setAt(where);
    setAnchor(where);
  }, []);
  return { at, area: areaOf(anchor, at), typing, setTyping, move, begin, keys, moved };
}
