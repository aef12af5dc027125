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
    const over = (event: MouseEvent) => {
      const at = event.target instanceof Element ? event.target.closest<HTMLElement>("[data-hint]") : null;
      if (!at) return setHint(undefined);
      const box = at.getBoundingClientRect();
      setHint({ text: at.dataset.hint ?? "", left: box.left, top: box.bottom + 6 });
    };
    const away = () => setHint(undefined);
    document.addEventListener("mouseover", over);
    document.addEventListener("scroll", away, true);
    document.addEventListener("keydown", away);
    return () => {
      document.removeEventListener("mouseover", over);
      document.removeEventListener("scroll", away, true);
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
