import { useState } from "react";
import { cut } from "../base/cut";

const MOST = 240;

/** A value that may be long: its beginning, and the rest when it is asked for. */
export function Long({ text, what }: { text: string; what: string }) {
  const [whole, setWhole] = useState(false);
  if (text.length <= MOST) return text;
  return (
    <>
      {whole ? text : cut(text, MOST)}{" "}
      <button
        type="button"
        className="plain-link"
        aria-expanded={whole}
        aria-label={whole ? `less of ${what}` : `more of ${what}`}
        onClick={() => setWhole(!whole)}
      >
        {whole ? "less" : "more"}
      </button>
    </>
  );
}
