"""Where names and data stand in a table, and how cells are named."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

from msgspec import Struct

from saltpath.core.cases.row_sources import Area
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.why import Why

LOOKED_AT = 60
"""Records in which names and data are found."""
_AREA = re.compile(r"([A-Z]{1,3})([1-9]\d{0,6})(?::([A-Z]{1,3})?([1-9]\d{0,6})?)?")

Record = Sequence[Any]


class Frame(Struct, frozen=True):
    """Where names and data stand: rows and columns from 1; `names` 0: nowhere."""

    names: int
    area: Area
    doubts: tuple[Why, ...] = ()
    """What was guessed, and may be otherwise."""


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


def span(record: Record) -> list[int]:
    """The columns, from 0, in which something stands."""
    return [at for at, cell in enumerate(record) if not is_empty(cell)]


def extent(record: Record) -> int:
    """How many columns it has up to the last in which something stands."""
    at = len(record)
    while at and is_empty(record[at - 1]):
        at -= 1
    return at


def is_empty(cell: Any) -> bool:
    return cell is None or (isinstance(cell, str) and not cell.strip())
