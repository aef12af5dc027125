"""XLSX (ISO/IEC 29500): a sheet streamed row by row; merged cells have the value of their first,
dates are ISO 8601, numbers exact.

A cell that holds an error, or a formula that was never worked out, keeps its row from being carried
out, by its name.
"""

from __future__ import annotations

import re
import zipfile
from collections.abc import Iterator
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from itertools import islice
from typing import Any, BinaryIO

from saltpath.core.cases.row_sources import Area, FileRows
from saltpath.core.tables.cells import BadCell
from saltpath.core.tables.frame import column_letters, read_area
from saltpath.core.tables.table import Table, table_of
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.nearest import listed, nearest
from saltpath.formats.archives import check_places, safe_archive, short
from saltpath.formats.spreadsheets import openpyxl

LOOKED_AT = 200
"""Rows; a sheet in which nothing stands in so many is empty, and gives way to the next one."""
LARGEST_UNPACKED = 1_000_000_000
MOST_MERGED = 100_000
_OLD = b"\xd0\xcf\x11\xe0"
_LOOKED_FOR = re.compile(
    rb'<(?:\w+:)?(?:mergeCell [^>]*?ref="([A-Z]{1,3}\d{1,7}:[A-Z]{1,3}\d{1,7})"|(f)[ />])'
)
_CHUNK = 1 << 20


def read(file: BinaryIO, source: FileRows) -> Table:
    """The table on a sheet, by default the first that is not hidden. Raises Unreadable."""
    begin = file.read(4)
    file.seek(0)
    if begin == _OLD:
        raise Unreadable(
            "this workbook is of the old kind (.xls), or protected by a password; save it as "
            ".xlsx without one"
        )
    safe_archive(file, LARGEST_UNPACKED)
    try:
        rows, merged = cells_of(file, source.sheet)
        return table_of(rows, source, None, merged)
    except Unreadable:
        raise
    # the library raises whatever a spoilt part of the archive makes it stumble over
    except Exception as problem:
        raise Unreadable(
            f"this workbook cannot be read; it may be cut short or damaged ({short(problem)})"
        ) from None


def sheets_of(file: BinaryIO, name: str = "") -> tuple[list[str], str]:
    """The names of its sheets, and the one that a name means; without one the first that is not
    hidden, and not empty. Raises Unreadable."""
    safe_archive(file, LARGEST_UNPACKED)
    try:
        book = openpyxl().load_workbook(file, read_only=True, data_only=True, keep_links=False)
        return [sheet.title for sheet in book.worksheets], _sheet(book, name).title
    except Unreadable:
        raise
    except Exception as problem:  # see read
        raise Unreadable(
            f"this workbook cannot be read; it may be cut short or damaged ({short(problem)})"
        ) from None


def cells_of(file: BinaryIO, name: str) -> tuple[Iterator[list[Any]], list[Area]]:
    """A sheet's cells row by row, the empty rows too, and which of them are merged. Raises
    Unreadable, also while its rows are read."""
    book = openpyxl().load_workbook(file, read_only=True, data_only=True, keep_links=False)
    sheet = _sheet(book, name)
    merged, formulas = _looked_through(file, sheet)
    areas = [area for row in merged for area in merged[row]]
    return _records(file, sheet, merged, formulas), areas


def _records(
    file: BinaryIO, sheet: Any, merged: dict[int, list[Area]], formulas: bool
) -> Iterator[list[Any]]:
    sheet.reset_dimensions()  # which a file may state wrongly
    written: Iterator[Any] = iter(())
    if formulas:
        other = openpyxl().load_workbook(file, read_only=True, keep_links=False)[sheet.title]
        other.reset_dimensions()
        written = other.iter_rows()
    open_areas: list[tuple[Area, Any]] = []
    try:
        for at, row in enumerate(sheet.iter_rows(), 1):
            cells = [_value(cell) for cell in row]
            if formulas:
                _without_value(cells, next(written, ()), at)
            if merged or open_areas:
                open_areas = _filled(cells, at, merged.pop(at, []), open_areas)
            yield cells
    except Unreadable:
        raise
    except Exception as problem:  # see read
        raise Unreadable(f"this workbook cannot be read to its end ({short(problem)})") from None


def _sheet(book: Any, name: str) -> Any:
    names = [sheet.title for sheet in book.worksheets]
    if not names:
        raise Unreadable("this workbook holds no sheet with cells")
    if not name:
        shown = [
            sheet for sheet in book.worksheets if sheet.sheet_state == "visible"
        ] or book.worksheets
        return next((sheet for sheet in shown if _has_something(sheet)), shown[0])
    if name not in names:
        near = nearest(name, names)
        hint = f"did you mean {near!r}?" if near else f"it has {listed(names, 8)}"
        raise Unreadable(f"there is no sheet {name!r}; {hint}")
    return book[name]


def _has_something(sheet: Any) -> bool:
    """Whether anything stands in its first rows; it can be read from its beginning again."""
    sheet.reset_dimensions()
    return any(
        cell.value is not None for row in islice(sheet.iter_rows(), LOOKED_AT) for cell in row
    )


def _value(cell: Any) -> Any:
    if cell.data_type == "e":
        return BadCell(f"{column_letters(cell.column)}{cell.row}", "cell-error", str(cell.value))
    return plain_value(cell.value)


def plain_value(value: Any) -> Any:
    """What the library gives for a cell as a plain value: numbers exact, dates and times as text
    (ISO 8601)."""
    if value is None or isinstance(value, (str, bool, int)):
        return value
    if isinstance(value, float):
        return int(value) if value.is_integer() and abs(value) < 1e15 else Decimal(repr(value))
    if isinstance(value, datetime):
        midnight = value.time() == time() and value.tzinfo is None
        return (
            value.date().isoformat()
            if midnight
            else value.isoformat(timespec="milliseconds" if value.microsecond else "seconds")
        )
    if isinstance(value, (date, time)):
        return value.isoformat()
    return f"{value.total_seconds():g} s" if isinstance(value, timedelta) else str(value)


def _looked_through(file: BinaryIO, sheet: Any) -> tuple[dict[int, list[Area]], bool]:
    """Merged cells by the row in which they begin, and whether there are formulas: one look through
    the sheet's text."""
    merged: dict[int, list[Area]] = {}
    formulas, count = False, 0
    with zipfile.ZipFile(file) as archive, archive.open(sheet._worksheet_path) as text:
        check_places(text)
    with zipfile.ZipFile(file) as archive, archive.open(sheet._worksheet_path) as text:
        rest = b""
        while chunk := text.read(_CHUNK):
            piece = rest + chunk
            end = piece.rfind(b"<")
            rest = piece[end:] if end > 0 and len(piece) - end < 4_000 else b""
            for found in _LOOKED_FOR.finditer(piece[: len(piece) - len(rest)]):
                formulas = formulas or found[2] is not None
                if found[1] and (count := count + 1) <= MOST_MERGED:
                    area = read_area(found[1].decode())
                    merged.setdefault(area.row, []).append(area)
    return merged, formulas


def _without_value(cells: list[Any], written: Any, at: int) -> None:
    for place, cell in enumerate(written):
        if cell.data_type == "f" and (place >= len(cells) or cells[place] is None):
            cells += [None] * (place + 1 - len(cells))
            cells[place] = BadCell(f"{column_letters(place + 1)}{at}", "cell-formula")


def _filled(
    cells: list[Any], at: int, begin: list[Area], before: list[tuple[Area, Any]]
) -> list[tuple[Area, Any]]:
    """Merged cells have the value of the first of them."""
    now = [
        *before,
        *((area, cells[area.column - 1] if area.column <= len(cells) else None) for area in begin),
    ]
    for area, value in now:
        last = area.last_column or area.column
        if len(cells) < last:
            cells += [None] * (last - len(cells))
        cells[area.column - 1 : last] = [value] * (last - area.column + 1)
    return [(area, value) for area, value in now if (area.last_row or area.row) > at]
