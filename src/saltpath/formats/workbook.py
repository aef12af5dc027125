"""Tables in and out of spreadsheet programs: XLSX (ISO/IEC 29500) and CSV (RFC 4180 and what programs make of it).

Cells are texts here. Numbers of a workbook come as they are shown in a formula bar, dates in ISO 8601, truth values as JSON has them. What is
written never runs as a formula in the program that opens it.
"""

from __future__ import annotations

import csv
import io
import re
import zipfile
import zlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import Any

from openpyxl import Workbook, load_workbook
from openpyxl.cell import MergedCell, WriteOnlyCell
from openpyxl.styles import Alignment, Font
from openpyxl.utils import get_column_letter

from saltpath.core import plain
from saltpath.core.grammar import Unreadable

LARGEST = 20_000_000
LARGEST_UNPACKED = 100_000_000
MOST_ROWS = 20_000
MOST_COLUMNS = 200
XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
CSV = "text/csv; charset=utf-8"
_OLD = b"\xd0\xcf\x11\xe0"
_DELIMITERS = ",;\t|"
_FORMULA = re.compile(r"[=+\-@\t\r]")
_ESCAPED = re.compile(r"'+[=+\-@\t\r]")
_NUMBER = re.compile(r"-?(?:0|[1-9]\d*)(?:\.\d+)?")
_WIDTHS = {"case": 34, "step": 28, "method": 9, "address": 40, "headers": 26, "body": 40, "of": 28, "relation": 16, "expected": 28,
           "note": 22, "mark": 9, "verdict": 11, "was": 24, "seen": 24}  # fmt: skip
_NARROW = 12

Table = list[list[str]]


@dataclass(frozen=True, slots=True)
class Sheet:
    """One sheet of a workbook; a CSV file has one, named after nothing."""

    name: str
    table: Table


@dataclass(frozen=True, slots=True)
class Book:
    """What a file holds, and what is worth saying about how it was read."""

    sheets: list[Sheet]
    said: list[str]


def read_book(octets: bytes) -> Book:
    """A workbook or a CSV file, whichever it is. Raises Unreadable with what is wrong and what to do."""
    if len(octets) > LARGEST:
        raise Unreadable(f"this file holds more than {LARGEST // 1_000_000} MB")
    if octets.startswith(_OLD):
        raise Unreadable(
            "this workbook is of the old kind (.xls), or protected by a password; save it as .xlsx without one"
        )
    if octets.startswith(b"PK"):
        return _read_xlsx(octets)
    return _read_csv(octets)


# ---- XLSX


def _read_xlsx(octets: bytes) -> Book:
    _safe_archive(octets)
    try:
        book = load_workbook(io.BytesIO(octets), read_only=True, data_only=True, keep_links=False)
        sheets = [Sheet(sheet.title, _table(sheet)) for sheet in book.worksheets]
        book.close()
    except Unreadable:
        raise
    except Exception as problem:  # the library raises whatever a spoilt part of the archive makes it stumble over
        raise Unreadable(f"this workbook cannot be read; it may be cut short or damaged ({_short(problem)})") from None
    if not sheets:
        raise Unreadable("this workbook holds no sheet with cells")
    return Book(sheets, _formulas_without_values(octets, sheets))


def _short(problem: Exception) -> str:
    return f"{type(problem).__name__}: {problem}"[:120]


def _safe_archive(octets: bytes) -> None:
    """Refuse what would take more than it says, and what no spreadsheet program writes."""
    try:
        with zipfile.ZipFile(io.BytesIO(octets)) as archive:
            parts = archive.infolist()
            if sum(part.file_size for part in parts) > LARGEST_UNPACKED or len(parts) > 5_000:
                raise Unreadable(f"this workbook unpacks to more than {LARGEST_UNPACKED // 1_000_000} MB")
            names = {part.filename for part in parts}
            if "mimetype" in names and "content.xml" in names:
                raise Unreadable("this is an OpenDocument sheet (.ods); save it as .xlsx or as CSV")
            if "[Content_Types].xml" not in names:
                raise Unreadable("this is an archive, and no workbook")
            for part in parts:
                if part.filename.endswith((".xml", ".rels")) and b"<!DOCTYPE" in archive.open(part).read(4_000):
                    raise Unreadable(
                        "this workbook declares a document type, which no spreadsheet program does; it is not read"
                    )
    except (
        zipfile.BadZipFile,
        zlib.error,
        EOFError,
        OSError,
        NotImplementedError,
        RuntimeError,
        ValueError,
    ) as problem:
        raise Unreadable(f"this workbook cannot be read; it may be cut short or damaged ({_short(problem)})") from None


def _table(sheet: Any) -> Table:
    sheet.reset_dimensions()  # which a file may state wrongly
    table: Table = []
    for row in sheet.iter_rows(values_only=True):
        if len(table) >= MOST_ROWS:
            raise Unreadable(f"the sheet {sheet.title} holds more than {MOST_ROWS} rows")
        if len(row) > MOST_COLUMNS and any(cell is not None for cell in row[MOST_COLUMNS:]):
            raise Unreadable(f"the sheet {sheet.title} holds more than {MOST_COLUMNS} columns")
        table.append([_text(cell) for cell in row[:MOST_COLUMNS]])
    return _trimmed(table)


def _text(cell: Any) -> str:
    if cell is None:
        return ""
    if isinstance(cell, bool):
        return "true" if cell else "false"
    if isinstance(cell, int):
        return str(cell)
    if isinstance(cell, float):
        return str(int(cell)) if cell.is_integer() and abs(cell) < 1e15 else format(Decimal(repr(cell)), "f")
    if isinstance(cell, datetime):
        midnight = cell.time() == time() and cell.tzinfo is None
        return (
            cell.date().isoformat()
            if midnight
            else cell.isoformat(timespec="milliseconds" if cell.microsecond else "seconds")
        )
    if isinstance(cell, date | time):
        return cell.isoformat()
    if isinstance(cell, timedelta):
        return f"{cell.total_seconds():g} s"
    return str(cell)


def _formulas_without_values(octets: bytes, sheets: list[Sheet]) -> list[str]:
    """Formulas that no program has worked out yet read as empty; where they stand is said."""
    if not _has_formulas(octets):
        return []
    book = load_workbook(io.BytesIO(octets), read_only=True, keep_links=False)
    found = []
    for sheet in sheets:
        of = book[sheet.name]
        of.reset_dimensions()
        for number, row in enumerate(of.iter_rows(values_only=True)):
            for column, cell in enumerate(row[:MOST_COLUMNS]):
                empty = (
                    number >= len(sheet.table) or column >= len(sheet.table[number]) or not sheet.table[number][column]
                )
                if empty and isinstance(cell, str) and cell.startswith("="):
                    found.append(f"{sheet.name}!{get_column_letter(column + 1)}{number + 1}")
    book.close()
    if not found:
        return []
    more = f" and {len(found) - 5} more" if len(found) > 5 else ""
    return [
        f"Formulas without a value were left empty: {', '.join(found[:5])}{more}; open and save the file in a spreadsheet program."
    ]


def _has_formulas(octets: bytes) -> bool:
    with zipfile.ZipFile(io.BytesIO(octets)) as archive:
        sheets = [name for name in archive.namelist() if name.startswith("xl/worksheets/") and name.endswith(".xml")]
        return any(b"<f" in archive.read(name) for name in sheets)


# ---- CSV


def _read_csv(octets: bytes) -> Book:
    text, said = _decoded(octets)
    if "\x00" in text:
        raise Unreadable("this is neither a workbook (.xlsx) nor a text of cells (CSV)")
    delimiter = _delimiter(text)
    table: Table = []
    try:
        for row in csv.reader(io.StringIO(text, newline=""), delimiter=delimiter):
            if len(table) >= MOST_ROWS:
                raise Unreadable(f"this file holds more than {MOST_ROWS} rows")
            if len(row) > MOST_COLUMNS:
                raise Unreadable(f"row {len(table) + 1} holds more than {MOST_COLUMNS} columns")
            table.append([_unescaped(cell) for cell in row])
    except csv.Error as problem:
        raise Unreadable(f"row {len(table) + 1} of this file cannot be read: {problem}") from None
    if not any(any(row) for row in table):
        raise Unreadable("this file is empty")
    return Book([Sheet("", _trimmed(table))], said)


def _decoded(octets: bytes) -> tuple[str, list[str]]:
    for mark, encoding in ((b"\xef\xbb\xbf", "utf-8-sig"), (b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16")):
        if octets.startswith(mark):
            try:
                return octets.decode(encoding), []
            except UnicodeDecodeError as problem:
                raise Unreadable(f"this file begins as {encoding}, and is not: {problem.reason}") from None
    try:
        return octets.decode(), []
    except UnicodeDecodeError:
        return octets.decode("cp1252", "replace"), [
            "It is not UTF-8; its letters were read as Windows-1252. Save it as UTF-8 if they are wrong."
        ]


def _delimiter(text: str) -> str:
    """The one that divides the first rows into the same number of cells, more than one; a comma if none does."""
    best, most = ",", 0
    for delimiter in _DELIMITERS:
        try:
            rows = [
                row
                for row, _ in zip(
                    csv.reader(io.StringIO(text[:200_000], newline=""), delimiter=delimiter), range(20), strict=False
                )
                if row
            ]
        except csv.Error:
            continue
        widths = [len(row) for row in rows]
        score = sum(width == widths[0] for width in widths) * (widths[0] - 1) if widths else 0
        if score > most:
            best, most = delimiter, score
    return best


def _unescaped(cell: str) -> str:
    return cell[1:] if _ESCAPED.match(cell) else cell


def _trimmed(table: Table) -> Table:
    """Without the empty rows and columns at its end."""
    while table and not any(table[-1]):
        table.pop()
    width = max((at + 1 for row in table for at, cell in enumerate(row) if cell), default=0)
    return [row[:width] for row in table]


# ---- out


def write_csv(headings: Sequence[str], rows: Iterable[Mapping[str, str]]) -> bytes:
    """UTF-8 with a byte order mark, by which spreadsheet programs know it; what would run as a formula has an apostrophe before it."""
    return write_csv_table([list(headings), *([row.get(name, "") for name in headings] for row in rows)])


def write_csv_table(table: Iterable[Sequence[str]], delimiter: str = ",") -> bytes:
    out = io.StringIO(newline="")
    writer = csv.writer(out, delimiter=delimiter)
    writer.writerows([[_escaped(cell) for cell in row] for row in table])
    return b"\xef\xbb\xbf" + out.getvalue().encode()


def _escaped(cell: str) -> str:
    risky = (_FORMULA.match(cell) and not _NUMBER.fullmatch(cell)) or _ESCAPED.match(cell)
    return f"'{cell}" if risky else cell


def write_xlsx(title: str, headings: Sequence[str], rows: Iterable[Mapping[str, str]]) -> bytes:
    """A workbook of one sheet, its headings frozen. Numbers that a spreadsheet program keeps as they are written are numbers, all else text."""
    book = Workbook(write_only=True)
    sheet = book.create_sheet(re.sub(r"[\[\]:*?/\\]", " ", title)[:31].strip(" '") or "Checks")
    sheet.freeze_panes = "A2"
    for at, name in enumerate(headings, 1):
        sheet.column_dimensions[get_column_letter(at)].width = _WIDTHS.get(name, _NARROW)
    sheet.append([_cell(sheet, name, bold=True) for name in headings])
    for row in rows:
        sheet.append([_cell(sheet, row.get(name, ""), name in ("expected", "was")) for name in headings])
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def _cell(sheet: Any, text: str, may_be_number: bool = False, bold: bool = False) -> Any:
    if not text:
        return None
    if may_be_number and is_safe_number(text):
        return WriteOnlyCell(sheet, value=plain.read_json(text))
    cell = WriteOnlyCell(sheet, value="")
    as_text(cell, text)
    if bold:
        cell.font = Font(bold=True)
    return cell


def as_text(cell: Any, text: str) -> None:
    """The text into a cell, so that it stays one: it neither runs as a formula nor is taken for a number when it is edited."""
    cell.value = text
    cell.data_type = "s"
    cell.quotePrefix = bool(_FORMULA.match(text))
    cell.alignment = Alignment(vertical="top", wrap_text="\n" in text)


def is_safe_number(text: str) -> bool:
    """Whether a spreadsheet program, whose numbers have 15 digits and no zeros at their end, keeps it as it is written."""
    digits = sum(char.isdigit() for char in text)
    return bool(_NUMBER.fullmatch(text)) and digits <= 15 and not ("." in text and text.endswith("0")) and text != "-0"


Values = Mapping[int, Mapping[str, str]]
"""Texts by heading, by number of the table's row."""


def beside(octets: bytes, sheet: str, headings: int, columns: Mapping[str, int], values: Values) -> bytes:
    """The file again with values beside its rows. `headings`: the row where they stand, from 0; `columns`: those that hold our words already,
    from 0; further ones come at the right. Of a workbook formulas, formats and the other sheets stay; charts and pictures do not.

    Raises Unreadable."""
    if not octets.startswith(b"PK"):
        table = read_book(octets).sheets[0].table
        return _csv_with_cells(octets, table, _texts(max(map(len, table)), headings, columns, values))
    _safe_archive(octets)
    try:
        book = load_workbook(io.BytesIO(octets))
        of = book[sheet]
    except Exception as problem:  # see _read_xlsx
        raise Unreadable(f"this workbook cannot be read again ({_short(problem)})") from None
    width = max((cell.column for row in of.iter_rows() for cell in row if cell.value is not None), default=0)
    for (row, column), text in _texts(width, headings, columns, values).items():
        cell = of.cell(row + 1, column + 1)
        if type(cell) is not MergedCell:
            as_text(cell, text)
            if row == headings:
                cell.font = Font(bold=True)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def _texts(width: int, headings: int, columns: Mapping[str, int], values: Values) -> dict[tuple[int, int], str]:
    """What goes where, by row and column: our headings right of everything, and the values below them."""
    names = dict.fromkeys(name for texts in values.values() for name in texts)
    new = [name for name in names if name not in columns]
    at = {**columns, **{name: width + place for place, name in enumerate(new)}}
    found = {(headings, at[name]): name for name in new}
    return found | {(row, at[name]): text for row, texts in values.items() for name, text in texts.items()}


def _csv_with_cells(octets: bytes, table: Table, texts: Mapping[tuple[int, int], str]) -> bytes:
    width = max([column + 1 for _, column in texts] + [len(row) for row in table])
    wide = [row + [""] * (width - len(row)) for row in table]
    for (row, column), text in texts.items():
        wide[row][column] = text
    return write_csv_table(wide, _delimiter(_decoded(octets)[0]))
