"""`check`: what is wrong with cases, without sending anything."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING

import click

from saltpath.cli.calls import NotUnderstood, load_files

if TYPE_CHECKING:
    from saltpath.core.assist.inspect import Finding
    from saltpath.core.cases.case import Case
    from saltpath.core.watching.watch import Of
    from saltpath.formats.project_files import ProjectFiles


@click.command()
@click.argument("paths", nargs=-1, required=True, type=click.Path(path_type=Path))
def check(paths: tuple[Path, ...]) -> None:
    """Report what is wrong with cases, and with the watches of a whole project, without sending
    anything."""
    from msgspec.structs import replace

    from saltpath.core.assist.inspect import inspect, surroundings
    from saltpath.core.cases.shared import linked
    from saltpath.core.running.inherited import signed_in
    from saltpath.core.values.measures import counted

    found = load_files(paths)
    environments = [environment.values for environment in found.environments.values()]
    number = 0
    for case in found.cases:
        suite = found.suites.get(case.folder)
        around = surroundings((), suite, found.project.values, environments)
        columns, findings = _columns(found, case.case)
        around = replace(around, databases=frozenset(found.project.databases))
        number += _told(
            case.file,
            findings
            + inspect(
                signed_in(linked(case.case, found.shared), suite, found.project),
                replace(around, columns=columns),
            ),
        )
    for name, shared in found.shared.items():
        around = surroundings((), None, found.project.values, environments)
        around = replace(
            around, suite=frozenset(n for s in found.suites.values() for n in s.values.values)
        )
        number += _told(
            found.shared_files[name],
            inspect(signed_in(linked(shared, found.shared, (name,)), None, found.project), around),
        )
    if any(path.resolve() in (found.root, found.root / "watches") for path in paths):
        number += _watches(found)
    click.echo(
        f"{counted(number, 'finding') if number else 'no findings'} in "
        f"{counted(len(found.cases), 'case')}"
    )
    sys.exit(1 if number else 0)


def _columns(found: ProjectFiles, case: Case) -> tuple[frozenset[str] | None, list[Finding]]:
    """The columns of the file that a case's rows come from; what is wrong with where they come
    from, and what was guessed of the file."""
    from saltpath.core.assist.inspect import Finding
    from saltpath.core.cases.row_sources import FileRows
    from saltpath.core.values.grammar import Unreadable
    from saltpath.core.values.why import Blocked, Why, why
    from saltpath.formats.project_files import file_opener
    from saltpath.formats.rows import read_table

    source = found.project.source_of(case.rows) if case.rows else None
    if isinstance(source, Why):
        return None, [Finding("error", source, case.place)]
    if not isinstance(source, FileRows):
        return None, []
    try:
        with file_opener(found.root)(source.file) as file:
            table = read_table(file, source)
            return frozenset(table.names), [
                Finding(
                    "warning", why("guessed", file=source.file, problem=doubt.sentence), case.place
                )
                for doubt in table.frame.doubts
            ]
    except (Blocked, Unreadable) as problem:
        reason = why("source-unreadable", source=source.file, problem=str(problem))
        return None, [Finding("error", reason, case.place)]


def _watches(found: ProjectFiles) -> int:
    """How many watches name what is not there. Raises NotUnderstood for what cannot be read."""
    from saltpath.core.format.nodes import FormatError
    from saltpath.core.format.watch_reader import read_watch
    from saltpath.formats.project_files import text_of
    from saltpath.formats.terminal import printable

    problems: list[str] = []
    findings: list[str] = []
    for path in sorted((found.root / "watches").glob("*.watch.yaml")):
        file = f"watches/{path.name}"
        try:
            watch = read_watch(text_of(path, file), file)
        except FormatError as problem:
            problems += map(str, problem.problems)
            continue
        if watch.what not in _there(found, watch.of):
            findings.append(f"{file}: it watches the {watch.of} {watch.what}, which is not there")
        known = [environment.name for environment in found.environments.values()]
        if watch.environment and watch.environment not in known:
            findings.append(f"{file}: there is no environment {watch.environment}")
    if problems:
        raise NotUnderstood("\n".join(problems))
    for finding in findings:
        click.echo(printable(finding))
    return len(findings)


def _there(found: ProjectFiles, of: Of) -> set[str]:
    """By what a watch may name what it watches."""
    if of == "suite":
        return set(found.suites)
    if of == "tag":
        own = {tag for one in found.cases for tag in one.case.tags}
        return own | {tag for suite in found.suites.values() for tag in suite.every_tag}
    files = {one.file for one in found.cases}
    return {*files, *(file.removesuffix(".case.yaml") for file in files)} | {
        one.case.key for one in found.cases if one.case.key
    }


def _told(file: str, findings: list[Finding]) -> int:
    """Print what was found in a file; how many."""
    from saltpath.formats.terminal import printable

    for finding in findings:
        step = f"{finding.step}: " if finding.step else ""
        click.echo(printable(f"{file}:{finding.place.line}: {step}{finding.sentence}"))
    return len(findings)
