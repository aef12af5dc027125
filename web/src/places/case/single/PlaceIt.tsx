import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, type Case } from "../../../api";
import { queries } from "../../../api/queries";
import { useStale } from "../../../api/stale";
import { pathOf } from "../../../parts/suites";

interface Props {
  of: Case;
  close: () => void;
}

/** The request becomes a step: of a case that is there, or of a new one. What it was answered last goes with it. */
export function PlaceIt({ of, close }: Props) {
  const tell = useStale();
  const navigate = useNavigate();
  const suites = useQuery(queries.suites(of.project));
  const items = suites.data?.items ?? [];
  const [target, setTarget] = useState("");
  const [name, setName] = useState(of.name);
  const [problem, setProblem] = useState("");
  const fallback = items[0] ? `suite ${items[0].id}` : "suite";
  const [kind, id = ""] = (target || fallback).split(" ");
  const place = async () => {
    try {
      const suite = id || (await api.addSuite(of.project, "First cases")).id;
      const placed = await api.placeSingle(of.id, kind === "case" ? { case: id } : { suite, name });
      void tell("placed", placed.case);
      // At once: here nothing stands any more.
      void navigate(`/cases/${placed.case}?step=${placed.number}`);
      close();
    } catch (wrong) {
      setProblem((wrong as Error).message);
    }
  };
  return (
    <section className="place-it" aria-label="Put it into a case">
      <label>
        Make it{" "}
        <select
          // biome-ignore lint/a11y/noAutofocus: it was just asked for
          autoFocus
          value={target || fallback}
          onChange={(event) => setTarget(event.target.value)}
        >
          {!items.length && <option value="suite">the first step of a new case, in a first suite</option>}
          {items.map((suite) => (
            <optgroup key={suite.id} label={pathOf(suite, items)}>
              <option value={`suite ${suite.id}`}>the first step of a new case in {suite.name}</option>
              {suite.cases.map((line) => (
                <option key={line.id} value={`case ${line.id}`}>
                  the last step of “{line.name}”
                </option>
              ))}
            </optgroup>
          ))}
        </select>
      </label>
      {kind === "suite" && (
        <label>
          called{" "}
          <input
            data-needs="edit"
            value={name}
            aria-label="The new case's name"
            onChange={(event) => setName(event.target.value)}
            onKeyDown={(event) => event.key === "Enter" && void place()}
          />
        </label>
      )}
      <button
        data-needs="edit"
        type="button"
        className="make"
        onClick={() => void place()}
        disabled={kind === "suite" && !name.trim()}
      >
        Put it there
      </button>
      <button type="button" className="plain-link" onClick={close}>
        leave it here
      </button>
      {problem && (
        <p role="alert" className="problem">
          {problem}
        </p>
      )}
    </section>
  );
}
