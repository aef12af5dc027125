"""How a file of rows looks before a table is made of it: its kind, its sheets or how it writes
cells, and its first cells as they stand."""

from __future__ import annotations

from itertools import islice
from typing import Any, BinaryIO

from msgspec import Struct, field

from saltpath.core.cases.row_sources import Area, FileRows
from saltpath.core.tables.objects import lists_in
from saltpath.core.values import plain
from saltpath.formats.rows import csv_rows, json_rows, kind_of_file, xlsx_rows
from saltpath.formats.rows.encodings import shown

MOST_RECORDS = 60


class Look(Struct):
    """What is seen of a file."""

    kind: str
    """csv, xlsx, json or lines."""
    sheets: list[str] = field(default_factory=list)
    """Of a workbook."""
    sheet: str = ""
    """The one that is meant."""
    encoding: str = ""
    """Of CSV, as people call it."""
    sure: bool = True
    """Whether the encoding is known rather than guessed."""
    decimal: str = ""
    delimiter: str = ""
    quote: str = ""
    lists: list[str] = field(default_factory=list)
    """Of JSON: the paths of its lists."""
    records: list[list[Any]] = field(default_factory=list)
    """The first cells of CSV and workbooks, row by row."""
    merged: list[Area] = field(default_factory=list)
    """The cells of a sheet that are one; each has its value."""


def look(file: BinaryIO, source: FileRows, most: int = MOST_RECORDS) -> Look:
    """Look at the beginning of a file; it is not to be read any more afterwards. Raises
    Unreadable."""
    found = Look(kind_of_file(file, source.file))
    if found.kind == "xlsx":
        found.sheets, found.sheet = xlsx_rows.sheets_of(file, source.sheet)
        rows, found.merged = xlsx_rows.cells_of(file, source.sheet)
        found.records = list(islice(rows, most))
    elif found.kind == "csv":
        dialect = csv_rows.found_dialect(file, source)
        found.encoding, found.delimiter, found.quote = (
            shown(dialect.encoding),
            dialect.delimiter,
            dialect.quote,
        )
        found.sure, found.decimal = dialect.sure, dialect.decimal
        found.records = list(islice(csv_rows.records(file, dialect), most))
    elif found.kind == "json":
        found.lists = (
            lists_in(json_rows.document(file, source)) if not source.path else [source.path]
        )
    return found


def cell_shown(cell: Any) -> str:
    """A cell as it stands there."""
    return cell if isinstance(cell, str) else "" if cell is None else plain.as_text(cell)
