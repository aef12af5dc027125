import { useState } from "react";
import { Link } from "react-router";
import type { Suite } from "../../../api";
import { copied, NOT_COPIED } from "../../../parts/clipboard";
import { useProject } from "../../../state/project";
import { useEnvironments } from "../../../state/run";
import { PictureElsewhere } from "./PictureElsewhere";
import { curlLines, saltpathLines } from "./pipelines";

/** How a pipeline runs a suite: lines for a step that has a shell, ready to be copied. */
export function FromPipeline({ suite }: { suite: Suite }) {
  const project = useProject();
  const environments = useEnvironments().data?.items ?? [];
  const [said, setSaid] = useState("");
  const usual = environments.find((item) => item.usual) ?? environments[0];
  if (!project) return null;
  const about = {
    server: window.location.origin,
    project,
    suite,
    environment: usual?.name ?? "",
  };
  const ways = [
    ["With nothing but curl", curlLines(about)],
    ["With Salt Path’s own command", saltpathLines(about)],
  ] as const;
  return (
    <div className="from-pipeline">
      {ways.map(([name, lines]) => (
        <div key={name}>
          <p>
            {name}{" "}
            <button
              type="button"
              className="plain-link"
              aria-label={`Copy: ${name}`}
              onClick={() =>
                void copied(lines).then((done) => setSaid(done ? `${name}: copied.` : NOT_COPIED))
              }
            >
              Copy
            </button>
          </p>
          <pre className="mono">{lines}</pre>
        </div>
      ))}
      <PictureElsewhere project={project.id} suite={suite} />
      <p className="muted">
        <span className="mono">SALTPATH_KEY</span> is a key that may run,{" "}
        <Link to="/you">from your account</Link>, as a secret of the pipeline. The call waits until the run
        has ended, an hour at most. Both end with 0 only where all passed; both write JUnit XML.{" "}
        <span role="status">{said}</span>
      </p>
    </div>
  );
}
