import { useQuery } from "@tanstack/react-query";
import { api } from "../../../api";
import { queries } from "../../../api/queries";
import { useStale } from "../../../api/stale";
import { useTold } from "../../../state/acts";

/** Whether administrators need a second factor to decide about the installation. */
export function SecondForAdministrators() {
  const tell = useStale();
  const rule = useQuery(queries.secondFactorRule());
  const [problem, told] = useTold();
  if (!rule.data) return null;
  const { administrators, shared } = rule.data;
  const change = (chosen: string) =>
    void told(
      api.saySecondFactorRule(chosen ? chosen === "true" : null).finally(() => tell("second factor rule")),
    );
  return (
    <section aria-label="Second factor of administrators">
      <p>
        To decide anything on this page an administrator{" "}
        <select
          className="which-part"
          aria-label="Whether administrators need a second factor"
          value={administrators === null ? "" : String(administrators)}
          onChange={(event) => change(event.target.value)}
        >
          <option value="">
            {shared
              ? "needs a second factor, since others come here"
              : "needs no second factor, since only this machine comes here"}
          </option>
          <option value="true">needs a second factor</option>
          <option value="false">needs no second factor</option>
        </select>
        .
      </p>
      {problem && (
        <p className="trouble" role="alert">
          {problem}
        </p>
      )}
    </section>
  );
}
