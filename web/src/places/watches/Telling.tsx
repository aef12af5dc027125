import { useQuery } from "@tanstack/react-query";
import { queries } from "../../api/queries";
import { useStale } from "../../api/stale";
import type { Carry } from "../../state/acts";
import { AddRoute } from "./AddRoute";
import { routesIn, toggled, withRoutes } from "./telling";

interface Props {
  project: string;
  sentence: string;
  change: (sentence: string) => void;
}

/** Which routes a sentence tells, to be chosen; a new one is made here, and told at once. */
export function Telling({ project, sentence, change }: Props) {
  const tell = useStale();
  const routes = useQuery(queries.routes(project));
  if (!routes.data) return null;
  const names = routes.data.items.map((one) => one.name);
  const told = routesIn(sentence);
  const carry: Carry = async (does) => {
    const made = await does();
    const name = (made as { name?: string } | undefined)?.name;
    if (name) change(withRoutes(sentence, [...told, name]));
    await tell("routes");
    return made;
  };
  return (
    <section className="telling" aria-label="Who is told">
      <p>
        {names.length ? "Who is told: " : "Nobody can be told yet: there is no route. "}
        {names.map((name) => (
          <button
            key={name}
            type="button"
            className="hop"
            aria-pressed={told.includes(name)}
            onClick={() => change(toggled(sentence, name))}
          >
            {name}
          </button>
        ))}
      </p>
      <AddRoute project={project} carry={carry} none={false} />
    </section>
  );
}
