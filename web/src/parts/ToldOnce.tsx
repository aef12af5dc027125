import { useState } from "react";
import { copied, NOT_COPIED } from "./clipboard";

interface Props {
  /** What it is, as a sentence that ends before it. */
  about: string;
  text: string;
  close: () => void;
}

/** A key or a link that was just made: it is shown this once, to be copied. */
export function ToldOnce({ about, text, close }: Props) {
  const [said, setSaid] = useState("");
  return (
    <div className="told-once" role="status">
      <p>
        {about} <strong>It is shown this once.</strong>
      </p>
      <p>
        <span className="mono told-text">{text}</span>
      </p>
      <p>
        <button
          type="button"
          className="plain-button strong"
          onClick={() => void copied(text).then((done) => setSaid(done ? "Copied." : NOT_COPIED))}
        >
          Copy it
        </button>{" "}
        <button type="button" className="plain-link" onClick={close}>
          It is kept
        </button>{" "}
        <span className="muted">{said}</span>
      </p>
    </div>
  );
}
