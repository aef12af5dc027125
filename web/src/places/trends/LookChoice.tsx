import { Choice } from "../../parts/Choice";
import { spanName } from "../../parts/overTime/time";
import { Segments } from "../../parts/Segments";
import { type Looking, OVER } from "./useLook";

/** The sentence of what is looked at: against which environment, and how long up to now. `of`: the environment that what is shown belongs to, whatever was asked for. */
export function LookChoice({ looking, of }: { looking: Looking; of?: string }) {
  const { environments, environment, over, put, span } = looking;
  const chosen = of ?? environment;
  return (
    <div className="look-choice">
      {environments.length > 1 ? (
        <span>
          Runs against{" "}
          <Choice
            label="Which environment"
            value={chosen}
            choices={environments.map((name) => [name, name])}
            choose={(name) => put({ environment: name })}
            needs="read"
          />
        </span>
      ) : (
        chosen && <span>Runs against {chosen}</span>
      )}
      {!over && (
        <span>
          {spanName(span)}{" "}
          <button
            type="button"
            className="plain-link"
            onClick={() => put({ over: "30 days" }, ["from", "to"])}
          >
            up to now again
          </button>
        </span>
      )}
      <Segments
        label="How long up to now"
        value={over}
        options={Object.keys(OVER)}
        choose={(next) => put({ over: next }, ["from", "to"])}
      />
    </div>
  );
}
