import { Link, NavLink, Outlet, useLocation } from "react-router";
import { Hints } from "../parts/Hints";
import { NoRoom } from "../parts/NoRoom";
import { Notice } from "../parts/Notice";
import { useMe } from "../state/me";
import { useProjects } from "../state/project";
import { useTheme } from "../state/theme";
import { Finder } from "./Finder";
import { GoingOn } from "./GoingOn";
import { PersonMenu } from "./PersonMenu";
import { NewProject, ProjectMenu } from "./ProjectMenu";

const PLACES = [
  { to: "/today", name: "Today" },
  { to: "/cases", name: "Cases" },
  { to: "/data", name: "Data" },
  { to: "/runs", name: "Runs" },
  { to: "/watches", name: "Watches" },
  { to: "/trends", name: "Trends" },
  { to: "/setup", name: "Setup" },
];

/** What stands on every page: the mark, the project, the places that exist. */
export function Shell() {
  const { none, problem } = useProjects();
  const needsProject = useLocation().pathname !== "/you";
  const { theme, toggle } = useTheme();
  const me = useMe();
  const other = theme === "light" ? "dark" : "light";
  return (
    <>
      <a className="skip-link" href="#main">
        Skip to the page
      </a>
      <header className="shell">
        <Link to="/" className="brand">
          <Mark />
          Salt Path
        </Link>
        <ProjectMenu />
        <nav aria-label="Places">
          {PLACES.map((place) => (
            <NavLink key={place.to} to={place.to}>
              {place.name}
            </NavLink>
          ))}
        </nav>
        <span className="shell-end">
          <GoingOn />
          <Finder />
          <button
            type="button"
            className="theme-button"
            aria-label={`Use the ${other} theme`}
            title={`Use the ${other} theme`}
            onClick={toggle}
          >
            <LightOrDark light={theme === "dark"} />
          </button>
          <PersonMenu />
        </span>
      </header>
      <Hints />
      <NoRoom />
      {problem && <Notice sentence={problem.message} retry={() => window.location.reload()} />}
      <main id="main">
        {none && needsProject ? me.administrator ? <NoProject /> : <NoPart /> : <Outlet />}
      </main>
    </>
  );
}

/** A sun with rays, or a moon. */
function LightOrDark({ light }: { light: boolean }) {
  const rays = [0, 45, 90, 135, 180, 225, 270, 315];
  return (
    <svg viewBox="0 0 16 16" width="16" height="16" aria-hidden="true" fill="none" stroke="currentColor">
      {light ? (
        <>
          <circle cx="8" cy="8" r="3" />
          {rays.map((turn) => (
            <path key={turn} d="M8 1.2v1.8" transform={`rotate(${turn} 8 8)`} strokeLinecap="round" />
          ))}
        </>
      ) : (
        <path d="M13 9.6A5.6 5.6 0 0 1 6.4 3a5.6 5.6 0 1 0 6.6 6.6Z" strokeLinejoin="round" />
      )}
    </svg>
  );
}

function NoProject() {
  return (
    <div className="page">
      <h1>There is no project here yet</h1>
      <p>A project holds the suites and cases for one API. Name it to begin.</p>
      <div className="add-case">
        <NewProject close={() => undefined} quiet />
      </div>
      <p className="muted">
        To look at a finished one first, stop the application and start{" "}
        <span className="mono">saltpath demo</span>.
      </p>
    </div>
  );
}

/** Before somebody whom nobody has given a part in a project. */
function NoPart() {
  return (
    <div className="page">
      <h1>You have no part in a project yet</h1>
      <p>Ask an owner of one for an invitation, and open its link in this browser.</p>
    </div>
  );
}

/** The mark: a path with three stations. */
function Mark() {
  return (
    <svg
      width={22}
      height={22}
      viewBox="0 0 24 24"
      aria-hidden="true"
      fill="none"
      stroke="var(--marsh)"
      strokeWidth="2"
    >
      <path d="M3.500 20.500 L8 15 L12.500 16 L15 9 L20 4" strokeLinecap="round" strokeLinejoin="round" />
      <circle cx="3.500" cy="20.500" r="1.600" fill="var(--marsh)" />
      <circle cx="12.500" cy="16" r="1.200" fill="var(--marsh)" />
      <circle cx="20" cy="4" r="2" fill="var(--card)" />
    </svg>
  );
}
