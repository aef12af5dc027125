"""The rows that records make within a frame, each under its column's name."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import chain, islice
from typing import Any

from msgspec import Struct

from saltpath.core.cases.row_sources import MOST_NAME, Area, Column, FileRows, Row
from saltpath.core.tables.cells import BadCell, Unfit, fitted, problem_of
from saltpath.core.tables.finding import framed
from saltpath.core.tables.frame import (
    LOOKED_AT,
    Frame,
    Record,
    column_letters,
    extent,
    is_empty,
    span,
)
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.why import Why, why

MOST_COLUMNS = 1_000


def names_of(record: Record, first: int, last: int) -> list[str]:
    """A name for each column: what stands there in one line, else its letters; one that stands
    twice gets a number."""
    names: dict[str, None] = {}
    numbers: dict[str, int] = {}  # the last that a name got
    for at in range(first, last + 1):
        cell = record[at - 1] if at <= len(record) else None
        text = (
            column_letters(at)
            if is_empty(cell) or isinstance(cell, BadCell)
            else " ".join(str(cell).split())[:MOST_NAME]
        )
        name, number = text, numbers.get(text, 1)
        while name in names:
            number += 1
            name = f"{text} ({number})"
        numbers[text] = number
        names[name] = None
    return list(names)


class Table(Struct, frozen=True):
    """A table with its names found: `frame`, `names` in order, and its rows, which are read as they
    are asked for."""

    frame: Frame
    names: list[str]
    rows: Iterator[Row]


def table_of(
    records: Iterable[Record], source: FileRows, empty: Any = "", merged: Sequence[Area] = ()
) -> Table:
    """The rows of records by the source's frame, or by the one that is found. `empty`: what a cell
    is that is not there; `merged`: cells that are one. A row of which every cell is empty is none.
    Raises Unreadable where there is nothing at all."""
    reading = iter(records)
    first = list(
        islice(
            reading,
            max(LOOKED_AT, source.names_in or 0, source.data_in.row if source.data_in else 0),
        )
    )
    if not any(span(record) for record in first):
        raise Unreadable("nothing stands in it")
    frame = framed(first, source, merged)
    area, names_in = frame.area, frame.names
    widest = max(map(extent, first))
    last = area.last_column or max(widest, area.column)
    if last - area.column >= MOST_COLUMNS:
        raise Unreadable(f"it has more than {MOST_COLUMNS} columns")
    head = first[names_in - 1] if 0 < names_in <= len(first) else ()
    names = names_of(head, area.column, last)
    below = [record for record in first[area.row - 1 :] if span(record)]
    # then each cell that is written has a column
    even = not names_in and len(set(map(len, below))) == 1
    while (
        not area.last_column
        and not even
        and len(names) > 1
        and not _is_column(head, below, area.column + len(names) - 1)
    ):
        names.pop()
    return Table(
        frame,
        names,
        _rows(chain(first, reading), area, names, source, empty, bool(area.last_column)),
    )


def _is_column(head: Record, below: Sequence[Record], column: int) -> bool:
    """Whether there is a column: by its name, or since something stands there in half of the rows
    at least."""
    if column <= len(head) and not is_empty(head[column - 1]):
        return True
    filled = sum(column <= len(record) and not is_empty(record[column - 1]) for record in below)
    return filled * 2 > len(below)


def _rows(
    records: Iterable[Record], area: Area, names: list[str], source: FileRows, empty: Any, cut: bool
) -> Iterator[Row]:
    kinds = {column.name: column for column in source.columns}
    columns = [kinds.get(name, Column(name)) for name in names]
    first, last = area.column - 1, area.column - 1 + len(names)
    number = 0
    for at, record in enumerate(records, 1):
        if at < area.row:
            continue
        if area.last_row is not None and at > area.last_row:
            return
        cells = list(record[first:last])
        beyond = () if cut else record[last:]
        if all(map(is_empty, cells)) and all(map(is_empty, beyond)):
            continue
        number += 1
        cells += [empty] * (len(names) - len(cells))
        values, problem = _values(cells, columns, source.decimal, number)
        if problem is None and any(not is_empty(cell) for cell in beyond):
            problem = why("row-too-wide", line=at, actual=extent(record) - first, names=len(names))
        yield Row(number, values, problem)


def _values(
    cells: list[Any], columns: list[Column], decimal: str, number: int
) -> tuple[dict[str, Any], Why | None]:
    values: dict[str, Any] = {}
    problem: Why | None = None
    for cell, column in zip(cells, columns, strict=True):
        try:
            if isinstance(cell, BadCell):
                raise Unfit
            values[column.name] = (
                fitted(cell, column.kind, column.may_be_empty, decimal) if column.kind else cell
            )
        except Unfit:
            values[column.name] = None if isinstance(cell, BadCell) else cell
            problem = problem or problem_of(cell, column.name, column.kind, number)
    return values, problem
