import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Suite } from "../../../api";
import { queries } from "../../../api/queries";
import { useStale } from "../../../api/stale";
import { ago, exactly } from "../../../base/format";
import { ToldOnce } from "../../../parts/ToldOnce";
import { useTold } from "../../../state/acts";

/** Addresses of the picture of how a suite stands, for pages elsewhere, whose readers do not come in here. */
export function PictureElsewhere({ project, suite }: { project: string; suite: Suite }) {
  const tell = useStale();
  const found = useQuery(queries.pictures(project)).data?.items ?? [];
  const [made, setMade] = useState("");
  const [problem, told] = useTold();
  const own = found.filter((one) => one.suite === suite.id);
  const refresh = () => tell("pictures", project);
  const make = () =>
    void told(
      api.addPicture(project, suite.id).then(async ({ address }) => {
        setMade(address);
        await refresh();
      }),
    );
  const end = (id: string) => void told(api.endPicture(id).finally(refresh));
  return (
    <div>
      <p>
        A picture of how it stands, for a page elsewhere{" "}
        <button type="button" data-needs="edit" className="plain-link" onClick={make}>
          Make an address
        </button>
      </p>
      {made && (
        <ToldOnce
          about="Whoever has this address sees the suite’s name and how many of its cases passed, nothing else."
          text={made}
          close={() => setMade("")}
        />
      )}
      <ul className="people">
        {own.map((one) => (
          <li key={one.id}>
            An address by {one.by}, made <span title={exactly(one.madeAt)}>{ago(one.madeAt)}</span>.{" "}
            <button type="button" data-needs="edit" className="plain-link" onClick={() => end(one.id)}>
              End it
            </button>
          </li>
        ))}
      </ul>
      {problem && (
        <p className="trouble" role="alert">
          {problem}
        </p>
      )}
    </div>
  );
}
