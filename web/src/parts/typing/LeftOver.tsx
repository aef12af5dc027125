import { useEffect, useState } from "react";
import { forgetStray, type Stray, strays } from "./drafts";

interface Props {
  /** Where it was typed; all that begins so. */
  where: string;
  /** Those of them that are meant. */
  meant?: (stray: Stray) => boolean;
}

const ALL = () => true;

/** What was being typed where its place is gone, since it was changed or taken away elsewhere: it stays here until a person has taken it. */
export function LeftOver({ where, meant = ALL }: Props) {
  const [found, setFound] = useState<Stray[]>([]);
  // After every drawing: fields come and go by changes made elsewhere.
  useEffect(() => {
    const now = strays(where).filter(meant);
    setFound((before) => (JSON.stringify(now) === JSON.stringify(before) ? before : now));
  });
  if (!found.length) return null;
  return (
    <section className="clashes" aria-label="Typed here, and its place is gone">
      {found.map((stray) => (
        <div className="left-over" key={`${stray.where} ${stray.label}`}>
          <p>
            What was being typed under “{stray.label}” has no place any more: it was changed elsewhere
            meanwhile.
          </p>
          <pre className="code">{stray.text}</pre>
          <p>
            <button
              type="button"
              className="plain-button"
              onClick={() => void navigator.clipboard?.writeText(stray.text)}
            >
              Copy it
            </button>{" "}
            <button
              type="button"
              className="plain-button"
              onClick={() => {
                forgetStray(stray);
                setFound((before) => before.filter((item) => item !== stray));
              }}
            >
              It is not needed
            </button>
          </p>
        </div>
      ))}
    </section>
  );
}
