"""Where names and data stand in a table, and the rows that this makes."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import chain, islice
from typing import Any

from saltpath.core.grammar import Unreadable
from saltpath.core.tables.cells import BadCell, Unfit, fitted, kind_of, looks_with_comma, problem_of
from saltpath.core.tables.sources import Area, Column, FileRows, Row
from saltpath.core.why import Why, why

LOOKED_AT = 60
MOST_COLUMNS = 1_000
MOST_NAME = 200
_AREA = re.compile(r"([A-Z]{1,3})([1-9]\d{0,6})(?::([A-Z]{1,3})?([1-9]\d{0,6})?)?")

Record = Sequence[Any]


@dataclass(frozen=True, slots=True)
class Frame:
    """Where names and data stand: rows and columns from 1; `names` 0: nowhere."""

    names: int
    area: Area


def read_area(text: str) -> Area:
    """`B4:F40`, `B4:F` or `B4`, as spreadsheet programs name cells. Raises Unreadable."""
    found = _AREA.fullmatch(text.strip().upper())
    if found is None:
        raise Unreadable(f"expected cells such as A2:F40, or A2:F to the last row; found {text!r}")
    area = Area(
        int(found[2]),
        column_number(found[1]),
        column_number(found[3]) if found[3] else None,
        int(found[4]) if found[4] else None,
    )
    if (area.last_column or area.column) < area.column or (area.last_row or area.row) < area.row:
        raise Unreadable(f"the last of the cells stands before the first; found {text!r}")
    return area


def write_area(area: Area) -> str:
    first = f"{column_letters(area.column)}{area.row}"
    last = (column_letters(area.last_column) if area.last_column else "") + (
        str(area.last_row) if area.last_row else ""
    )
    return f"{first}:{last}" if last else first


def column_number(letters: str) -> int:
    """`A` is 1, `AA` is 27."""
    number = 0
    for letter in letters:
        number = number * 26 + ord(letter) - 64
    return number


def column_letters(number: int) -> str:
    letters = ""
    while number:
        number, rest = divmod(number - 1, 26)
        letters = chr(65 + rest) + letters
    return letters


def found_frame(records: Sequence[Record]) -> Frame:
    """Where names and data stand by the look of the first records: below a title and empty rows, the first row that is as wide as the
    data; its cells are names if they are texts, differ, and none of them could be a value where all below are values."""
    spans = [_span(record) for record in records]
    widths = [len(cells) for cells in spans]
    usual = max(widths, default=0)
    if not usual:
        return Frame(0, Area(1, 1))
    first = next(at for at, width in enumerate(widths) if width * 2 > usual)
    columns = sorted({at for cells in spans[first:] for at in cells})
    left = columns[0] + 1
    named = _are_names(records[first], [record for record in records[first + 1 :] if _span(record)])
    begin = first + 1 + named
    while named and begin <= len(records) and not spans[begin - 1]:
        begin += 1
    return Frame(first + 1 if named else 0, Area(begin, left))


def _span(record: Record) -> list[int]:
    """The columns, from 0, in which something stands."""
    return [at for at, cell in enumerate(record) if not _is_empty(cell)]


def _is_empty(cell: Any) -> bool:
    return cell is None or (isinstance(cell, str) and not cell.strip())


def _are_names(record: Record, below: Sequence[Record]) -> bool:
    cells = [cell for cell in record if not _is_empty(cell)]
    kinds = [kind_of(cell) for cell in cells if not isinstance(cell, BadCell)]
    if len(kinds) < len(cells) or any(kind != "text" for kind in kinds) or any(map(looks_with_comma, cells)):
        return False
    if not below:
        return True
    if any(len(str(cell)) > MOST_NAME for cell in cells):
        return False
    for at, cell in enumerate(record):
        others = [other[at] for other in below if at < len(other)]
        if not _is_empty(cell) and len(others) > 2 and cell in others:
            return False  # a name does not stand among its values
    return True


def names_of(record: Record, first: int, last: int) -> list[str]:
    """A name for each column: what stands there in one line, else its letters; one that stands twice gets a number."""
    names: dict[str, None] = {}
    numbers: dict[str, int] = {}  # the last that a name got
    for at in range(first, last + 1):
        cell = record[at - 1] if at <= len(record) else None
        text = (
            column_letters(at)
            if _is_empty(cell) or isinstance(cell, BadCell)
            else " ".join(str(cell).split())[:MOST_NAME]
        )
        name, number = text, numbers.get(text, 1)
        while name in names:
            number += 1
            name = f"{text} ({number})"
        numbers[text] = number
        names[name] = None
    return list(names)


@dataclass(frozen=True, slots=True)
class Table:
    """A table with its names found: `frame`, `names` in order, and its rows, which are read as they are asked for."""

    frame: Frame
    names: list[str]
    rows: Iterator[Row]


def table_of(records: Iterable[Record], source: FileRows, empty: Any = "") -> Table:
    """The rows of records by the source's frame, or by the one that is found. `empty`: what a cell is that is not there. A row of which
    every cell is empty is none. Raises Unreadable where there is nothing at all."""
    reading = iter(records)
    first = list(islice(reading, max(LOOKED_AT, source.names_in or 0, source.data_in.row if source.data_in else 0)))
    if not any(_span(record) for record in first):
        raise Unreadable("nothing stands in it")
    frame = framed(first, source)
    area, names_in = frame.area, frame.names
    widest = max(map(len, first))
    last = area.last_column or max(widest, area.column)
    if last - area.column >= MOST_COLUMNS:
        raise Unreadable(f"it has more than {MOST_COLUMNS} columns")
    head = first[names_in - 1] if 0 < names_in <= len(first) else ()
    names = names_of(head, area.column, last)
    below = [record for record in first[area.row - 1 :] if _span(record)]
    while not area.last_column and len(names) > 1 and not _is_column(head, below, area.column + len(names) - 1):
        names.pop()
    return Table(frame, names, _rows(chain(first, reading), area, names, source, empty, bool(area.last_column)))


def _is_column(head: Record, below: Sequence[Record], column: int) -> bool:
    """Whether there is a column: by its name, or since something stands there in half of the rows at least."""
    if column <= len(head) and not _is_empty(head[column - 1]):
        return True
    filled = sum(column <= len(record) and not _is_empty(record[column - 1]) for record in below)
    return filled * 2 > len(below)


def framed(records: Sequence[Record], source: FileRows) -> Frame:
    """The frame that the source says, completed by what is found in its first records."""
    found = found_frame(records) if source.names_in is None or source.data_in is None else Frame(0, Area(1, 1))
    names = found.names if source.names_in is None else source.names_in
    if source.data_in is not None:
        return Frame(names if source.names_in is not None or names < source.data_in.row else 0, source.data_in)
    if source.names_in is None:
        return found
    begin = names + 1 if names else found.area.row if not found.names else found.names
    return Frame(names, Area(begin, found.area.column, found.area.last_column))


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
        if all(map(_is_empty, cells)) and all(map(_is_empty, beyond)):
            continue
        number += 1
        cells += [empty] * (len(names) - len(cells))
        values, problem = _values(cells, columns, source.decimal, number)
        if problem is None and any(not _is_empty(cell) for cell in beyond):
            problem = why("row-too-wide", line=at, actual=len(record) - first, names=len(names))
        yield Row(number, values, problem)


def _values(cells: list[Any], columns: list[Column], decimal: str, number: int) -> tuple[dict[str, Any], Why | None]:
    values: dict[str, Any] = {}
    problem: Why | None = None
    for cell, column in zip(cells, columns, strict=True):
        try:
            if isinstance(cell, BadCell):
                raise Unfit
            values[column.name] = fitted(cell, column.kind, column.may_be_empty, decimal) if column.kind else cell
        except Unfit:
            values[column.name] = None if isinstance(cell, BadCell) else cell
            problem = problem or problem_of(cell, column.name, column.kind, number)
    return values, problem
