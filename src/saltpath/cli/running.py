"""`run`: cases from files, carried out, told in the terminal and in reports."""

from __future__ import annotations

import gc
import signal
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click
from msgspec import Struct
from msgspec.structs import replace

from saltpath.cli.calls import STOPPED, NotUnderstood, load_files, writable, write_pieces
from saltpath.cli.planning import measures_of, plan_of, values_of, with_rows

if TYPE_CHECKING:
    from collections.abc import Callable

    from saltpath.core.running.compiled import CompiledPlan
    from saltpath.core.running.supplies import Supplies
    from saltpath.formats.reports.results import Results
    from saltpath.store.collected import OutputTables

REPORTS = ("json", "junit", "html", "har", "xlsx", "markdown")
"""The forms in which a report can be written; each has an option."""
_FILE = click.Path(path_type=Path, dir_okay=False)


class Options(Struct, frozen=True):
    """What was said to `run`; the options below say what each is."""

    paths: tuple[Path, ...]
    server: str | None
    key: str
    project: str
    environments: tuple[str, ...]
    assignments: tuple[str, ...]
    rows_file: Path | None
    pick: str
    only: str
    tags: tuple[str, ...]
    seed: int | None
    jobs: int
    wait_until_up: str
    up_at: str
    stop_after: int
    label: str
    allow: tuple[str, ...]
    json_files: tuple[Path, ...]
    junit_files: tuple[Path, ...]
    html_files: tuple[Path, ...]
    har_files: tuple[Path, ...]
    xlsx_files: tuple[Path, ...]
    markdown_files: tuple[Path, ...]
    table_files: tuple[Path, ...]
    baseline: Path | None
    quiet: bool


@click.command()
@click.argument("paths", nargs=-1, type=click.Path(path_type=Path))
@click.option(
    "--server",
    metavar="URL",
    help="Run there: PATHS are then those of the project as an export of it has them.",
)
@click.option(
    "--key",
    default="",
    envvar="SALTPATH_KEY",
    help="With --server: a key that lets in there; better given as the variable SALTPATH_KEY, since"
    " others on this machine see what a command is called with.",
)
@click.option("--project", default="", help="With --server: the project's name, or its identity.")
@click.option(
    "--env",
    "environments",
    multiple=True,
    help="Run against this environment; several times: against each, side by side.",
)
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
@click.option(
    "--wait-until-up",
    default="",
    metavar="DURATION",
    help="First wait until the services answer, at most so long, such as 2 min.",
)
@click.option(
    "--up-at",
    default="",
    metavar="ADDRESS",
    help="Wait until this address answers well, such as [=harbour]/health.",
)
@click.option(
    "--stop-after",
    type=click.IntRange(0),
    default=0,
    metavar="N",
    help="Stop once so many cases have failed or were blocked.",
)
@click.option("--label", default="", help="A word about this run, kept in its report.")
@click.option(
    "--allow",
    type=click.Choice(["unchecked", "changes", "known"]),
    multiple=True,
    help="unchecked, or known (with --server): do not count it against the run; changes: let steps "
    "change a guarded environment.",
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
    "--html",
    "html_files",
    multiple=True,
    type=_FILE,
    help="Write a report for people here: one file, which needs nothing else.",
)
@click.option(
    "--har", "har_files", multiple=True, type=_FILE, help="Write every exchange here, as HAR 1.2."
)
@click.option("--xlsx", "xlsx_files", multiple=True, type=_FILE, help="Write a workbook here.")
@click.option(
    "--markdown", "markdown_files", multiple=True, type=_FILE, help="Write a summary here."
)
@click.option(
    "--baseline",
    type=click.Path(path_type=Path, dir_okay=False),
    help="A JSON report: what `same as last pass` compares with.",
)
@click.option("--quiet", is_flag=True, help="Only what did not pass.")
def run(**given: Any) -> None:
    """Run case files, suites or a whole project; here, or at a server."""
    options = Options(**given)
    reports = [(form, file) for form in REPORTS for file in getattr(options, f"{form}_files")]
    writable([*(file for _, file in reports), *options.table_files])
    if options.server is not None:
        sys.exit(_run_there(options, options.server, reports))
    sys.exit(_run_here(options, reports))


def _run_there(options: Options, server: str, reports: list[tuple[str, Path]]) -> int:
    from saltpath.cli.remote import Asked, run_there

    for name in ("rows", "table", "baseline"):
        if getattr(options, {"rows": "rows_file", "table": "table_files"}.get(name, name)):
            raise NotUnderstood(f"--{name} is about files here; it cannot go with --server")
    asked = Asked(
        options.project,
        [path.as_posix() for path in options.paths],
        list(options.environments),
        values_of(options.assignments),
        options.pick,
        options.only,
        list(options.tags),
        options.seed,
        options.jobs,
        _wait_us(options),
        options.up_at,
        options.stop_after,
        options.label,
        list(options.allow),
    )
    return run_there(server, options.key, asked, reports, options.quiet)


def _run_here(options: Options, reports: list[tuple[str, Path]]) -> int:
    if not options.paths:
        raise click.UsageError("Name files or folders, or a --server.")
    if "known" in options.allow:
        raise NotUnderstood("--allow known goes with --server: what is known is kept there")
    from saltpath.cli.supplies import FolderSupplies
    from saltpath.store.collected import OutputTables

    # until the run takes over: nothing was sent yet
    signal.signal(signal.SIGINT, lambda *_: sys.exit(STOPPED))
    gc.disable()  # what is loaded stays: looking for garbage in it is a twentieth of the time
    try:
        found = load_files(options.paths)
        measures = measures_of(options.baseline) if options.baseline is not None else None
        plan = plan_of(
            found,
            options.environments,
            values_of(options.assignments),
            options.only,
            options.tags,
            options.seed,
            options.jobs,
            measures,
        )
        plan = with_rows(plan, options.rows_file, options.pick)
        plan = replace(
            plan, wait_us=_wait_us(options), up_at=options.up_at, stop_after=options.stop_after
        )
    finally:
        gc.enable()
    _guard(plan, "changes" in options.allow)
    for file in options.table_files:
        if file.suffix.lower() not in (".xlsx", ".csv"):
            raise NotUnderstood(f"--table: the file ends in .xlsx or .csv; found {file.name!r}")
    tables = OutputTables([plan.destination(planned).name for planned in plan.cases])
    supplies = FolderSupplies(found.root, options.rows_file, tables.read)
    return _execute(plan, supplies, tables, reports, options)


def _wait_us(options: Options) -> int:
    from saltpath.core.references.templates import read_template
    from saltpath.core.values.grammar import Unreadable
    from saltpath.core.values.measures import duration

    if options.up_at and not options.wait_until_up:
        raise NotUnderstood("--up-at goes with --wait-until-up, which says how long at most")
    try:
        wait_us = duration(options.wait_until_up) if options.wait_until_up else 0
    except Unreadable as problem:
        raise NotUnderstood(f"--wait-until-up: {problem}") from None
    try:
        read_template(options.up_at)
    except Unreadable as problem:
        raise NotUnderstood(f"--up-at: {problem}") from None
    return wait_us


def _guard(plan: CompiledPlan, allowed: bool) -> None:
    """Steps that may change a guarded environment are asked about, where there is someone to ask.
    Raises NotUnderstood if they may not."""
    from saltpath.core.cases.steps import changing
    from saltpath.core.values.measures import counted
    from saltpath.core.values.nearest import listed
    from saltpath.formats.terminal import printable

    guarded = {to.name for to in plan.destinations if to.environment and to.environment.guarded}
    steps = [
        step
        for planned in plan.cases
        if plan.destination(planned).name in guarded
        for _, _, top in planned.case.parts()
        for step in changing([top])
    ]
    if allowed or not steps:
        return
    name = listed(sorted(guarded))
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


def _execute(
    plan: CompiledPlan,
    supplies: Supplies,
    tables: OutputTables,
    reports: list[tuple[str, Path]],
    options: Options,
) -> int:
    from saltpath.core.running.run_sentences import stopped_itself
    from saltpath.engine.loop import run_in_loop
    from saltpath.engine.run import run_plan
    from saltpath.engine.stop import Stop
    from saltpath.formats.reports.results import CaseResult, Results
    from saltpath.formats.terminal import Terminal, both, printable

    results = Results(
        [CaseResult(planned) for planned in plan.cases],
        label=options.label,
        destinations=plan.destinations,
        keep=bool(reports),
    )
    terminal = Terminal(plan, quiet=options.quiet)

    async def walk(selector: Any) -> str:
        import asyncio

        stop = Stop()
        loop = asyncio.get_running_loop()
        for number in (signal.SIGINT, signal.SIGTERM):
            loop.add_signal_handler(number, stop.request, "a signal")
        take = both(results.take, terminal.take, tables.take)
        return await run_plan(plan, selector, take, stop, supplies=supplies)

    verdict = run_in_loop(walk)
    unwritten = _write_reports(results, tables, reports, options.table_files)
    tables.close()
    terminal.finish(results)
    for sentence in unwritten:
        click.echo(printable(sentence), err=True)
    if results.stopped_by and not stopped_itself(results.stopped_by):
        return STOPPED
    if unwritten:
        return 1
    return (
        0 if verdict == "passed" or (verdict == "unchecked" and "unchecked" in options.allow) else 1
    )


def _write_reports(
    results: Results,
    tables: OutputTables,
    reports: list[tuple[str, Path]],
    table_files: tuple[Path, ...],
) -> list[str]:
    """Write what was asked for; a sentence for each file that could not be written. The run has
    happened, so the others still are."""
    unwritten = []

    def attempt(file: Path, write: Callable[[], object]) -> None:
        try:
            write()
        except OSError as problem:
            unwritten.append(f"{file} could not be written: {problem.strerror or problem}")

    if reports:
        from saltpath.formats.reports import FORMS

        report = results.report()
        for form, file in reports:
            attempt(file, lambda: write_pieces(file, FORMS[form].write(report)))  # noqa: B023
    if table_files:
        from saltpath.formats.output_tables import save_tables

        rows = [(name, list(tables.rows(name))) for name in tables.names]
        for file in table_files:
            attempt(file, lambda: _told(save_tables(rows, file)))  # noqa: B023
    return unwritten


def _told(files: list[Path]) -> None:
    click.echo("".join(f"wrote {one}\n" for one in files), nl=False)
