"""Where the rows of stored cases come from: their columns, and the first of them. Files are read as far as that needs, and what they gave
is remembered by their version."""

from __future__ import annotations

import threading
from collections import OrderedDict
from dataclasses import dataclass, field
from itertools import islice
from typing import Any

from saltpath.core import plain
from saltpath.core.case import Case, LookUp, Project
from saltpath.core.format.project import read_project
from saltpath.core.grammar import Unreadable
from saltpath.core.outputs import columns_of
from saltpath.core.scopes import Scopes
from saltpath.core.tables.made import made_rows
from saltpath.core.tables.made import names_of as names_of_made
from saltpath.core.tables.sources import DatabaseRows, FileRows, ListRows, NamedRows, OutputRows, Row, Source
from saltpath.core.why import Blocked, Why
from saltpath.formats.rows import read_table
from saltpath.server.compiled import compiled
from saltpath.server.context import database
from saltpath.store import cases, evidence, looks, output_rows, project_files, projects, runs

FEW = 5
MOST_LOOKED_AT = 5_000
MOST = 256
_lock = threading.Lock()
_known: OrderedDict[tuple[int, FileRows], Begin] = OrderedDict()


@dataclass(frozen=True, slots=True)
class Begin:
    """How a source begins: its columns (None: not known before it runs), its first rows, or why it cannot be read."""

    names: list[str] | None = None
    rows: list[Row] = field(default_factory=list)
    problem: str = ""


def source_of(project: int, case: Case, of: Project | None = None) -> Source | Why | None:
    """Where a case's rows come from, or why that is not known; None of a case without rows."""
    if case.rows is None or not isinstance(case.rows, NamedRows):
        return case.rows
    of = of or read_project(projects.project_by_id(database(), project).document)
    return of.source_of(case.rows)


def begin_of(project: int, source: Source | Why | None, scopes: Scopes | None = None) -> Begin:
    """How a source begins. What is made needs the scopes that it is made in; without them only its columns are told."""
    if source is None:
        return Begin([])
    if isinstance(source, Why):
        return Begin(problem=source.sentence)
    if isinstance(source, FileRows):
        return _of_file(project, source)
    if isinstance(source, (DatabaseRows, OutputRows)):
        return _of_elsewhere(project, source)
    if isinstance(source, (ListRows, NamedRows)):
        return Begin()  # known when it runs
    try:
        rows = list(islice(made_rows(source, scopes), FEW)) if scopes is not None else []
        return Begin(names_of_made(source), rows)
    except (Blocked, Unreadable) as problem:
        return Begin(names_of_made(source), problem=str(problem))


def _of_elsewhere(project: int, source: DatabaseRows | OutputRows) -> Begin:
    try:
        found = rows_elsewhere(project, source, FEW)
    except Blocked:
        return Begin()  # it may be there when it runs
    return Begin(*found) if found is not None else Begin()


def rows_elsewhere(project: int, source: DatabaseRows | OutputRows, most: int) -> tuple[list[str], list[Row]] | None:
    """The columns and the first rows that a runner saw in a database when it last looked there, or that a run wrote last; None if none did.
    Raises Blocked: why it saw none."""
    rows = _seen_in_database(project, source) if isinstance(source, DatabaseRows) else _written(project, source, most)
    if rows is None:
        return None
    return columns_of(rows), [Row(number, cells) for number, cells in enumerate(rows[:most], 1)]


def _written(project: int, source: OutputRows, most: int) -> list[dict[str, Any]] | None:
    run = output_rows.newest_run(database(), database("evidence"), project, source.table)
    return None if run is None else output_rows.page(database("evidence"), run, source.table, 0, most)


def _seen_in_database(project: int, source: DatabaseRows) -> list[dict[str, Any]] | None:
    for known in cases.hidden_cases(database(), project, looks.KIND):
        [step] = compiled(known).steps
        if not isinstance(step, LookUp) or step.most <= MOST_LOOKED_AT:
            continue  # it was about the names of tables, or about a few rows
        if (step.database, step.asked) != (source.database, source.asked):
            continue
        for run, position in runs.last_runs_of_case(database(), project, known.id, 2):  # one may be under way
            for seen in evidence.steps_with_key(database("evidence"), run, position, step.key):
                if seen.why is not None:
                    raise Blocked(seen.why)
                return list(plain.read_json(seen.exchanges[-1].body))
    return None


def _of_file(project: int, source: FileRows) -> Begin:
    file = project_files.current(database(), project, source.file)
    if file is None:
        return Begin(problem=f"the project has no file {source.file}")
    name = (file.version, source)
    with _lock:
        if name in _known:
            _known.move_to_end(name)
            return _known[name]
    try:
        with project_files.opener(database(), project)(source.file) as opened:
            table = read_table(opened, source)
            found = Begin(table.names, list(islice(table.rows, FEW)))
    except (Blocked, Unreadable) as problem:
        found = Begin(problem=str(problem))
    with _lock:
        _known[name] = found
        while len(_known) > MOST:
            _known.popitem(last=False)
    return found
