import type { Json } from "../../../base/exact";
import { writeExact } from "../../../base/exact";
import { PARTS, type Part, stepWith } from "../../../case/document";
import type { Clash } from "../../../case/merge";
import { useEdited } from "../state/context";
import type { Editing } from "../state/useEditing";

/** Places that were changed here and elsewhere at the same time: both sides, to choose from. Theirs stands until then. */
export function Clashes({ clashes, decide }: Pick<Editing, "clashes" | "decide">) {
  const { editing } = useEdited();
  if (!clashes.length) return null;
  return (
    <section className="clashes" aria-label="Changed here and elsewhere">
      <p>
        These places were changed here and elsewhere at the same time. What the other one wrote stands now.
      </p>
      {clashes.map((clash) => (
        <div className="clash" key={`${clash.way.join(" ")} ${shown(clash.mine)}`}>
          <strong>{placeOf(clash, (key) => stepWith(editing.document, key)?.request as string)}</strong>
          <div>
            <span className="muted small">yours</span>
            <pre className="code">{shown(clash.mine)}</pre>
            <button
              data-needs="edit"
              type="button"
              className="plain-button"
              onClick={() => decide(clash, true)}
            >
              Put mine there
            </button>
          </div>
          <div>
            <span className="muted small">theirs</span>
            <pre className="code">{shown(clash.theirs)}</pre>
            <button
              data-needs="edit"
              type="button"
              className="plain-button"
              onClick={() => decide(clash, false)}
            >
              Leave theirs
            </button>
          </div>
        </div>
      ))}
    </section>
  );
}

function placeOf(clash: Clash, titleOf: (key: string) => string | undefined): string {
  const [part, key, ...rest] = clash.way;
  if (!PARTS.includes(part as Part)) return `The case’s ${clash.way.join(" ")}`;
  if (!key) return "The steps";
  const title = titleOf(key);
  return [title ? `“${title}”` : "a step", ...rest].join(", ");
}

function shown(value: Json | undefined): string {
  if (value === undefined) return "(taken away)";
  if (typeof value === "string") return value;
  return Array.isArray(value) ? value.map(said).join("\n") : writeExact(value);
}

const ASIDE = ["of", "any", "advice", "off", "note"];

/** A check as plain words, anything else as it is written. */
function said(item: Json): string {
  if (!item || typeof item !== "object" || Array.isArray(item) || !item.of) return writeExact(item);
  const [relation, value] = Object.entries(item).find(([name]) => !ASIDE.includes(name)) ?? [];
  return `${item.of} ${relation} ${typeof value === "string" ? value : writeExact(value)}`;
}
