import { Link } from "react-router";
import type { Shapes } from "../../api";
import { exactly } from "../../base/format";
import { momentSaid } from "./sentences";

/** Who ran and edited what. */
export function DoneLately({ done }: { done: Shapes["DoneLately"][] }) {
  return (
    <section aria-label="Who did what">
      <h2>Who did what</h2>
      {!done.length && <p className="muted small">Nobody ran or edited anything since then.</p>}
      <ul className="done-lately">
        {done.map((one) => (
          <li key={`${one.at} ${one.id}`}>
            {one.who} {one.did}{" "}
            <Link to={one.did === "ran" ? `/runs/${one.id}` : `/cases/${one.id}`}>{one.name}</Link>
            {one.where && ` against ${one.where}`}, <span title={exactly(one.at)}>{momentSaid(one.at)}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}
