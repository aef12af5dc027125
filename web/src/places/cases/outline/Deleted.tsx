import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../../api";
import { queries } from "../../../api/queries";
import { useStale } from "../../../api/stale";
import { ago, count, listed } from "../../../base/format";

/** What was deleted lately, below the outline: each can be brought back, also after the page was closed. */
export function Deleted({ project }: { project: string }) {
  const tell = useStale();
  const [open, setOpen] = useState(false);
  const [said, setSaid] = useState("");
  const found = useQuery(queries.deleted(project));
  const items = found.data?.items ?? [];
  if (!items.length && !said) return null;
  const cases = items.filter((item) => item.suite).length;
  const shared = items.length - cases;
  const what = listed([
    ...(cases ? [count(cases, "case")] : []),
    ...(shared ? [`${count(shared, "set")} of shared steps`] : []),
  ]);
  const bringBack = async (id: string, name: string) => {
    try {
      await api.bringBack(id);
      setSaid(`“${name}” is back.`);
    } catch (problem) {
      setSaid((problem as Error).message);
    }
    await tell("brought back");
  };
  return (
    <section className="deleted" aria-label="Deleted in the last 30 days">
      <p className="muted small">
        {items.length > 0 && (
          <button type="button" className="plain-link" aria-expanded={open} onClick={() => setOpen(!open)}>
            {what} deleted in the last 30 days
          </button>
        )}{" "}
        <span role="status">{said}</span>
      </p>
      {open && (
        <ul className="lines">
          {items.map((item) => (
            <li key={item.id} className="shared-line">
              <span className="case-name">
                {item.name}
                <span className="muted small">
                  {item.suite ? `of ${item.suite}` : "shared steps"} · deleted {ago(item.at)}
                </span>
              </span>
              <button
                data-needs="edit"
                type="button"
                className="plain-link"
                aria-label={`Bring back ${item.name}`}
                onClick={() => void bringBack(item.id, item.name)}
              >
                bring it back
              </button>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
