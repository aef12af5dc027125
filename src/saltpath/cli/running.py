"""`run`: cases from files, carried out, told in the terminal and in reports."""

from __future__ import annotations

import gc
import os
import secrets
import signal
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from saltpath.cli.calls import STOPPED, NotUnderstood, load_files

if TYPE_CHECKING:
    from collections.abc import Callable

    from saltpath.core.running.compiled import CompiledPlan
    from saltpath.core.running.supplies import Supplies
    from saltpath.formats.project_files import ProjectFiles
    from saltpath.formats.results import Results
    from saltpath.store.collected import OutputTables

SECRET_PREFIX = "SALTPATH_VALUE_"
_FILE = click.Path(path_type=Path, dir_okay=False)


@click.command()
@click.argument("paths", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--env", "environment", default="", help="Run against this environment.")
@click.option(
    "--set",
    "assignments",
    multiple=True,
    metavar="NAME=VALUE",
    help="Give a value for this run, as text.",
)
@click.option(
    "--rows",
    "rows_file",
    type=click.Path(path_type=Path, dir_okay=False, exists=True),
    help="A file whose rows stand in for those of the cases.",
)
@click.option(
    "--pick",
    default="",
    metavar="TEXT",
    help="Which rows: 1 to 20, every 10th, sample 50, where length above 90.",
)
@click.option("--only", default="", help="Only cases whose name holds this text.")
@click.option("--tag", "tags", multiple=True, help="Only cases with this tag; twice means both.")
@click.option("--seed", type=int, default=None, help="The seed of generated values.")
@click.option(
    "--jobs",
    type=click.IntRange(1, 256),
    default=1,
    help="How many cases or rows run side by side.",
)
@click.option("--label", default="", help="A word about this run, kept in its report.")
@click.option(
    "--allow",
    type=click.Choice(["unchecked", "changes"]),
    multiple=True,
    help="unchecked: do not count it against the run; changes: let steps change a guarded "
    "environment.",
)
@click.option("--json", "json_files", multiple=True, type=_FILE, help="Write the JSON report here.")
@click.option(
    "--table",
    "table_files",
    multiple=True,
    type=_FILE,
    help="Write the output tables here: .xlsx, a sheet each, or .csv; twice for both.",
)
@click.option("--junit", "junit_files", multiple=True, type=_FILE, help="Write JUnit XML here.")
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
    json_files: tuple[Path, ...],
    junit_files: tuple[Path, ...],
    table_files: tuple[Path, ...],
    baseline: Path | None,
    quiet: bool,
) -> None:
    """Run case files, suites or a whole project."""
    from saltpath.cli.supplies import FolderSupplies
    from saltpath.store.collected import OutputTables

    # until the run takes over: nothing was sent yet
    signal.signal(signal.SIGINT, lambda *_: sys.exit(STOPPED))
    gc.disable()  # what is loaded stays: looking for garbage in it is a twentieth of the time
    try:
        found = load_files(paths)
        measures = _measures(baseline) if baseline is not None else None
        plan = _plan(found, environment, _values(assignments), only, tags, seed, jobs, measures)
        plan = _with_rows(plan, rows_file, pick)
    finally:
        gc.enable()
    _guard(plan, "changes" in allow)
    for file in table_files:
        if file.suffix.lower() not in (".xlsx", ".csv"):
            raise NotUnderstood(f"--table: the file ends in .xlsx or .csv; found {file.name!r}")
    written = [*json_files, *junit_files, *table_files]
    for number, file in enumerate(written):
        if not file.resolve().parent.is_dir():
            raise NotUnderstood(f"{file}: there is no folder {file.resolve().parent}")
        if file.resolve() in [other.resolve() for other in written[:number]]:
            raise NotUnderstood(f"{file}: two reports would be written there")
    tables = OutputTables()
    supplies = FolderSupplies(found.root, rows_file, tables.read)
    sys.exit(
        _execute(plan, supplies, tables, json_files, junit_files, table_files, quiet, allow, label)
    )


def _with_rows(plan: CompiledPlan, rows_file: Path | None, pick: str) -> CompiledPlan:
    """The plan with the rows of another file, and those that are meant. Raises NotUnderstood."""
    from msgspec.structs import replace

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
        if not any(planned.case.rows for planned in cases):
            raise NotUnderstood("none of these cases has rows")
        cases = tuple(
            replace(planned, pick=pick) if planned.case.rows else planned for planned in cases
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
            if planned.case.rows
            else planned
            for planned in cases
        )
    return replace(plan, cases=cases)


def _guard(plan: CompiledPlan, allowed: bool) -> None:
    """Steps that may change a guarded environment are asked about, where there is someone to ask.
    Raises NotUnderstood if they may not."""
    from saltpath.core.cases.steps import changing
    from saltpath.core.values.measures import counted
    from saltpath.formats.terminal import printable

    steps = [
        step
        for planned in plan.cases
        for _, _, top in planned.case.parts()
        for step in changing([top])
    ]
    if allowed or plan.environment is None or not plan.environment.guarded or not steps:
        return
    name = plan.environment.name
    told = "".join(f"\n  {step.where_to()}  ({step.name})" for step in steps[:20])
    question = printable(
        f"{name} is guarded, and {counted(len(steps), 'step')} may change something there:{told}\n"
        "Run them?"
    )
    if sys.stdin.isatty() and click.confirm(question):
        return
    raise NotUnderstood(
        f"{question.removesuffix('Run them?')}Say --allow changes to run them; nothing was sent."
    )


def _values(assignments: tuple[str, ...]) -> dict[str, str]:
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


def _plan(
    found: ProjectFiles,
    environment: str,
    values: dict[str, str],
    only: str,
    tags: tuple[str, ...],
    seed: int | None,
    jobs: int,
    measures: dict[str, dict[str, Any]] | None,
) -> CompiledPlan:
    from saltpath.core.format.nodes import FormatError
    from saltpath.core.running.compiled import CompiledPlan, compiled
    from saltpath.core.values.measures import counted
    from saltpath.core.values.nearest import listed
    from saltpath.engine.run import utc_us

    try:
        chosen = found.environment(environment)
    except FormatError as problem:
        raise NotUnderstood(str(problem)) from None
    cases = [
        compiled(
            case.case,
            found.suites.get(case.folder),
            case.file,
            found.project,
            found.shared,
            measures=measures,
        )
        for case in found.cases
        if only.lower() in case.case.name.lower() and set(tags) <= set(case.case.tags)
    ]
    if not cases:
        asked = [f"its name holds {only!r}"] * bool(only) + [
            f"it has the tag {tag}" for tag in tags
        ]
        if not found.cases:
            raise NotUnderstood("no case was found")
        raise NotUnderstood(
            f"of {counted(len(found.cases), 'case')} none is such that {listed(asked)}"
        )
    given = _secrets()
    names = {name for c in cases for name in _secret_names(found, c.case.values.secret)}
    filled = {name: given[key] for name in names for key in (name, name.upper()) if key in given}
    seed = secrets.randbelow(1_000_000) if seed is None else seed
    return CompiledPlan(
        tuple(cases),
        found.project,
        chosen,
        seed,
        0,
        values,
        filled,
        jobs,
        utc_us(),
    )


def _measures(report: Path) -> dict[str, dict[str, Any]]:
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


def _secret_names(found: ProjectFiles, own: frozenset[str]) -> set[str]:
    everywhere = [found.project.values, *(e.values for e in found.environments.values())]
    everywhere += [
        values for s in found.suites.values() for values in (s.values, *s.values_in.values())
    ]
    return set(own).union(*(values.secret for values in everywhere))


def _execute(
    plan: CompiledPlan,
    supplies: Supplies,
    tables: OutputTables,
    json_files: tuple[Path, ...],
    junit_files: tuple[Path, ...],
    table_files: tuple[Path, ...],
    quiet: bool,
    allow: tuple[str, ...],
    label: str,
) -> int:
    from saltpath.engine.loop import run_in_loop
    from saltpath.engine.run import run_plan
    from saltpath.engine.stop import Stop
    from saltpath.formats.results import CaseResult, Results
    from saltpath.formats.terminal import Terminal, both, printable

    results = Results(
        [CaseResult(planned) for planned in plan.cases],
        label=label,
        keep=bool(json_files or junit_files),
    )
    terminal = Terminal(plan, quiet=quiet)

    async def walk(selector: Any) -> str:
        import asyncio

        stop = Stop()
        loop = asyncio.get_running_loop()
        for number in (signal.SIGINT, signal.SIGTERM):
            loop.add_signal_handler(number, stop.request, "a signal")
        take = both(results.take, terminal.take, tables.take)
        return await run_plan(plan, selector, take, stop, supplies=supplies)

    verdict = run_in_loop(walk)
    unwritten = _write_reports(results, tables, json_files, junit_files, table_files)
    tables.close()
    terminal.finish(results)
    for sentence in unwritten:
        click.echo(printable(sentence), err=True)
    if results.stopped_by:
        return STOPPED
    if unwritten:
        return 1
    return 0 if verdict == "passed" or (verdict == "unchecked" and "unchecked" in allow) else 1


def _write_reports(
    results: Results,
    tables: OutputTables,
    json_files: tuple[Path, ...],
    junit_files: tuple[Path, ...],
    table_files: tuple[Path, ...],
) -> list[str]:
    """Write what was asked for; a sentence for each file that could not be written. The run has
    happened, so the others still are."""
    unwritten = []

    def attempt(files: tuple[Path, ...], write: Callable[[Path], object]) -> None:
        for file in files:
            try:
                write(file)
            except OSError as problem:
                unwritten.append(f"{file} could not be written: {problem.strerror or problem}")

    if json_files:
        from saltpath.formats import json_report

        report = json_report.write(results)
        attempt(json_files, lambda file: file.write_bytes(report))
    if junit_files:
        from saltpath.formats import junit

        document = junit.write(results)
        attempt(junit_files, lambda file: file.write_bytes(document))
    if table_files:
        from saltpath.formats.output_tables import save_tables

        rows = [(name, list(tables.rows(name))) for name in tables.names]
        attempt(
            table_files,
            lambda file: click.echo(
                "".join(f"wrote {one}\n" for one in save_tables(rows, file)), nl=False
            ),
        )
    return unwritten
