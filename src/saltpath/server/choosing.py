"""Which cases a run is meant to be of."""

from __future__ import annotations

from msgspec import UNSET

from saltpath.core.values.measures import counted
from saltpath.core.values.nearest import listed, nearest
from saltpath.server.asked import case_asked
from saltpath.server.compiled import suite_of
from saltpath.server.context import database
from saltpath.server.problems import Refused
from saltpath.server.run_bodies import NewRun
from saltpath.store import around, cases, folders, projects
from saltpath.store.cases import StoredCase
from saltpath.store.database import NotFound

MOST_CASES = 10_000


def chosen_cases(data: NewRun, project: int) -> tuple[list[StoredCase], str]:
    """The cases that are meant, and what the run is called. Raises Refused."""
    if data.kind == "trial" and (one := _alone(data, project)) is not None:
        return [one], one.name
    found, title = _of_place(data, project)
    inherited = tags_around(project) if data.tags else {}
    found = [
        case
        for case in found
        if data.only.lower() in case.name.lower()
        and set(data.tags)
        <= {*map(str, case.document.get("tags", ())), *inherited.get(case.suite, ())}
    ]
    narrowed = [f"with the tag {tag}" for tag in data.tags] + [
        f"with {data.only!r} in the name"
    ] * bool(data.only)
    if not found:
        which = f" {listed(narrowed)}" if narrowed else ""
        raise Refused(422, "cases", f"There is no case{which} to run.")
    if len(found) > MOST_CASES:
        raise Refused(422, "cases", f"At most {MOST_CASES} cases at once.")
    if narrowed:
        title = f"{counted(len(found), 'case')} {listed(narrowed)}"
    return found, title


def tags_around(project: int) -> dict[int, frozenset[str]]:
    """By suite the tags that its cases have from it, and from the folders around it."""
    return around.tags_around(database(), project, suite_of)


def _of_place(data: NewRun, project: int) -> tuple[list[StoredCase], str]:
    """The cases by id, by suite, by path, or all."""
    every = cases.cases(database(), project)
    if data.cases is not UNSET:
        wanted = set(data.cases)
        chosen = [case for case in every if case.oid in wanted]
        if len(chosen) != len(wanted):
            raise Refused(422, "cases", "Some of these cases are not in this project.")
        return chosen, chosen[0].name if len(chosen) == 1 else counted(len(chosen), "case")
    if data.suite is not UNSET:
        suites = projects.suites(database(), project)
        suite = next((s for s in suites if s.oid == data.suite), None)
        if suite is None:
            raise Refused(422, "suite", "There is no such suite in this project.")
        meant = {one.id for one in projects.inside(suite, suites)}
        return [case for case in every if case.suite in meant], suite.name
    if data.paths is not UNSET:
        return _at_paths(every, data.paths, project)
    return every, "Every suite"


def _at_paths(
    every: list[StoredCase], wanted: list[str], project: int
) -> tuple[list[StoredCase], str]:
    """The cases at these paths of the project's folder, and below them."""
    paths, meant = folders.paths_of(database(), project), set[int]()
    for path in wanted:
        below = _below(path)
        found = {
            id
            for id, at in paths.items()
            if below in ("", ".") or at == below or at.startswith(f"{below}/")
        }
        if not found:
            known = set(paths.values()) | {at.rpartition("/")[0] for at in paths.values()}
            near = nearest(below, known)
            hint = f"; did you mean {near}?" if near else "."
            raise Refused(422, "paths", f"There is no case at {path} in this project{hint}")
        meant |= found
    suites = {suite.folder: suite.name for suite in projects.suites(database(), project)}
    one = suites.get(_below(wanted[0])) if len(wanted) == 1 else None
    chosen = [case for case in every if case.id in meant]
    title = "Every suite" if len(chosen) == len(every) else counted(len(chosen), "case")
    return chosen, one or (chosen[0].name if len(chosen) == 1 else title)


def _below(path: str) -> str:
    return path.strip().removeprefix("./").strip("/")


def _alone(data: NewRun, project: int) -> StoredCase | None:
    """The one case, or the single request, that a trial is of; None where several are meant, or
    what is no case of the project."""
    if data.cases is UNSET or len(data.cases) != 1:
        return None
    try:
        found = case_asked(data.cases[0])
    except NotFound:
        return None
    return found if found.project == project else None
