"""What `run` carries out, from files: the cases that are meant with their rows, values, secrets."""

from __future__ import annotations

import os
import secrets
from pathlib import Path
from typing import TYPE_CHECKING, Any

from msgspec.structs import replace

from saltpath.cli.calls import NotUnderstood

if TYPE_CHECKING:
    from saltpath.core.cases.case import Environment, Suite
    from saltpath.core.running.compiled import CompiledPlan
    from saltpath.formats.project_files import CaseFile, ProjectFiles

SECRET_PREFIX = "SALTPATH_VALUE_"


def plan_of(
    found: ProjectFiles,
    environments: tuple[str, ...],
    values: dict[str, str],
    only: str,
    tags: tuple[str, ...],
    seed: int | None,
    jobs: int,
    measures: dict[str, dict[str, Any]] | None,
) -> CompiledPlan:
    from saltpath.core.running.compiled import CompiledPlan, Destination, compiled
    from saltpath.core.running.inherited import levels
    from saltpath.core.running.roles import in_turn
    from saltpath.engine.run import utc_us

    chosen = _environments(found, environments)
    suites = [_suites_there(found) for _ in chosen]
    cases = [
        compiled(
            case.case,
            suites[goes].get(case.folder),
            case.file,
            found.project,
            found.shared,
            measures=measures,
            goes=goes,
        )
        for case in _meant(found, only, tags)
        for goes in range(len(chosen))
    ]
    cases = [
        cases[place] for place in in_turn([(case.role, len(levels(case.suite))) for case in cases])
    ]
    if not cases:
        raise _none_meant(found, only, tags)
    given = _secrets()
    names = {name for c in cases for name in _secret_names(found, c.case.values.secret)}
    filled = {name: given[key] for name in names for key in (name, name.upper()) if key in given}
    seed = secrets.randbelow(1_000_000) if seed is None else seed
    return CompiledPlan(
        tuple(cases),
        found.project,
        tuple(Destination(environment, filled) for environment in chosen),
        seed,
        0,
        values,
        jobs,
        utc_us(),
    )


def _none_meant(found: ProjectFiles, only: str, tags: tuple[str, ...]) -> NotUnderstood:
    from saltpath.core.values.measures import counted
    from saltpath.core.values.nearest import listed

    asked = [f"its name holds {only!r}"] * bool(only) + [f"it has the tag {tag}" for tag in tags]
    if not found.cases:
        return NotUnderstood("no case was found")
    return NotUnderstood(
        f"of {counted(len(found.cases), 'case')} none is such that {listed(asked)}"
    )


def _environments(found: ProjectFiles, names: tuple[str, ...]) -> list[Environment | None]:
    """Those of these names, each once; the project's own where none is named."""
    from saltpath.core.format.nodes import FormatError

    try:
        chosen = [found.environment(name) for name in names or ("",)]
    except FormatError as problem:
        raise NotUnderstood(str(problem)) from None
    return list({id(one): one for one in chosen}.values())


def _suites_there(found: ProjectFiles) -> dict[str, Suite]:
    """The suites by folder, once more for an environment: what is set up there is not elsewhere."""
    from saltpath.core.format.folder import folders_above

    made: dict[str, Suite] = {}
    for folder in sorted(found.suites):  # what stands around them first
        above = [made[path] for path in folders_above(folder) if path in made]
        made[folder] = replace(found.suites[folder], within=above[-1] if above else None)
    return made


def _meant(found: ProjectFiles, only: str, tags: tuple[str, ...]) -> list[CaseFile]:
    """The cases with these words and tags, and those that stand around the others of their
    suites."""
    from saltpath.core.format.folder import folders_above
    from saltpath.core.running.roles import role_of

    def tags_of(found: ProjectFiles, folder: str) -> frozenset[str]:
        suite = found.suites.get(folder)
        return suite.every_tag if suite else frozenset()

    meant = [
        case
        for case in found.cases
        if only.lower() in case.case.name.lower()
        and set(tags) <= {*case.case.tags, *tags_of(found, case.folder)}
    ]
    files = {case.file for case in meant}
    folders = {path for case in meant for path in (*folders_above(case.folder), case.folder)}
    return meant + [
        case
        for case in [*found.cases, *found.around]
        if case.folder in folders
        and case.file not in files
        and role_of(found.suites.get(case.folder), case.case.key, case.file)
    ]


def with_rows(plan: CompiledPlan, rows_file: Path | None, pick: str) -> CompiledPlan:
    """The plan with the rows of another file, and those that are meant. Raises NotUnderstood."""
    from saltpath.core.cases.row_sources import FileRows
    from saltpath.core.values.grammar import Unreadable

    if pick:
        from saltpath.core.format.picking import read_picks

        try:
            read_picks(pick)
        except Unreadable as problem:
            raise NotUnderstood(f"--pick: {problem}") from None
    cases = plan.cases
    if rows_file is not None or pick:
        of_rows = [place for place, planned in enumerate(cases) if planned.case.rows]
        if not of_rows:
            raise NotUnderstood("none of these cases has rows")
        asked = {place for place in of_rows if not cases[place].role} or set(of_rows)
        cases = tuple(
            replace(planned, pick=pick) if place in asked else planned
            for place, planned in enumerate(cases)
        )
    if rows_file is not None:
        name = str(rows_file)
        cases = tuple(
            replace(
                planned,
                source=replace(planned.source, file=name, pick="")
                if isinstance(planned.source, FileRows)
                else FileRows(name),
                no_source=None,
            )
            if place in asked
            else planned
            for place, planned in enumerate(cases)
        )
    return replace(plan, cases=cases)


def values_of(assignments: tuple[str, ...]) -> dict[str, str]:
    from saltpath.core.references.templates import is_name

    values: dict[str, str] = {}
    for assignment in assignments:
        name, equals, value = assignment.partition("=")
        if not equals or not is_name(name):
            raise NotUnderstood(f"--set takes NAME=VALUE; found {assignment!r}")
        values[name] = value
    return values


def _secrets() -> dict[str, str]:
    """Secret values from the environment, by name; letters of either case fit."""
    return {
        name[len(SECRET_PREFIX) :]: value
        for name, value in os.environ.items()
        if name.startswith(SECRET_PREFIX)
    }


def _secret_names(found: ProjectFiles, own: frozenset[str]) -> set[str]:
    everywhere = [found.project.values, *(e.values for e in found.environments.values())]
    everywhere += [
        values for s in found.suites.values() for values in (s.values, *s.values_in.values())
    ]
    return set(own).union(*(values.secret for values in everywhere))


def measures_of(report: Path) -> dict[str, dict[str, Any]]:
    """What the checks of an earlier run saw in the steps that passed, by step key and the check's
    sentence."""
    from saltpath.core.values import plain

    try:
        cases = plain.read_json(report.read_bytes())["cases"]
        steps = [step for case in cases for row in case["rows"] for step in row["steps"]]
        steps += [step for case in cases for part in ("once", "at the end") for step in case[part]]
        for step in steps:  # grows by those inside others
            steps += step.get("steps", ())
        passed = [step for step in steps if step["verdict"] == "passed"]
        return {
            step["key"]: {check["check"]: check["actual"] for check in step["checks"]}
            for step in passed
        }
    except (OSError, ValueError, KeyError, TypeError):
        raise NotUnderstood(f"{report}: this is not a JSON report of Salt Path") from None
