import { Link } from "react-router";
import type { DataSource } from "../../api";

/** The cases that use a source, by name; nothing if none does. */
export function Users({ source }: { source: DataSource }) {
  return (
    <>
      {source.cases.map((user, index) => (
        <span key={user.id}>
          {index > 0 && ", "}
          <Link to={`/cases/${user.id}`}>{user.name}</Link>
        </span>
      ))}
      {source.uses > source.cases.length && ` and ${source.uses - source.cases.length} more`}
    </>
  );
}
