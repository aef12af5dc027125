import { type RefObject, useCallback, useLayoutEffect, useState } from "react";

const BEYOND = 12;

/** Which rows of a long list are in sight, and a way to bring one into sight. */
export function useWindow(box: RefObject<HTMLDivElement | null>, count: number, row: number) {
  const [range, setRange] = useState({ first: 0, last: Math.min(count, 60) });
  const measure = useCallback(() => {
    const element = box.current;
    if (!element) return;
    const first = Math.max(0, Math.floor(element.scrollTop / row) - BEYOND);
    const last = Math.min(count, Math.ceil((element.scrollTop + element.clientHeight) / row) + BEYOND);
    setRange((old) => (old.first === first && old.last === last ? old : { first, last }));
  }, [box, count, row]);
  useLayoutEffect(() => {
    measure();
    const element = box.current;
    if (!element) return;
    const observer = new ResizeObserver(measure);
    observer.observe(element);
    return () => observer.disconnect();
  }, [measure, box]);
  const reveal = (index: number, amid = false) => {
    const element = box.current;
    if (!element) return;
    const top = index * row;
    const inSight = top >= element.scrollTop && top + row <= element.scrollTop + element.clientHeight;
    if (amid && !inSight) {
      element.scrollTop = top - element.clientHeight / 3;
      return;
    }
    if (top < element.scrollTop) element.scrollTop = top;
    else if (top + row > element.scrollTop + element.clientHeight)
      element.scrollTop = top + row - element.clientHeight;
  };
  return {
    first: Math.min(range.first, count),
    last: Math.min(range.last, count),
    onScroll: measure,
    reveal,
  };
}
