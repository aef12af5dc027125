"""Rows of files, whatever program wrote them: CSV, XLSX, JSON, JSON Lines. They are streamed; a file is never held whole unless it is one JSON
document."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import PurePosixPath
from typing import BinaryIO

from saltpath.core.tables.frame import Table
from saltpath.core.tables.sources import FileRows, Row
from saltpath.formats.rows import csv_rows, json_rows

OLD_WORKBOOK = b"\xd0\xcf\x11\xe0"


def kind_of_file(file: BinaryIO, name: str) -> str:
    """`xlsx`, `json`, `lines` or `csv`, by what it begins with and by its name; the file is at its beginning again."""
    begin = file.read(64)
    file.seek(0)
    ending = PurePosixPath(name).suffix.lower()
    if begin.startswith(b"PK") or begin.startswith(OLD_WORKBOOK):
        return "xlsx"
    if ending in (".jsonl", ".ndjson"):
        return "lines"
    if ending == ".json" or (
        ending not in (".csv", ".tsv", ".txt") and begin.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] in (b"{", b"[")
    ):
        return "json"
    return "csv"


def read_table(file: BinaryIO, source: FileRows) -> Table:
    """The table in a file, its names found. Raises Unreadable, also while its rows are read."""
    reader = {"xlsx": _read_workbook, "json": json_rows.read, "lines": json_rows.read_lines, "csv": csv_rows.read}
    return reader[kind_of_file(file, source.file)](file, source)


def _read_workbook(file: BinaryIO, source: FileRows) -> Table:
    from saltpath.formats.rows import xlsx_rows  # its library takes as long to import as all of a short run

    return xlsx_rows.read(file, source)


def rows_reader(open_file: Callable[[str], BinaryIO]) -> Callable[[FileRows], Iterator[Row]]:
    """Reads the rows of files that `open_file` opens; what it raises comes through, and Unreadable, also while they are read."""

    def read(source: FileRows) -> Iterator[Row]:
        return read_table(open_file(source.file), source).rows

    return read
