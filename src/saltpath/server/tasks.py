"""What the web server has done with files that strangers made, by processes of their own (see
sandbox.py): each a function of the data folder and of what can be pickled. Raises Unreadable."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from contextlib import closing
from itertools import islice
from pathlib import Path
from typing import Any, BinaryIO

from msgspec.structs import replace

from saltpath.core.cases.row_sources import FileRows, Row
from saltpath.core.tables.cells import BadCell
from saltpath.core.tables.changes import TableChanges, changes
from saltpath.core.tables.finding import framed
from saltpath.core.tables.frame import Frame, write_area
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.why import Blocked
from saltpath.formats import workbook
from saltpath.formats.rows import read_table
from saltpath.formats.rows.look import cell_shown, look
from saltpath.formats.workbook import Book, Values
from saltpath.server.api.views import cell_text
from saltpath.server.profiling import profiled
from saltpath.store import project_files
from saltpath.store.database import connect

MOST_LOOKED_AT = 5_000
MOST_SHOWN = 200
MOST_COLUMNS_SHOWN = 60
NOTHING_SHOWN: dict[str, Any] = {
    "sheets": [],
    "sheet": "",
    "encoding": "",
    "delimiter": "",
    "quote": "",
    "lists": [],
    "records": [],
    "badCells": [],
    "frame": None,
    "rows": [],
    "profile": None,
}


def _cells(records: list[list[Any]]) -> dict[str, Any]:
    bad = [
        {
            "row": at,
            "column": place,
            "problem": cell.problem or "a formula that was never worked out",
        }
        for at, record in enumerate(records, 1)
        for place, cell in enumerate(record[:MOST_COLUMNS_SHOWN], 1)
        if isinstance(cell, BadCell)
    ]
    shown = [
        [
            "" if isinstance(cell, BadCell) else cell_text(cell_shown(cell))
            for cell in record[:MOST_COLUMNS_SHOWN]
        ]
        for record in records
    ]
    return {"records": shown, "badCells": bad}


def _frame(frame: Frame, source: FileRows) -> dict[str, Any]:
    return {
        "names": frame.names,
        "row": frame.area.row,
        "column": frame.area.column,
        "lastRow": frame.area.last_row,
        "lastColumn": frame.area.last_column,
        "text": write_area(frame.area),
        "namesSaid": source.names_in is not None,
        "dataSaid": source.data_in is not None,
        "doubts": [doubt.sentence for doubt in frame.doubts],
    }


def row_shown(row: Row, names: list[str]) -> dict[str, Any]:
    return {
        "row": row.number,
        "cells": [cell_text(row.values.get(name)) for name in names],
        "why": row.why.sentence if row.why else "",
    }


def looked(folder: Path, project: int, source: FileRows) -> dict[str, Any]:
    """A file's first cells as they stand, its frame, its first rows, and what the columns of the
    first 5,000 hold."""
    answer: dict[str, Any] = {**NOTHING_SHOWN, "kind": "", "problem": "", "columns": []}
    opened = _opener(folder, project)
    try:
        with opened(source.file) as file:
            found = look(file, source)
        answer |= {
            "kind": found.kind,
            "sheets": found.sheets,
            "sheet": found.sheet,
            "encoding": found.encoding,
            "encodingSure": found.sure,
            "decimal": found.decimal,
            "delimiter": found.delimiter,
            "quote": found.quote,
            "lists": found.lists,
            **_cells(found.records),
        }
        if found.records:
            answer["frame"] = _frame(framed(found.records, source, found.merged), source)
        with opened(source.file) as file:
            table = read_table(file, source)
            answer["rows"] = [row_shown(row, table.names) for row in islice(table.rows, MOST_SHOWN)]
        answer["columns"] = table.names
        with opened(source.file) as file:
            answer["profile"] = profiled(file, source, MOST_LOOKED_AT)
    except (Unreadable, Blocked) as problem:
        answer["problem"] = str(problem)
    return answer


def begin(folder: Path, project: int, source: FileRows, few: int) -> tuple[list[str], list[Row]]:
    """A file's columns, and its first rows."""
    try:
        with _opener(folder, project)(source.file) as opened:
            table = read_table(opened, source)
            return table.names, list(islice(table.rows, few))
    except Blocked as problem:
        raise Unreadable(str(problem)) from None


def changed(folder: Path, project: int, source: FileRows, versions: list[int]) -> TableChanges:
    """What the second of two versions of a file has otherwise than the first; what is not fit is
    compared as it stands."""
    path, tables = source.file.removeprefix("./"), []
    try:
        for version in versions:
            opened = _opener(folder, project, {path: version})
            tables.append(read_table(opened(source.file), replace(source, columns=())))
        return changes(tables[0].names, tables[0].rows, tables[1].names, tables[1].rows)
    except Blocked as problem:
        raise Unreadable(str(problem)) from None


def book(folder: Path, octets: bytes) -> Book:
    """A workbook or CSV file as tables of text."""
    return workbook.read_book(octets)


def beside(
    folder: Path,
    octets: bytes,
    sheet: str,
    headings: int,
    columns: Mapping[str, int],
    values: Values,
) -> bytes:
    """The file again with values beside its rows."""
    return workbook.beside(octets, sheet, headings, columns, values)


def _opener(
    folder: Path, project: int, pinned: dict[str, int] | None = None
) -> Callable[[str], BinaryIO]:
    with closing(connect(folder)) as connection:
        return project_files.opener(connection, project, pinned)
