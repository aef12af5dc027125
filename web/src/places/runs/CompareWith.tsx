import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import type { Run } from "../../api";
import { queries } from "../../api/queries";
import { ago } from "../../base/format";
import { Menu } from "../../parts/menu/Menu";

const MOST = 15;

/** The last runs of the project, each to be put beside this one; those of the same cases first. */
export function CompareWith({ run }: { run: Run & { project: string } }) {
  const navigate = useNavigate();
  const others = (useQuery(queries.newestRuns(run.project)).data?.items ?? [])
    .filter((item) => item.id !== run.id && item.state === "finished")
    .sort((a, b) => Number(b.title === run.title) - Number(a.title === run.title))
    .slice(0, MOST);
  if (!others.length) return null;
  return (
    <Menu
      className="plain-button"
      items={others.map((item) => ({ key: item.id, label: told(item) }))}
      pick={(id) => void navigate(`/runs/${run.id}/beside/${id}`)}
    >
      Compare with…
    </Menu>
  );
}

function told({ number, title, build, environment, verdict, askedAt }: Run): string {
  return [`${number}: ${title}`, build, environment, verdict, ago(askedAt)].filter(Boolean).join(" · ");
}
