"""Where names and data stand in a table, and the rows that this makes."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from itertools import chain, islice
from typing import Any

from msgspec import Struct

from saltpath.core.cases.row_sources import Area, Column, FileRows, Row
from saltpath.core.tables.cells import BadCell, Unfit, fitted, kind_of, looks_with_comma, problem_of
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.why import Why, why

LOOKED_AT = 60
MOST_COLUMNS = 1_000
MOST_NAME = 200
_AREA = re.compile(r"([A-Z]{1,3})([1-9]\d{0,6})(?::([A-Z]{1,3})?([1-9]\d{0,6})?)?")

_DIGIT = re.compile(r"\d")
_YEAR = re.compile(r"(?:19|20)\d\d")
_NUMBERS = ("integer", "number")

Record = Sequence[Any]


class Frame(Struct, frozen=True):
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
    """Where names and data stand by the look of the first records: below titles, comments and empty
    rows, the first row that is as wide as most are; its cells are names if they are texts that
    differ, or numbers that label what stands below them. One row that is wider than the others
    changes nothing."""
    spans = [_span(record) for record in records]
    filled = [at for at, cells in enumerate(spans) if cells]
    if not filled:
        return Frame(0, Area(1, 1))
    widths = Counter(len(spans[at]) for at in filled)
    usual = max(widths, key=lambda width: (widths[width], width))
    first = next(at for at in filled if len(spans[at]) * 2 > usual)
    titles = [at for at in filled if at < first]
    if not all(_is_title(records[at]) for at in titles):
        first = filled[0]
    while _is_one_text(records[first]) and any(at > first and len(spans[at]) > 1 for at in filled):
        first = next(at for at in filled if at > first)  # a title over merged cells
    columns = sorted({at for cells in spans[first:] for at in cells})
    named = _are_names(records[first], [record for record in records[first + 1 :] if _span(record)])
    begin = first + 1 + named
    while named and begin <= len(records) and not spans[begin - 1]:
        begin += 1
    return Frame(first + 1 if named else 0, Area(begin, columns[0] + 1))


def _span(record: Record) -> list[int]:
    """The columns, from 0, in which something stands."""
    return [at for at, cell in enumerate(record) if not _is_empty(cell)]


def _extent(record: Record) -> int:
    """How many columns it has up to the last in which something stands."""
    at = len(record)
    while at and _is_empty(record[at - 1]):
        at -= 1
    return at


def _is_empty(cell: Any) -> bool:
    return cell is None or (isinstance(cell, str) and not cell.strip())


def _is_title(record: Record) -> bool:
    """A few words above a table rather than a row of it."""
    cells = [cell for cell in record if not _is_empty(cell)]
    return len(cells) <= 2 and all(
        isinstance(cell, str) and kind_of(cell) == "text" for cell in cells
    )


def _is_one_text(record: Record) -> bool:
    """The same text in several cells: merged ones have the value of their first."""
    cells = [cell for cell in record if not _is_empty(cell)]
    return len(cells) > 1 and isinstance(cells[0], str) and all(cell == cells[0] for cell in cells)


def _are_names(record: Record, below: Sequence[Record]) -> bool:
    columns = _span(record)
    cells = [record[at] for at in columns]
    if any(isinstance(cell, BadCell) for cell in cells) or any(
        len(str(cell)) > MOST_NAME for cell in cells
    ):
        return False
    values = {
        at: [other[at] for other in below if at < len(other) and not _is_empty(other[at])]
        for at in columns
    }
    if any(_is_of_its_values(str(record[at]), values[at]) for at in columns):
        return False
    numbers = [at for at in columns if not _is_text(record[at])]
    over = sum(
        _is_text(record[at]) and bool(values[at]) and not any(map(_is_text, values[at]))
        for at in columns
    )
    if numbers:  # a text over a column that has none tells names
        return len(numbers) < len(columns) and (
            over > len(numbers) or _are_labels(record, numbers, values)
        )
    if not below or over:
        return True
    among = sum(len(values[at]) > 2 and record[at] in values[at] for at in columns)
    # names seldom stand among their values
    return among * 2 <= len(columns) if len(columns) > 2 else not among


def _is_of_its_values(cell: str, values: Sequence[Any]) -> bool:
    """Whether a text with digits in it is written as those below it are, such as V-101 over V-102
    and V-103."""
    if not any(char.isdigit() for char in cell) or kind_of(cell) in _NUMBERS:
        return False
    shape = _shape(cell)
    return len(values) > 1 and sum(_shape(str(value)) == shape for value in values) * 2 > len(
        values
    )


def _shape(text: str) -> str:
    return _DIGIT.sub("9", text)


def _is_text(cell: Any) -> bool:
    return isinstance(cell, str) and kind_of(cell) == "text" and not looks_with_comma(cell)


def _are_labels(record: Record, numbers: Sequence[int], values: dict[int, list[Any]]) -> bool:
    """Numbers that name their columns: they differ, and each stands over what is no number, or all
    of them are years over what is not."""
    labels = [str(record[at]) for at in numbers]
    if len(set(labels)) < len(labels) or not all(values[at] for at in numbers):
        return False
    if all(not any(kind_of(value) in _NUMBERS for value in values[at]) for at in numbers):
        return True
    return all(map(_YEAR.fullmatch, labels)) and not all(
        _YEAR.fullmatch(str(value)) for at in numbers for value in values[at]
    )


def names_of(record: Record, first: int, last: int) -> list[str]:
    """A name for each column: what stands there in one line, else its letters; one that stands
    twice gets a number."""
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


class Table(Struct, frozen=True):
    """A table with its names found: `frame`, `names` in order, and its rows, which are read as they
    are asked for."""

    frame: Frame
    names: list[str]
    rows: Iterator[Row]


def table_of(records: Iterable[Record], source: FileRows, empty: Any = "") -> Table:
    """The rows of records by the source's frame, or by the one that is found. `empty`: what a cell
    is that is not there. A row of which every cell is empty is none. Raises Unreadable where there
    is nothing at all."""
    reading = iter(records)
    first = list(
        islice(
            reading,
            max(LOOKED_AT, source.names_in or 0, source.data_in.row if source.data_in else 0),
        )
    )
    if not any(_span(record) for record in first):
        raise Unreadable("nothing stands in it")
    frame = framed(first, source)
    area, names_in = frame.area, frame.names
    widest = max(map(_extent, first))
    last = area.last_column or max(widest, area.column)
    if last - area.column >= MOST_COLUMNS:
        raise Unreadable(f"it has more than {MOST_COLUMNS} columns")
    head = first[names_in - 1] if 0 < names_in <= len(first) else ()
    names = names_of(head, area.column, last)
    below = [record for record in first[area.row - 1 :] if _span(record)]
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
    if column <= len(head) and not _is_empty(head[column - 1]):
        return True
    filled = sum(column <= len(record) and not _is_empty(record[column - 1]) for record in below)
    return filled * 2 > len(below)


def framed(records: Sequence[Record], source: FileRows) -> Frame:
    """The frame that the source says, completed by what is found in its first records."""
    found = (
        found_frame(records)
        if source.names_in is None or source.data_in is None
        else Frame(0, Area(1, 1))
    )
    names = found.names if source.names_in is None else source.names_in
    if source.data_in is not None:
        return Frame(
            names if source.names_in is not None or names < source.data_in.row else 0,
            source.data_in,
        )
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
            problem = why("row-too-wide", line=at, actual=_extent(record) - first, names=len(names))
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
