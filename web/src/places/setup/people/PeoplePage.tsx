import { useMay } from "../../../api/may";
import { useProject } from "../../../state/project";
import { useTab } from "../../../state/tab";
import { KeysInto } from "./KeysInto";
import { Members } from "./Members";
import { ROLES } from "./roles";
import { SetupPlaces } from "./SetupPlaces";

/** Who has a part in the project, who is invited, and which keys open it. */
export function PeoplePage() {
  const project = useProject();
  const owns = useMay("own");
  useTab("People");
  if (!project) return null;
  return (
    <div className="page setup">
      <div className="page-head">
        <div>
          <p className="crumb">Setup</p>
          <h1>Who works on {project.name}</h1>
          <p className="muted">You are {project.role ? `its ${project.role}` : "none of its people"}.</p>
        </div>
      </div>
      <SetupPlaces />
      <Members project={project} key={project.id} />
      <section aria-label="What roles may">
        <h2>What each may</h2>
        <ul className="role-list">
          {ROLES.map(({ role, may }) => (
            <li key={role}>
              <strong>{role}</strong> {may}
            </li>
          ))}
          <li className="muted">Administrators of the installation own every project.</li>
        </ul>
      </section>
      {owns && <KeysInto project={project.id} />}
    </div>
  );
}
