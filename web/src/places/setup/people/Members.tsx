import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Member, type Project, type Shapes } from "../../../api";
import { useMay } from "../../../api/may";
import { queries } from "../../../api/queries";
import { useStale } from "../../../api/stale";
import { ago, exactly } from "../../../base/format";
import { Choice } from "../../../parts/Choice";
import { useAsk } from "../../../parts/Confirm";
import { Notice } from "../../../parts/Notice";
import { ToldOnce } from "../../../parts/ToldOnce";
import { useTold } from "../../../state/acts";
import { Invite } from "./Invite";
import { ROLE_CHOICES, type Role } from "./roles";

/** The project's people, a sentence each, and whoever is invited. */
export function Members({ project }: { project: Project }) {
  const owns = useMay("own");
  const tell = useStale();
  const ask = useAsk();
  const members = useQuery(queries.members(project.id));
  const invited = useQuery(queries.invitations(owns ? project.id : undefined));
  const [link, setLink] = useState<Shapes["NewLink"]>();
  const [problem, told] = useTold();
  if (members.error) return <Notice sentence={members.error.message} retry={() => void members.refetch()} />;
  if (!members.data) return null;
  const act = (call: () => Promise<unknown>) => told(call().finally(() => tell("members")));
  const remove = async ({ id, name }: Member) => {
    const sure = await ask({
      title: `Take ${name} out of ${project.name}?`,
      text: "From then on they see nothing of it, also in pages that are open. What they did stays.",
      yes: `Take ${name} out`,
      no: "Leave it",
    });
    if (sure) await act(() => api.removePart(project.id, id));
  };
  return (
    <section aria-label="People">
      <ul className="people">
        {members.data.items.map((one) => (
          <li key={one.id}>
            <span className="person-mark" aria-hidden="true">
              {one.initials}
            </span>{" "}
            <strong>{one.name}</strong>
            {one.you && <span className="muted"> (you)</span>} is{" "}
            <Choice
              label={`What ${one.name} is`}
              needs="own"
              value={one.role}
              choices={ROLE_CHOICES}
              choose={(role) => void act(() => api.setPart(project.id, one.id, role))}
            />{" "}
            <span className="muted" title={exactly(one.since)}>
              since {ago(one.since)}
            </span>{" "}
            <button type="button" className="plain-link" data-needs="own" onClick={() => void remove(one)}>
              Take out
            </button>
          </li>
        ))}
        {!members.data.items.length && <li className="muted">Nobody yet but administrators.</li>}
        {invited.data?.items.map((one) => (
          <li key={one.id}>
            <span className="person-mark open" aria-hidden="true">
              ?
            </span>{" "}
            <strong>{one.name}</strong> is invited as {one.role} by {one.by},{" "}
            <span className="muted">until {exactly(one.endsAt)}</span>{" "}
            <button
              type="button"
              className="plain-link"
              onClick={() => void act(() => api.endInvitation(one.id))}
            >
              Take it back
            </button>
          </li>
        ))}
      </ul>
      {problem && (
        <p className="trouble" role="alert">
          {problem}
        </p>
      )}
      {link && (
        <ToldOnce
          about={`Send this link to ${link.name}. It lets one person in, within a week.`}
          text={link.address}
          close={() => setLink(undefined)}
        />
      )}
      {owns && (
        <Invite
          ask={async (name, role) => {
            setLink(await api.invite(project.id, name, role as Role));
            await tell("members");
          }}
        />
      )}
    </section>
  );
}
