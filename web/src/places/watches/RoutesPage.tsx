import { useQuery } from "@tanstack/react-query";
import { useCallback } from "react";
import { Link } from "react-router";
import { api } from "../../api";
import { queries } from "../../api/queries";
import { useStale } from "../../api/stale";
import { Notice } from "../../parts/Notice";
import { useActs, useTold } from "../../state/acts";
import { useProject } from "../../state/project";
import { useTab } from "../../state/tab";
import { AddRoute } from "./AddRoute";
import { type Route, type RouteChange, RouteSentence } from "./RouteSentence";
import { ToldLog } from "./ToldLog";

/** Who is told of watches, and how: a sentence a route, and what was told. */
export function RoutesPage() {
  const project = useProject();
  useTab("Who is told");
  if (!project) return null;
  return <Routes key={project.id} project={project.id} />;
}

function Routes({ project }: { project: string }) {
  const tell = useStale();
  const routes = useQuery(queries.routes(project));
  const messages = useQuery({ ...queries.alertMessages(project), refetchInterval: 5_000 });
  const { carry, undo, canUndo } = useActs(useCallback(() => tell("routes"), [tell]));
  const [problem, told] = useTold();
  if (routes.error) return <Notice sentence={routes.error.message} retry={() => void routes.refetch()} />;
  const items = routes.data?.items ?? [];
  const change = (route: Route, wanted: RouteChange) =>
    told(carry(() => api.changeRoute(route, wanted), undefined));
  return (
    <div className="page">
      <div className="page-head">
        <h1>
          <span className="crumb">
            <Link to="/watches">Watches</Link> ▸
          </span>{" "}
          Who is told
        </h1>
      </div>
      <p className="muted">
        A watch names its routes in its sentence: <em>tell desk</em>. People hear once when it breaks and once
        when it recovers; what has one cause comes as one message; while nobody takes an outage they are
        reminded after 1, 4, 12 and 24 hours. Urgent is an outage, and an allowance that is used up too fast,
        unless the watch says <em>not urgent</em>; that answers became slower is not.
      </p>
      <ul className="routes">
        {items.map((route) => (
          <RouteSentence
            key={route.id}
            route={route}
            others={items.filter((one) => one.id !== route.id).map((one) => one.name)}
            change={(wanted) => change(route, wanted)}
            test={() => void told(carry(() => api.testRoute(route.id), undefined))}
            mute={(minutes) => void told(carry(() => api.muteRoute(route.id, minutes), undefined))}
            remove={() =>
              void told(
                carry(
                  () => api.removeRoute(route.id),
                  () => () => api.bringBackRoute(route.id),
                ),
              )
            }
          />
        ))}
      </ul>
      {routes.isSuccess && <AddRoute project={project} carry={carry} none={!items.length} />}
      {canUndo && (
        <button type="button" className="plain-link" data-needs="edit" onClick={() => void told(undo())}>
          Undo
        </button>
      )}
      {problem && (
        <p className="trouble" role="alert">
          {problem}
        </p>
      )}
      <ToldLog messages={messages.data?.items ?? []} told={told} />
    </div>
  );
}
