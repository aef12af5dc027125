import { Link } from "react-router";
import { api } from "../../../api";
import { useStale } from "../../../api/stale";
import { count, listed } from "../../../base/format";
import { useSharedSteps } from "../../case/state/useShared";

/** The shared steps of the project, below its suites. */
export function SharedList({ typed }: { typed: string }) {
  const tell = useStale();
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  const found = useSharedSteps().filter((shared) =>
    words.every((word) => `${shared.name} ${shared.about} shared`.toLowerCase().includes(word)),
  );
  if (!found.length) return null;
  const remove = async (id: string) => {
    await api.removeShared(id);
    await tell("shared steps");
  };
  return (
    <section className="suite" aria-labelledby="shared-steps">
      <div className="suite-head">
        <h2 id="shared-steps">Shared steps</h2>
        <span className="muted">
          {count(found.length, "sequence")}, used by cases and changed once for all
        </span>
      </div>
      <ol className="lines">
        {found.map((shared) => (
          <li key={shared.id} className="shared-line">
            <span className="case-name">
              <Link to={`/cases/${shared.id}`}>{shared.name}</Link>
              <span className="muted small">
                {shared.about || sentence(shared.inputs, shared.outputs, shared.steps)}
              </span>
            </span>
            <span className="muted">
              {shared.uses ? (
                `used in ${count(shared.uses, "case")}`
              ) : (
                <button
                  data-needs="edit"
                  type="button"
                  className="plain-link"
                  onClick={() => void remove(shared.id)}
                >
                  used nowhere: take away
                </button>
              )}
            </span>
          </li>
        ))}
      </ol>
    </section>
  );
}

function sentence(inputs: { name: string }[], outputs: { name: string }[], steps: number): string {
  const parts = [count(steps, "step")];
  if (inputs.length) parts.push(`with ${listed(inputs.map((input) => input.name))}`);
  if (outputs.length) parts.push(`gives ${listed(outputs.map((output) => output.name))}`);
  return parts.join(" · ");
}
