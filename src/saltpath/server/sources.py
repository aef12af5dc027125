"""Where the rows of stored cases come from: their columns, and the first of them. Files are read as
far as that needs, and what they gave is remembered by their version; what a runner saw in a
database, by its look."""

from __future__ import annotations

import hashlib
import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterator
from itertools import islice
from typing import Any

from msgspec import Struct, field

from saltpath.core.cases.case import Project
from saltpath.core.cases.row_sources import (
    DatabaseRows,
    FileRows,
    OutputRows,
    Row,
    Source,
)
from saltpath.core.format.row_kinds import BY_KIND, Given
from saltpath.core.references.scopes import Scopes
from saltpath.core.running.outputs import columns_of
from saltpath.core.running.supplies import Supplies
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.why import Blocked, Why, why
from saltpath.server.compiled import project_of
from saltpath.server.context import confined, database
from saltpath.server.sandbox import NotNow
from saltpath.store import evidence, output_rows, probes, project_files, projects, runs

FEW = 5
MOST = 256
_lock = threading.Lock()
_known: OrderedDict[Hashable, Begin] = OrderedDict()
Held = tuple[list[str], list[Row]]
"""Columns, and rows."""
Look = tuple[int, int, str]
"""Where a runner's look into a database is kept: its run, its place there, its step's key."""


class Begin(Struct, frozen=True):
    """How a source begins: its columns (None: not known before it runs), its first rows, or why it
    cannot be read."""

    names: list[str] | None = None
    rows: list[Row] = field(default_factory=list)
    problem: str = ""


def source_of(project: int, rows: Source | None, of: Project | None = None) -> Source | Why | None:
    """Where a case's rows come from, or why that is not known; None of a case without rows."""
    if rows is None or rows.kind != "named":
        return rows
    of = of or project_of(projects.project_by_id(database(), project))
    return of.source_of(rows)


def begin_of(project: int, source: Source | Why | None, scopes: Scopes | None = None) -> Begin:
    """How a source begins. What is made needs the scopes that it is made in; without them only its
    columns are told."""
    if source is None:
        return Begin([])
    if isinstance(source, Why):
        return Begin(problem=source.sentence)
    if source.kind in _KEPT:
        return _KEPT[source.kind](project, source)
    names = source.columns_said()
    try:
        rows = list(islice(first_rows(source, scopes), FEW)) if scopes is not None else []
    except (Blocked, Unreadable) as problem:
        # what is not written down may be there when it runs
        return Begin(names, problem=str(problem) if names is not None else "")
    if names is None:
        return Begin(columns_of(row.values for row in rows), rows) if rows else Begin()
    return Begin(names, rows)


def first_rows(source: Source, scopes: Scopes) -> Iterator[Row]:
    """Rows for which nothing from outside is needed. Raises Blocked for others."""
    return BY_KIND[source.kind].rows(source, Given(scopes, Supplies(), lambda _: []))


def _of_output(project: int, source: OutputRows) -> Begin:
    """Where nothing was written, an earlier case of the same run may do so."""
    return Begin(*(_written(project, source, FEW) or ()))


def _of_database(project: int, source: DatabaseRows) -> Begin:
    """Nothing is told of rows that could not be read last: they may be there when it runs."""
    look = _newest_look(project, source)
    if look is None:
        return Begin()

    def found() -> Begin:
        try:
            return Begin(*_seen(look, source, FEW))
        except Blocked:
            return Begin()

    return _remembered(look, found)


def rows_elsewhere(project: int, source: Source, most: int) -> Held | None:
    """What a runner saw in a database when it last looked there, or what a run wrote last; None if
    none did. Raises Blocked: why it saw nothing."""
    if isinstance(source, OutputRows):
        return _written(project, source, most)
    if not isinstance(source, DatabaseRows):
        return None
    look = _newest_look(project, source)
    return _seen(look, source, most) if look is not None else None


def _written(project: int, source: OutputRows, most: int) -> Held | None:
    run = output_rows.newest_run(database(), database("evidence"), project, source.table)
    return (
        None
        if run is None
        else _held(output_rows.page(database("evidence"), run, source.table, 0, most))
    )


def look_of(source: DatabaseRows) -> str:
    """What a look for these rows is called."""
    asked = hashlib.sha256(repr(source.asked).encode()).hexdigest()
    return f"{source.database}: rows {asked[:12]}"


def _newest_look(project: int, source: DatabaseRows) -> Look | None:
    known = probes.of_name(database(), project, look_of(source))
    if known is None:
        return None
    key = known.document["steps"][0]["key"]
    # one may be under way
    for run, position in runs.last_runs_of_case(database(), project, known.id, 2):
        if runs.verdict_of_case(database(), run, position) is not None:
            return run, position, key
    return None


def _seen(look: Look, source: DatabaseRows, most: int) -> Held:
    for seen in evidence.steps_with_key(database("evidence"), *look):
        if seen.why is None:
            return _rows_in(seen.exchanges[-1].body, source, most)
        raise Blocked(seen.why)
    raise Blocked(
        why("source-unreadable", source=source.database, problem="the look into it was broken off")
    )


def _rows_in(body: bytes, source: DatabaseRows, most: int) -> Held:
    try:
        return _held(plain.read_json(body)[:most])
    except plain.NotPlain:
        withheld = "what came there may hold secrets, and was withheld"
        raise Blocked(why("source-unreadable", source=source.database, problem=withheld)) from None


def _held(rows: list[dict[str, Any]]) -> Held:
    return columns_of(rows), [Row(number, cells) for number, cells in enumerate(rows, 1)]


def _of_file(project: int, source: FileRows) -> Begin:
    file = project_files.current(database(), project, source.file)
    if file is None:
        return Begin(problem=f"the project has no file {source.file}")

    def found() -> Begin:
        try:
            return Begin(*confined("begin", project, source, FEW))
        except NotNow:
            raise
        except Unreadable as problem:
            return Begin(problem=str(problem))

    try:
        return _remembered((file.version, source), found)
    except NotNow as problem:
        return Begin(problem=str(problem))


def _remembered(name: Hashable, find: Callable[[], Begin]) -> Begin:
    with _lock:
        if name in _known:
            _known.move_to_end(name)
            return _known[name]
    found = find()
    with _lock:
        _known[name] = found
        while len(_known) > MOST:
            _known.popitem(last=False)
    return found


_KEPT: dict[str, Callable[[int, Any], Begin]] = {
    "file": _of_file,
    "output": _of_output,
    "database": _of_database,
    "named": lambda *_: Begin(),
}
"""What is kept of sources whose rows are read when a case runs; a name is known then."""
