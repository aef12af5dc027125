import type { StepCoverage } from "../../../api";
import { whole } from "../../../base/format";
import { fieldId } from "../../../case/fields";

interface Props {
  of: string;
  step: StepCoverage;
  chosen: ReadonlySet<string>;
  turn: (ids: string[], on: boolean) => void;
}

/** The fields of one step's last answer that no check watches. */
export function StepFields({ of, step, chosen, turn }: Props) {
  const ids = step.unchecked.map((field) => fieldId(of, step.step, field.path));
  const every = ids.length > 0 && ids.every((id) => chosen.has(id));
  return (
    <details className="step-fields" open={ids.length > 0 && ids.length <= 40}>
      <summary>
        <meter
          min={0}
          max={step.fields}
          value={step.checked}
          aria-label={`Checked fields of step ${step.number}`}
        />{" "}
        {step.number} {step.name}: {whole(step.checked)} of {whole(step.fields)} checked
      </summary>
      {ids.length > 1 && (
        <label className="every">
          <input type="checkbox" checked={every} onChange={() => turn(ids, !every)} /> all of these
        </label>
      )}
      <ul className="lines">
        {step.unchecked.map((field, at) => (
          <li key={field.path}>
            <label>
              <input
                type="checkbox"
                checked={chosen.has(ids[at] as string)}
                onChange={(event) => turn([ids[at] as string], event.target.checked)}
              />
              <span className="mono">{field.path}</span>
              <span className="mono muted">
                {field.value}
                {field.places > 1 && `, in ${whole(field.places)} items`}
              </span>
            </label>
          </li>
        ))}
      </ul>
    </details>
  );
}
