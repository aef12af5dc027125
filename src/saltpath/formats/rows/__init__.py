"""Rows of files, whatever program wrote them: CSV, XLSX, JSON, JSON Lines. They are streamed; a
file is never held whole unless it is one JSON document."""

from __future__ import annotations

from pathlib import PurePosixPath
from typing import TYPE_CHECKING, BinaryIO

from saltpath.core.cases.row_sources import FileRows

if TYPE_CHECKING:
    from saltpath.core.tables.table import Table

OLD_WORKBOOK = b"\xd0\xcf\x11\xe0"


def kind_of_file(file: BinaryIO, name: str) -> str:
    """`xlsx`, `json`, `lines` or `csv`, by what it begins with and by its name; the file is at its
    beginning again."""
    begin = file.read(64)
    file.seek(0)
    ending = PurePosixPath(name).suffix.lower()
    if begin.startswith(b"PK") or begin.startswith(OLD_WORKBOOK):
        return "xlsx"
    if ending in (".jsonl", ".ndjson"):
        return "lines"
    if ending == ".json" or (
        ending not in (".csv", ".tsv", ".txt")
        and begin.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] in (b"{", b"[")
    ):
        return "json"
    return "csv"


def read_table(file: BinaryIO, source: FileRows) -> Table:
    """The table in a file, its names found. Raises Unreadable, also while its rows are read."""
    # a reader is imported when a file needs it: a run without rows has no use for any
    kind = kind_of_file(file, source.file)
    if kind == "xlsx":
        from saltpath.formats.rows import xlsx_rows

        return xlsx_rows.read(file, source)
    if kind == "csv":
        from saltpath.formats.rows import csv_rows

        return csv_rows.read(file, source)
    from saltpath.formats.rows import json_rows

    return json_rows.read_lines(file, source) if kind == "lines" else json_rows.read(file, source)
