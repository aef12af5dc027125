import { api } from "../../api";
import type { Look } from "../../api/trends";
import { Menu } from "../../parts/menu/Menu";

const TABLES = {
  runs: "Each run",
  cases: "Each case in each run",
  times: "What took how long",
  days: "Suites by day",
  outages: "Trouble of watches",
} as const;

/** What happened in this stretch, as tables for one's own tools. */
export function SaveTables({ project, look }: { project: string; look: Look }) {
  const items = (Object.keys(TABLES) as (keyof typeof TABLES)[]).flatMap((what) =>
    ["xlsx", "csv"].map((form) => ({
      key: `${what} ${form}`,
      label: `${TABLES[what]}, as ${form.toUpperCase()}`,
    })),
  );
  const pick = (key: string) => {
    const [what = "", form = ""] = key.split(" ");
    window.location.assign(api.tableFile(project, look, what, form));
  };
  return (
    <Menu items={items} pick={pick} className="plain-button">
      Save as a table
    </Menu>
  );
}
