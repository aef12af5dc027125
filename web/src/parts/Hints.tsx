import { useEffect, useState } from "react";

interface Hint {
  text: string;
  left: number;
  top: number;
}

/** What a reference stood for, on hover: one hint for the whole page, since a long case has hundreds of references. */
export function Hints() {
  const [hint, setHint] = useState<Hint>();
  useEffect(() => {
    let pointer = { x: 0, y: 0 };
    let timer = 0;
    const show = (target: EventTarget | null) => {
      const at = target instanceof Element ? target.closest<HTMLElement>("[data-hint]") : null;
      if (!at) return setHint(undefined);
      const box = at.getBoundingClientRect();
      setHint({ text: at.dataset.hint ?? "", left: box.left, top: box.bottom + 6 });
    };
    const over = (event: MouseEvent) => {
      pointer = { x: event.clientX, y: event.clientY };
      show(event.target);
    };
    const away = () => setHint(undefined);
    // What stands under the pointer when the page has come to rest is hinted at again.
    const scrolled = () => {
      away();
      window.clearTimeout(timer);
      timer = window.setTimeout(() => show(document.elementFromPoint(pointer.x, pointer.y)), 200);
    };
    document.addEventListener("mouseover", over);
    document.addEventListener("scroll", scrolled, true);
    document.addEventListener("keydown", away);
    return () => {
      window.clearTimeout(timer);
      document.removeEventListener("mouseover", over);
      document.removeEventListener("scroll", scrolled, true);
      document.removeEventListener("keydown", away);
    };
  }, []);
  if (!hint) return null;
  return (
    <div role="tooltip" className="hint" style={{ left: hint.left, top: hint.top }}>
      {hint.text}
    </div>
  );
}
