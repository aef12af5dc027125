"""The command line. `run` and `check` work on files without a server; `serve` and `demo` start the application.

Exit status: 0 passed; 1 something failed, was blocked or is unchecked (findings, for `check`); 2 the call or a file could
not be understood, and nothing was sent; 130 stopped.
"""

from __future__ import annotations

import os
import secrets
import signal
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

if TYPE_CHECKING:
    from saltpath.core.case import Case
    from saltpath.core.inspect import Finding
    from saltpath.core.plan import Plan
    from saltpath.formats.project_files import ProjectFiles

SECRET_PREFIX = "SALTPATH_VALUE_"
STOPPED = 130


class NotUnderstood(click.ClickException):
    """The call or a file could not be understood; nothing was sent."""

    exit_code = 2

    def show(self, file: object = None) -> None:
        from saltpath.formats.terminal import printable

        click.echo(printable(self.message), err=True)


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(package_name="saltpath", prog_name="saltpath")
def main() -> None:
    """Salt Path: API tests that read as sentences."""


@main.command()
@click.argument("paths", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--env", "environment", default="", help="Run against this environment.")
@click.option("--set", "assignments", multiple=True, metavar="NAME=VALUE", help="Give a value for this run, as text.")
@click.option("--rows", "rows_file", type=click.Path(path_type=Path, dir_okay=False, exists=True),
              help="A file whose rows stand in for those of the cases.")  # fmt: skip
@click.option(
    "--pick", default="", metavar="TEXT", help="Which rows: 1 to 20, every 10th, sample 50, where length above 90."
)
@click.option("--only", default="", help="Only cases whose name holds this text.")
@click.option("--tag", "tags", multiple=True, help="Only cases with this tag; twice means both.")
@click.option("--seed", type=int, default=None, help="The seed of generated values.")
@click.option("--jobs", type=click.IntRange(1, 256), default=1, help="How many cases or rows run side by side.")
@click.option("--label", default="", help="A word about this run, kept in its report.")
@click.option("--allow", type=click.Choice(["unchecked", "changes"]), multiple=True,
              help="unchecked: do not count it against the run; changes: let steps change a guarded environment.")  # fmt: skip
@click.option(
    "--json", "json_file", type=click.Path(path_type=Path, dir_okay=False), help="Write the JSON report here."
)
@click.option(
    "--table",
    "table_file",
    type=click.Path(path_type=Path, dir_okay=False),
    help="Write the output tables here: .xlsx, a sheet each, or .csv.",
)
@click.option("--junit", "junit_file", type=click.Path(path_type=Path, dir_okay=False), help="Write JUnit XML here.")
@click.option(
    "--baseline",
    type=click.Path(path_type=Path, dir_okay=False),
    help="A JSON report: what `same as last pass` compares with.",
)
@click.option("--quiet", is_flag=True, help="Only what did not pass.")
def run(
    paths: tuple[Path, ...],
    environment: str,
    assignments: tuple[str, ...],
    rows_file: Path | None,
    pick: str,
    only: str,
    tags: tuple[str, ...],
    seed: int | None,
    jobs: int,
    label: str,
    allow: tuple[str, ...],
    json_file: Path | None,
    junit_file: Path | None,
    table_file: Path | None,
    baseline: Path | None,
    quiet: bool,
) -> None:
    """Run case files, suites or a whole project."""
    signal.signal(signal.SIGINT, lambda *_: sys.exit(STOPPED))  # until the run takes over: nothing was sent yet
    found = _load(paths)
    measures = _measures(baseline) if baseline is not None else None
    plan = _plan(found, environment, _values(assignments), only, tags, seed, jobs, measures)
    plan = _with_rows(plan, found.root, rows_file, pick)
    _guard(plan, "changes" in allow)
    if table_file is not None and table_file.suffix.lower() not in (".xlsx", ".csv"):
        raise NotUnderstood(f"--table: the file ends in .xlsx or .csv; found {table_file.name!r}")
    for file in (json_file, junit_file, table_file):
        if file is not None and not file.resolve().parent.is_dir():
            raise NotUnderstood(f"{file}: there is no folder {file.resolve().parent}")
    sys.exit(_execute(plan, json_file, junit_file, table_file, quiet, allow, label))


def _with_rows(plan: Plan, root: Path, rows_file: Path | None, pick: str) -> Plan:
    """The plan with what reads rows; those of another file, and those that are meant. Raises NotUnderstood."""
    from dataclasses import replace

    from saltpath.core.grammar import Unreadable
    from saltpath.core.tables.picking import read_picks
    from saltpath.core.tables.sources import FileRows
    from saltpath.formats.project_files import file_opener
    from saltpath.formats.rows import rows_reader

    try:
        read_picks(pick)
    except Unreadable as problem:
        raise NotUnderstood(f"--pick: {problem}") from None
    cases = plan.cases
    if rows_file is not None or pick:
        if not any(planned.case.rows for planned in cases):
            raise NotUnderstood("none of these cases has rows")
        cases = tuple(replace(planned, pick=pick) if planned.case.rows else planned for planned in cases)
    opened = file_opener(root)
    if rows_file is not None:
        name, given = str(rows_file), rows_file
        cases = tuple(
            replace(
                planned,
                source=replace(planned.source, file=name, pick="")
                if isinstance(planned.source, FileRows)
                else FileRows(name),
                no_source=None,
            )
            if planned.case.rows
            else planned
            for planned in cases
        )
        return replace(
            plan, cases=cases, read_rows=rows_reader(lambda path: given.open("rb") if path == name else opened(path))
        )
    return replace(plan, cases=cases, read_rows=rows_reader(opened))


def _guard(plan: Plan, allowed: bool) -> None:
    """Steps that may change a guarded environment are asked about, where there is someone to ask. Raises NotUnderstood if they may not."""
    from saltpath.core.measures import counted
    from saltpath.core.steps import changing, where_to
    from saltpath.formats.terminal import printable

    steps = [step for planned in plan.cases for _, _, top in planned.case.parts() for step in changing([top])]
    if allowed or plan.environment is None or not plan.environment.guarded or not steps:
        return
    name = plan.environment.name
    told = "".join(f"\n  {where_to(step)}  ({step.name})" for step in steps[:20])
    question = printable(
        f"{name} is guarded, and {counted(len(steps), 'step')} may change something there:{told}\nRun them?"
    )
    if sys.stdin.isatty() and click.confirm(question):
        return
    raise NotUnderstood(f"{question.removesuffix('Run them?')}Say --allow changes to run them; nothing was sent.")


def _load(paths: tuple[Path, ...]) -> ProjectFiles:
    from saltpath.core.format.source import FormatError
    from saltpath.formats.project_files import load

    try:
        return load(paths)
    except FormatError as problem:
        raise NotUnderstood("\n".join(map(str, problem.problems))) from None


def _values(assignments: tuple[str, ...]) -> dict[str, str]:
    from saltpath.core.references import is_name

    values: dict[str, str] = {}
    for assignment in assignments:
        name, equals, value = assignment.partition("=")
        if not equals or not is_name(name):
            raise NotUnderstood(f"--set takes NAME=VALUE; found {assignment!r}")
        values[name] = value
    return values


def _secrets() -> dict[str, str]:
    """Secret values from the environment, by name; letters of either case fit."""
    return {name[len(SECRET_PREFIX) :]: value for name, value in os.environ.items() if name.startswith(SECRET_PREFIX)}


def _plan(
    found: ProjectFiles,
    environment: str,
    values: dict[str, str],
    only: str,
    tags: tuple[str, ...],
    seed: int | None,
    jobs: int,
    measures: dict[str, dict[str, Any]] | None,
) -> Plan:
    from saltpath.core.format.source import FormatError
    from saltpath.core.plan import Plan, planned
    from saltpath.engine.run import utc_us
    from saltpath.formats.project_files import file_reader

    try:
        chosen = found.environment(environment)
    except FormatError as problem:
        raise NotUnderstood(str(problem)) from None
    cases = [
        planned(case.case, found.suites.get(case.folder), case.file, found.project, found.shared, measures=measures)
        for case in found.cases
        if only.lower() in case.case.name.lower() and set(tags) <= set(case.case.tags)
    ]
    if not cases:
        raise NotUnderstood("no case matches: " + (f"of {len(found.cases)} read" if found.cases else "none was found"))
    given = _secrets()
    names = {name for c in cases for name in _secret_names(found, c.case.values.secret)}
    filled = {name: given[key] for name in names for key in (name, name.upper()) if key in given}
    seed = secrets.randbelow(1_000_000) if seed is None else seed
    return Plan(
        tuple(cases), found.project, chosen, seed, 0, values, filled, jobs, utc_us(), file_reader(found.root), root=found.root
    )  # fmt: skip


def _measures(report: Path) -> dict[str, dict[str, Any]]:
    """What the checks of an earlier run saw in the steps that passed, by step key and the check's sentence."""
    from saltpath.core import plain

    try:
        cases = plain.read_json(report.read_bytes())["cases"]
        steps = [step for case in cases for row in case["rows"] for step in row["steps"]]
        steps += [step for case in cases for part in ("once", "at the end") for step in case[part]]
        for step in steps:  # grows by those inside others
            steps += step.get("steps", ())
        passed = [step for step in steps if step["verdict"] == "passed"]
        return {step["key"]: {check["check"]: check["actual"] for check in step["checks"]} for step in passed}
    except (OSError, ValueError, KeyError, TypeError):
        raise NotUnderstood(f"{report}: this is not a JSON report of Salt Path") from None


def _secret_names(found: ProjectFiles, own: frozenset[str]) -> set[str]:
    everywhere = [found.project.values, *(e.values for e in found.environments.values())]
    everywhere += [values for s in found.suites.values() for values in (s.values, *s.values_in.values())]
    return set(own).union(*(values.secret for values in everywhere))


def _execute(
    plan: Plan,
    json_file: Path | None,
    junit_file: Path | None,
    table_file: Path | None,
    quiet: bool,
    allow: tuple[str, ...],
    label: str,
) -> int:
    from dataclasses import replace

    from saltpath.engine.loop import run_in_loop
    from saltpath.engine.run import run_plan
    from saltpath.engine.stop import Stop
    from saltpath.formats.results import CaseResult, Results
    from saltpath.formats.terminal import Terminal, both
    from saltpath.store.collected import OutputTables

    results = Results([CaseResult(planned) for planned in plan.cases], label=label, keep=bool(json_file or junit_file))
    terminal = Terminal(plan, quiet=quiet)
    tables = OutputTables()
    plan = replace(plan, read_output=tables.read)

    async def walk(selector: object) -> str:
        import asyncio

        stop = Stop()
        loop = asyncio.get_running_loop()
        for number in (signal.SIGINT, signal.SIGTERM):
            loop.add_signal_handler(number, stop.request, "a signal")
        return await run_plan(plan, selector, both(results.take, terminal.take, tables.take), stop)  # type: ignore[arg-type]

    verdict = run_in_loop(walk)
    if json_file is not None:
        from saltpath.formats import json_report

        json_file.write_bytes(json_report.write(results))
    if junit_file is not None:
        from saltpath.formats import junit

        junit_file.write_bytes(junit.write(results))
    if table_file is not None:
        from saltpath.formats.output_tables import save_tables

        for file in save_tables([(name, list(tables.rows(name))) for name in tables.names], table_file):
            click.echo(f"wrote {file}")
    tables.close()
    terminal.finish(results)
    if results.stopped_by:
        return STOPPED
    return 0 if verdict == "passed" or (verdict == "unchecked" and "unchecked" in allow) else 1


@main.command()
@click.argument("paths", nargs=-1, required=True, type=click.Path(path_type=Path))
def check(paths: tuple[Path, ...]) -> None:
    """Report what is wrong with cases, without sending anything."""
    from dataclasses import replace

    from saltpath.core.inspect import inspect, surroundings
    from saltpath.core.measures import counted
    from saltpath.core.shared import linked

    found = _load(paths)
    environments = [environment.values for environment in found.environments.values()]
    number = 0
    for case in found.cases:
        suite = found.suites.get(case.folder)
        around = surroundings((), suite, found.project.values, environments)
        columns, findings = _columns(found, case.case)
        around = replace(around, databases=frozenset(found.project.databases))
        number += _told(
            case.file, findings + inspect(linked(case.case, found.shared), replace(around, columns=columns))
        )
    for name, shared in found.shared.items():
        around = surroundings((), None, found.project.values, environments)
        around = replace(around, suite=frozenset(n for s in found.suites.values() for n in s.values.values))
        number += _told(found.shared_files[name], inspect(linked(shared, found.shared, (name,)), around))
    click.echo(f"{counted(number, 'finding') if number else 'no findings'} in {counted(len(found.cases), 'case')}")
    sys.exit(1 if number else 0)


def _columns(found: ProjectFiles, case: Case) -> tuple[frozenset[str] | None, list[Finding]]:
    """The columns of the file that a case's rows come from, and what is wrong with where they come from."""
    from saltpath.core.grammar import Unreadable
    from saltpath.core.inspect import Finding
    from saltpath.core.tables.sources import FileRows
    from saltpath.core.why import Blocked, Why, why
    from saltpath.formats.project_files import file_opener
    from saltpath.formats.rows import read_table

    source = found.project.source_of(case.rows) if case.rows else None
    if isinstance(source, Why):
        return None, [Finding("error", source, case.place)]
    if not isinstance(source, FileRows):
        return None, []
    try:
        with file_opener(found.root)(source.file) as file:
            return frozenset(read_table(file, source).names), []
    except (Blocked, Unreadable) as problem:
        reason = why("source-unreadable", source=source.file, problem=str(problem))
        return None, [Finding("error", reason, case.place)]


def _told(file: str, findings: list[Finding]) -> int:
    """Print what was found in a file; how many."""
    from saltpath.formats.terminal import printable

    for finding in findings:
        step = f"{finding.step}: " if finding.step else ""
        click.echo(printable(f"{file}:{finding.place.line}: {step}{finding.sentence}"))
    return len(findings)


@main.command()
@click.option("--data", type=click.Path(path_type=Path, file_okay=False), default=Path("saltpath-data"), show_default=True,
              help="The folder that holds everything.")  # fmt: skip
@click.option("--host", default="127.0.0.1", show_default=True, help="The address to listen on.")
@click.option("--port", type=click.IntRange(0, 65535), default=8420, show_default=True)
@click.option(
    "--runners", type=click.IntRange(1, 64), default=None, help="How many runners; as many as cores if not given."
)
def serve(data: Path, host: str, port: int, runners: int | None) -> None:
    """Start the application: web server, runners and writer, supervised."""
    from saltpath.runner.supervisor import Settings, supervise

    sys.exit(supervise(Settings(data, host, port, runners or min(os.cpu_count() or 1, 4))))


@main.command()
@click.option("--data", type=click.Path(path_type=Path, file_okay=False), default=Path("saltpath-data/demo"), show_default=True,
              help="The folder that holds everything.")  # fmt: skip
@click.option("--port", type=click.IntRange(0, 65535), default=8420, show_default=True)
@click.option("--harbour-port", type=click.IntRange(0, 65535), default=8421, show_default=True)
def demo(data: Path, port: int, harbour_port: int) -> None:
    """Start the application with Fernholm Harbour and a project that tests it."""
    from saltpath.demo.start import start

    sys.exit(start(data, port, harbour_port))


_DATA = click.option("--data", type=click.Path(path_type=Path, file_okay=False), default=Path("saltpath-data"), show_default=True,
                     help="The application's folder.")  # fmt: skip


@main.command(name="export")
@click.argument("project")
@click.argument("folder", type=click.Path(path_type=Path, file_okay=False))
@_DATA
def export_project(project: str, folder: Path, data: Path) -> None:
    """Write a project of the application as a folder of files. Secrets are left out."""
    from saltpath.core.format.folder import write_folder
    from saltpath.formats.folders import write_disk
    from saltpath.store import folders, projects

    connection = _store(data)
    found = next((item for item in projects.projects(connection) if project in (item.name, item.oid)), None)
    if found is None:
        known = ", ".join(item.name for item in projects.projects(connection)) or "none"
        raise NotUnderstood(f"there is no project {project!r}; there are: {known}")
    files = write_folder(folders.folder_of(connection, found))
    changed = write_disk(folder, files)
    click.echo(f"{len(files)} files in {folder}, {changed} of them new or changed")


@main.command(name="import")
@click.argument("folder", type=click.Path(path_type=Path, file_okay=False))
@click.option("--as-new", is_flag=True, help="As a new project, even if there is one of this name.")
@_DATA
def import_project(folder: Path, as_new: bool, data: Path) -> None:
    """Bring a folder of files into the application: onto the project of its name, or as a new one."""
    from saltpath.core.format.folder import read_folder
    from saltpath.core.format.source import FormatError
    from saltpath.formats.folders import read_disk
    from saltpath.store import folders, people, projects

    try:
        found = read_folder(read_disk(folder))
    except FormatError as problem:
        raise NotUnderstood("\n".join(map(str, problem.problems))) from None
    connection = _store(data, make=True)
    name = found.project.document["project"]
    same = [] if as_new else [item for item in projects.projects(connection) if item.name == name]
    done = folders.bring_in(connection, people.local_owner(connection).id, found, same[0] if same else None)
    click.echo(f"{name}: {done.new} new cases, {done.changed} changed, {done.same} as they were")


@main.command()
@click.argument("archive", type=click.Path(path_type=Path, dir_okay=False))
@click.option(
    "--with-key",
    is_flag=True,
    help="The key that secrets are sealed under, too; keep such an archive as you keep the key.",
)
@_DATA
def backup(archive: Path, with_key: bool, data: Path) -> None:
    """Write everything into one archive (zip), also while the application runs. To restore, unpack it into an empty folder."""
    from saltpath.core.measures import show_size
    from saltpath.store.backup import back_up
    from saltpath.store.database import StoreError

    _store(data)
    try:
        size = back_up(data, archive, with_key)
    except StoreError as problem:
        raise NotUnderstood(str(problem)) from None
    key = "with the key" if with_key else "without the key: secrets in it can be read only where the key is"
    click.echo(f"{archive}, {show_size(size)}, {key}")


@main.command(name="change-key")
@_DATA
def change_key(data: Path) -> None:
    """Seal every secret anew under a new key; the old one opens nothing any more."""
    from saltpath.core.measures import counted
    from saltpath.store import secrets as sealed
    from saltpath.store.database import StoreError

    try:
        number = sealed.change_key(_store(data), data)
    except StoreError as problem:
        raise NotUnderstood(str(problem)) from None
    click.echo(f"{counted(number, 'value')} sealed under a new key, in {data / sealed.KEY_FILE}")


def _store(data: Path, make: bool = False) -> Any:
    from saltpath.store.database import FILES, StoreError, connect, migrate

    if make:
        data.mkdir(parents=True, exist_ok=True)
    elif not (data / FILES["main"]).is_file():
        raise NotUnderstood(f"there is no application in {data}; name its folder with --data")
    try:
        migrate(data)
        return connect(data)
    except StoreError as problem:
        raise NotUnderstood(str(problem)) from None


@main.command()
@click.option("--port", type=click.IntRange(0, 65535), default=8421, show_default=True)
@click.option(
    "--database",
    type=click.Path(path_type=Path, dir_okay=False),
    help="Its SQLite file; a new one in the system's folder for such unless it is said.",
)
def harbour(port: int, database: Path | None) -> None:
    """Start Fernholm Harbour's service alone."""
    from saltpath.demo.harbour.server import Harbour

    service = Harbour(port=port, database=database)
    click.echo(f"Fernholm Harbour answers at {service.address}; its database is {service.database}")
    try:
        service.serve()
    except KeyboardInterrupt:
        sys.exit(STOPPED)


@main.command()
@click.argument("name", type=click.Choice(["case", "shared", "project", "environment", "suite", "report"]))
def schema(name: str) -> None:
    """Print the JSON Schema of a kind of file."""
    from importlib.resources import files

    click.echo((files("saltpath") / "schemas" / f"{name}.schema.json").read_text(encoding="utf-8"), nl=False)


if __name__ == "__main__":
    main()
