import { useProject } from "../../../state/project";
import { useTab } from "../../../state/tab";
import { DoneList } from "./DoneList";
import { SetupPlaces } from "./SetupPlaces";

/** Who did what in the project. */
export function DonePage() {
  const project = useProject();
  useTab("Who did what");
  if (!project) return null;
  return (
    <div className="page setup">
      <div className="page-head">
        <div>
          <p className="crumb">Setup</p>
          <h1>Who did what in {project.name}</h1>
          <p className="muted">Nothing here can be changed, and nothing goes within a year.</p>
        </div>
      </div>
      <SetupPlaces />
      <DoneList project={project.id} key={project.id} />
    </div>
  );
}
