import { Choice } from "../../parts/Choice";
import { Segments } from "../../parts/Segments";
import type { ChosenAgainst } from "./useAgainst";
import { OVER } from "./useLook";

const named = (names: string[]): [string, string][] => names.map((name) => [name, name]);

/** The two sides, as a sentence. */
export function AgainstChoice({ chosen }: { chosen: ChosenAgainst }) {
  const { way, against, builds, environments, environment, over, put } = chosen;
  if (way === "two builds") {
    if (builds.length < 2)
      return (
        <span className="muted">
          There is only {builds[0] ? `build ${builds[0]}` : "one build"} in this stretch.
        </span>
      );
    return (
      <span>
        Build{" "}
        <Choice
          label="The build before"
          value={against.againstBuild}
          choices={named(builds)}
          choose={(name) => put({ againstBuild: name })}
          needs="read"
        />{" "}
        against{" "}
        <Choice
          label="The build after"
          value={against.build}
          choices={named(builds)}
          choose={(name) => put({ build: name })}
          needs="read"
        />
      </span>
    );
  }
  if (way === "two environments") {
    if (environments.length < 2)
      return <span className="muted">Runs have gone to one environment only.</span>;
    return (
      <span>
        <Choice
          label="The environment before"
          value={against.againstEnvironment}
          choices={named(environments)}
          choose={(name) => put({ againstEnvironment: name })}
          needs="read"
        />{" "}
        against{" "}
        <Choice
          label="The environment after"
          value={environment || (environments[0] ?? "")}
          choices={named(environments)}
          choose={(name) => put({ environment: name })}
          needs="read"
        />
      </span>
    );
  }
  return (
    <Segments
      label="How long up to now"
      value={over}
      options={Object.keys(OVER)}
      choose={(next) => put({ over: next }, ["from", "to"])}
    />
  );
}
