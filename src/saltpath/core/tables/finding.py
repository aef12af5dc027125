"""Where names and data stand in a table, found by the look of its first records; what may be
otherwise is told as a doubt."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from itertools import takewhile
from typing import Any

from saltpath.core.cases.row_sources import MOST_NAME, Area, FileRows
from saltpath.core.tables.cells import BadCell, kind_of, looks_with_comma
from saltpath.core.tables.frame import Frame, Record, is_empty, span
from saltpath.core.values.why import Why, why

MOST_NAME_ROWS = 10
_DIVIDERS = ",;\t|"
_DIGIT = re.compile(r"\d")
_YEAR = re.compile(r"(?:19|20)\d\d")
_NUMBERS = ("integer", "number")


def framed(records: Sequence[Record], source: FileRows, merged: Sequence[Area] = ()) -> Frame:
    """The frame that the source says, completed by what is found in its first records. `merged`:
    cells that are one; each has its value."""
    if source.names_in is not None and source.data_in is not None:
        return Frame(source.names_in, source.data_in)
    found = found_frame(records, merged)
    names = found.names if source.names_in is None else source.names_in
    if source.data_in is not None:
        return Frame(names if names < source.data_in.row else 0, source.data_in)
    if source.names_in is None:
        return found
    begin = names + 1 if names else found.area.row if not found.names else found.names
    area = Area(begin, found.area.column, found.area.last_column)
    return Frame(names, area, _texts_over_numbers(records, names, area) if names else ())


def found_frame(records: Sequence[Record], merged: Sequence[Area] = ()) -> Frame:
    """Where names and data stand by the look of the first records: below titles, comments and empty
    rows, the first row that is as wide as most are; its cells are names if they are texts that
    differ, or numbers that label what stands below them. One row that is wider than the others
    changes nothing. Where merged cells make names of several rows, the fullest of these has
    them."""
    spans = [span(record) for record in records]
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
    doubts = [why("one-cell-of-many", row=at + 1) for at in titles if _is_a_row(records, at, usual)]
    last = _last_of_names(records, first, merged)
    below = [record for record in records[last + 1 :] if span(record)]
    names = max(
        range(first, last + 1), key=lambda at: (len(spans[at]), len(set(_texts(records[at]))))
    )
    named = last > first or _are_names(records[first], below)
    if last > first:
        doubts.append(why("names-over-rows", first=first + 1, last=last + 1, row=names + 1))
    begin = last + 1 + named
    while named and begin <= len(records) and not spans[begin - 1]:
        begin += 1
    area = Area(begin, columns[0] + 1)
    if named:
        doubts += _texts_over_numbers(records, names + 1, area)
    return Frame(names + 1 if named else 0, area, tuple(doubts))


def _last_of_names(records: Sequence[Record], first: int, merged: Sequence[Area]) -> int:
    """The last of the rows, from 0, in which names stand that begin in `first`: merged cells reach
    down from one to the next, or several columns have one heading above names of their own. Each
    of these rows has nothing but texts, and something stands below the last."""
    last = at = first
    while at <= last and at - first < MOST_NAME_ROWS:
        for area in merged:
            if area.row == at + 1 and span(records[at]):
                across = (area.last_column or area.column) > area.column
                last = max(last, (area.last_row or area.row) - 1 + across)
        at += 1
    rows = records[first : last + 1]
    ends = last + 1 >= len(records) or not any(map(span, records[last + 1 :]))
    if last == first or ends or not all(map(_has_texts_only, rows)):
        return first
    return last


def _texts(record: Record) -> list[str]:
    return [str(cell) for cell in record if not is_empty(cell)]


def _has_texts_only(record: Record) -> bool:
    return all(_is_text(cell) for cell in record if not is_empty(cell))


def _texts_over_numbers(records: Sequence[Record], names: int, area: Area) -> tuple[Why, ...]:
    """That the first rows of the data have texts where those below have numbers or times, as units
    and further rows of names do."""
    spans = {at: span(records[at]) for at in range(area.row - 1, len(records))}
    rows = [at for at, cells in spans.items() if cells]
    above = list(takewhile(lambda at: _has_texts_only(records[at]), rows[:MOST_NAME_ROWS]))
    below = rows[len(above) :]
    if not above or len(below) < 2:
        return ()
    values: dict[int, list[Any]] = {}
    for at in below:
        for column in spans[at]:
            values.setdefault(column, []).append(records[at][column])
    typed = [column for column, cells in values.items() if not any(map(_is_text, cells))]
    over = [column for column in typed if any(column in spans[at] for at in above)]
    head = records[names - 1]
    has_gaps = len(set(_texts(head))) < len(values.keys() | set(span(head)))
    if not over or (len(over) * 2 < len(typed) and not has_gaps):
        return ()
    if len(above) == 1:
        return (why("texts-over-numbers", row=above[0] + 1, names=names),)
    return (why("several-texts-over-numbers", first=above[0] + 1, last=above[-1] + 1, names=names),)


def _is_a_row(records: Sequence[Record], at: int, usual: int) -> bool:
    """Whether what seems to be a title is a whole row in one cell."""
    cells = _texts(records[at])
    return (
        len(cells) == 1
        and usual > 1
        and any(cells[0].count(divider) == usual - 1 for divider in _DIVIDERS)
    )


def _is_title(record: Record) -> bool:
    """A few words above a table rather than a row of it."""
    cells = [cell for cell in record if not is_empty(cell)]
    return len(cells) <= 2 and all(
        isinstance(cell, str) and kind_of(cell) == "text" for cell in cells
    )


def _is_one_text(record: Record) -> bool:
    """The same text in several cells: merged ones have the value of their first."""
    cells = [cell for cell in record if not is_empty(cell)]
    return len(cells) > 1 and isinstance(cells[0], str) and all(cell == cells[0] for cell in cells)


def _are_names(record: Record, below: Sequence[Record]) -> bool:
    columns = span(record)
    cells = [record[at] for at in columns]
    if any(isinstance(cell, BadCell) for cell in cells) or any(
        len(str(cell)) > MOST_NAME for cell in cells
    ):
        return False
    values = {
        at: [other[at] for other in below if at < len(other) and not is_empty(other[at])]
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
