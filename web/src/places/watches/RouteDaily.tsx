import type { Shapes } from "../../api";
import { Choice } from "../../parts/Choice";
import { InPlace } from "../../parts/typing/InPlace";

interface Props {
  route: Shapes["Route"];
  change: (wanted: Shapes["RouteChange"]) => Promise<string | undefined>;
}

/** What a route sends each day, whatever breaks: what Today says, and the heads of the sealed record. */
export function Daily({ route, change }: Props) {
  const { name } = route;
  return (
    <>
      On working days it sends what Today says{" "}
      <InPlace
        text={route.daily}
        label={`When ${name} sends what Today says`}
        hint="Such as 07:30, by the project's clocks; empty: never"
        save={(daily) => change({ daily })}
      >
        {route.daily ? `at ${route.daily}` : "never"}
      </InPlace>
      ; each day{" "}
      <Choice
        label={`Whether ${name} sends heads`}
        value={route.heads ? "heads" : ""}
        choices={[
          ["", "no heads"],
          ["heads", "the heads of the sealed record"],
        ]}
        choose={(what) => void change({ heads: what === "heads" })}
      />
      .
    </>
  );
}
