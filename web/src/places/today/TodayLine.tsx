import { Link, useNavigate } from "react-router";
import { api } from "../../api";
import { useStale } from "../../api/stale";
import { exactly } from "../../base/format";
import type { MenuItem } from "../../parts/menu/items";
import { Menu } from "../../parts/menu/Menu";
import { useSay } from "../../parts/Said";
import { VerdictLine, VerdictMark } from "../../parts/VerdictMark";
import { useEnvironment, useStart } from "../../state/run";
import { type Item, named, othersSaid, whenSaid } from "./sentences";

/** One thing that is worth a look: what it is, why, since when, its last runs, and what can be done about it. */
export function TodayLine({ item }: { item: Item }) {
  const { label, to } = lookAt(item);
  return (
    <li className={`today-line today-${item.verdict}`}>
      {/* times have no verdict */}
      {item.kind === "slower" ? <span /> : <VerdictMark verdict={item.verdict} />}
      <div className="today-what">
        <p>
          <Link to={home(item)}>{named(item)}</Link>
        </p>
        <p className="muted">
          {item.sentence} {othersSaid(item)} {item.takenBy && `${item.takenBy} looks after it.`}
        </p>
      </div>
      <span className="today-when">
        <span title={exactly(item.at)}>{whenSaid(item)}</span>
        {item.line.length > 1 && <VerdictLine verdicts={[...item.line].reverse()} />}
      </span>
      <span className="today-acts">
        <Link className="plain-button" to={to}>
          {label}
        </Link>
        <More item={item} />
      </span>
    </li>
  );
}

/** Its own page. */
function home(item: Item): string {
  if (item.what === "case") return `/cases/${item.id}`;
  if (item.what === "watch") return `/watches/${item.id}`;
  if (item.what === "series") return `/trends/${item.id}`;
  return item.what === "delivery" ? "/setup" : "/watches/routes";
}

/** Where one looks first, and what that is called. */
function lookAt(item: Item): { label: string; to: string } {
  if (item.kind === "unchecked") return { label: "Add a check", to: `/cases/${item.id}` };
  if (item.kind === "unreliable") return { label: "Look", to: "/trends" };
  if (item.what === "case")
    return { label: "Look", to: item.run ? `/runs/${item.run}?case=${item.id}` : `/cases/${item.id}/runs` };
  return { label: "Look", to: home(item) };
}

const BAD: Item["kind"][] = ["broke", "still broken", "known over", "unreliable"];

function More({ item }: { item: Item }) {
  const navigate = useNavigate();
  const start = useStart();
  const say = useSay();
  const tell = useStale();
  const [where] = useEnvironment();
  const items: MenuItem[] = [];
  if (item.what === "case") {
    items.push({ key: "run", label: "Run it again", needs: "run" });
    if (item.run && BAD.includes(item.kind))
      items.push({ key: "known", label: "Mark its cause as known", needs: "edit" });
    items.push({ key: "history", label: "Its runs" });
  }
  if (item.what === "watch") {
    if (item.trouble && !item.takenBy && item.verdict === "failed")
      items.push({ key: "take", label: "Take it", needs: "run" });
    items.push({ key: "mute", label: "Tell nobody for an hour", needs: "edit" });
  }
  if (item.what === "delivery") items.push({ key: "again", label: "Send it again", needs: "edit" });
  if (item.what === "message") items.push({ key: "tell", label: "Tell it again", needs: "edit" });
  if (!items.length) return null;
  const acts: Record<string, () => Promise<unknown>> = {
    run: async () => {
      const begun = await start({ cases: [item.id] }, where);
      if (begun) void navigate(`/runs/${begun.id}`);
    },
    known: async () => navigate(`/runs/${item.run}?case=${item.id}`),
    history: async () => navigate(`/cases/${item.id}/runs`),
    take: () => api.takeTrouble(item.trouble ?? "", true),
    mute: () => api.muteWatch(item.id, 60),
    again: () => api.sendAgain(item.id),
    tell: () => api.tellAgain(item.id),
  };
  const pick = async (key: string) => {
    try {
      await acts[key]?.();
      await tell("today");
      if (key === "mute") say(`Nobody is told of ${item.name} for an hour.`);
    } catch (wrong) {
      say((wrong as Error).message);
    }
  };
  return (
    <Menu
      items={items}
      pick={(key) => void pick(key)}
      className="plain-button more-acts"
      aria-label={`More for ${item.name}`}
    >
      …
    </Menu>
  );
}
