import { NavLink } from "react-router";
import { useMay } from "../../../api/may";
import { useMe } from "../../../state/me";

/** What Setup is divided into. */
export function SetupPlaces() {
  const owns = useMay("own");
  const { administrator } = useMe();
  return (
    <nav className="setup-places" aria-label="Setup">
      <NavLink to="/setup" end>
        Environments and values
      </NavLink>
      <NavLink to="/setup/people">People and keys</NavLink>
      {owns && <NavLink to="/setup/done">Who did what</NavLink>}
      {administrator && <NavLink to="/setup/everybody">This installation</NavLink>}
    </nav>
  );
}
