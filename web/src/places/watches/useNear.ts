import { useEffect, useRef, useState } from "react";

const AROUND = "900px 0px";

/** One for all rows of all lists, so that a row that comes near draws itself alone. */
let observer: IntersectionObserver | undefined;
const told = new WeakMap<Element, (near: boolean) => void>();

/** Whether an element of a long list is in view, or nearly. */
export function useNear<Kind extends Element>() {
  const row = useRef<Kind>(null);
  const [near, setNear] = useState(false);
  useEffect(() => {
    const element = row.current;
    if (!element) return undefined;
    observer ??= new IntersectionObserver(
      (entries) => {
        for (const { target, isIntersecting } of entries) told.get(target)?.(isIntersecting);
      },
      { rootMargin: AROUND },
    );
    told.set(element, setNear);
    observer.observe(element);
    return () => observer?.unobserve(element);
  }, []);
  return { row, near };
}
