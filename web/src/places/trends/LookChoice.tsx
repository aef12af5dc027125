import { Choice } from "../../parts/Choice";
import { spanName } from "../../parts/overTime/time";
import { Segments } from "../../parts/Segments";
import { type Looking, OVER } from "./useLook";

/** The sentence of what is looked at: against which environment, and how long up to now. */
export function LookChoice({ looking, shown }: { looking: Looking; shown: string | undefined }) {
  const { environments, environment, over, put, span } = looking;
  const chosen = environment || shown || "";
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
        <span>{chosen && `Runs against ${chosen}`}</span>
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
