"""Tables in and out of spreadsheet programs: XLSX (ISO/IEC 29500) and CSV (RFC 4180 and what
programs make of it).

Cells are texts here. Numbers of a workbook come as they are shown in a formula bar, dates in ISO
8601, truth values as JSON has them. What is written never runs as a formula in the program that
opens it.
"""

from __future__ import annotations

import csv
import io
import re
import zipfile
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from msgspec import Struct

from saltpath.core.cases.row_sources import FileRows
from saltpath.core.running.outputs import columns_of
from saltpath.core.tables.frame import column_letters
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.nearest import listed
from saltpath.formats.archives import check_places, safe_archive, short
from saltpath.formats.rows.csv_rows import found_dialect
from saltpath.formats.rows.encodings import shown
from saltpath.formats.rows.xlsx_rows import plain_value
from saltpath.formats.spreadsheets import openpyxl
from saltpath.formats.xml_text import xml_text

LARGEST = 20_000_000
LARGEST_UNPACKED = 100_000_000
MOST_ROWS = 20_000
MOST_COLUMNS = 200
XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
CSV = "text/csv; charset=utf-8"
_OLD = b"\xd0\xcf\x11\xe0"
_FORMULA = re.compile(r"[=+\-@\t\r]")
_ESCAPED = re.compile(r"'+[=+\-@\t\r]")
_NUMBER = re.compile(r"-?(?:0|[1-9]\d*)(?:\.\d+)?")
_WIDTHS = {
    "case": 34,
    "step": 28,
    "method": 9,
    "address": 40,
    "headers": 26,
    "body": 40,
    "of": 28,
    "relation": 16,
    "expected": 28,
    "note": 22,
    "mark": 9,
    "verdict": 11,
    "was": 24,
    "seen": 24,
}
_NARROW = 12
LONGEST_CELL = 32_000

Table = list[list[str]]


class Sheet(Struct, frozen=True):
    """One sheet of a workbook; a CSV file has one, named after nothing."""

    name: str
    table: Table


class Book(Struct, frozen=True):
    """What a file holds, and what is worth saying about how it was read."""

    sheets: list[Sheet]
    said: list[str]


def read_book(octets: bytes) -> Book:
    """A workbook or a CSV file, whichever it is. Raises Unreadable with what is wrong and what to
    do."""
    if len(octets) > LARGEST:
        raise Unreadable(f"this file holds more than {LARGEST // 1_000_000} MB")
    if octets.startswith(_OLD):
        raise Unreadable(
            "this workbook is of the old kind (.xls), or protected by a password; save it as "
            ".xlsx without one"
        )
    if octets.startswith(b"PK"):
        return _read_xlsx(octets)
    return _read_csv(octets)


# ---- XLSX


def _read_xlsx(octets: bytes) -> Book:
    safe_archive(io.BytesIO(octets), LARGEST_UNPACKED)
    try:
        book = openpyxl().load_workbook(
            io.BytesIO(octets), read_only=True, data_only=True, keep_links=False
        )
        with zipfile.ZipFile(io.BytesIO(octets)) as archive:
            for part in [sheet._worksheet_path for sheet in book.worksheets]:
                with archive.open(part) as text:
                    check_places(text)
        sheets = [Sheet(sheet.title, _table(sheet)) for sheet in book.worksheets]
        book.close()
    except Unreadable:
        raise
    # the library raises whatever a spoilt part of the archive makes it stumble over
    except Exception as problem:
        raise Unreadable(
            f"this workbook cannot be read; it may be cut short or damaged ({short(problem)})"
        ) from None
    if not sheets:
        raise Unreadable("this workbook holds no sheet with cells")
    return Book(sheets, _formulas_without_values(octets, sheets))


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
    value = plain_value(cell)
    return "" if value is None else plain.as_text(value)


def _formulas_without_values(octets: bytes, sheets: list[Sheet]) -> list[str]:
    """Formulas that no program has worked out yet read as empty; where they stand is said."""
    if not _has_formulas(octets):
        return []
    book = openpyxl().load_workbook(io.BytesIO(octets), read_only=True, keep_links=False)
    found = []
    for sheet in sheets:
        of = book[sheet.name]
        of.reset_dimensions()
        for number, row in enumerate(of.iter_rows(values_only=True)):
            for column, cell in enumerate(row[:MOST_COLUMNS]):
                empty = (
                    number >= len(sheet.table)
                    or column >= len(sheet.table[number])
                    or not sheet.table[number][column]
                )
                if empty and isinstance(cell, str) and cell.startswith("="):
                    found.append(f"{sheet.name}!{column_letters(column + 1)}{number + 1}")
    book.close()
    if not found:
        return []
    more = f" and {len(found) - 5} more" if len(found) > 5 else ""
    return [
        f"Formulas without a value were left empty: {', '.join(found[:5])}{more}; open and save "
        "the file in a spreadsheet program."
    ]


def _has_formulas(octets: bytes) -> bool:
    with zipfile.ZipFile(io.BytesIO(octets)) as archive:
        sheets = [
            name
            for name in archive.namelist()
            if name.startswith("xl/worksheets/") and name.endswith(".xml")
        ]
        return any(b"<f" in archive.read(name) for name in sheets)


# ---- CSV


def _read_csv(octets: bytes) -> Book:
    text, delimiter, said = _decoded(octets)
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


def _decoded(octets: bytes) -> tuple[str, str, list[str]]:
    """The text, its delimiter, and what is worth saying about its letters."""
    file = io.BytesIO(octets)
    dialect = found_dialect(file, FileRows(""))
    said = (
        []
        if dialect.encoding.startswith("utf")
        else [
            f"It is not UTF-8; its letters were read as {shown(dialect.encoding)}. Save it as "
            "UTF-8 if they are wrong."
        ]
    )
    try:
        return octets.decode(dialect.encoding), dialect.delimiter, said
    except UnicodeDecodeError as problem:
        raise Unreadable(
            f"this file begins as {shown(dialect.encoding)}, and is not: {problem.reason}"
        ) from None


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
    """UTF-8 with a byte order mark, by which spreadsheet programs know it; what would run as a
    formula has an apostrophe before it."""
    return write_csv_table(
        [list(headings), *([row.get(name, "") for name in headings] for row in rows)]
    )


def write_csv_table(table: Iterable[Sequence[str]], delimiter: str = ",") -> bytes:
    out = io.StringIO(newline="")
    writer = csv.writer(out, delimiter=delimiter)
    writer.writerows([[safe_cell(cell) for cell in row] for row in table])
    return b"\xef\xbb\xbf" + out.getvalue().encode()


def safe_cell(cell: str) -> str:
    """A cell of a CSV file, with an apostrophe before what would run as a formula."""
    risky = (_FORMULA.match(cell) and not _NUMBER.fullmatch(cell)) or _ESCAPED.match(cell)
    return f"'{cell}" if risky else cell


def write_xlsx(title: str, headings: Sequence[str], rows: Iterable[Mapping[str, str]]) -> bytes:
    """A workbook of one sheet, its headings frozen. Numbers that a spreadsheet program keeps as
    they are written are numbers, all else text."""
    book = openpyxl().Workbook(write_only=True)
    sheet = book.create_sheet(_sheet_title(title or "Checks", ()))
    sheet.freeze_panes = "A2"
    for at, name in enumerate(headings, 1):
        sheet.column_dimensions[column_letters(at)].width = _WIDTHS.get(name, _NARROW)
    sheet.append([_cell(sheet, name, bold=True) for name in headings])
    for row in rows:
        sheet.append(
            [_cell(sheet, row.get(name, ""), name in ("expected", "was")) for name in headings]
        )
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


Row = Mapping[str, Any]


def write_values_xlsx(tables: Sequence[tuple[str, Sequence[Row]]]) -> bytes:
    """A workbook with a sheet for each table of plain values: numbers, truth values, and texts. The
    numbers of a column are all numbers, each shown with the decimals that it has; or all texts,
    where a spreadsheet program could not hold one of them."""
    book = openpyxl().Workbook(write_only=True)
    for name, rows in tables or [("Rows", [])]:
        sheet = book.create_sheet(_sheet_title(name, book.sheetnames))
        sheet.freeze_panes = "A2"
        columns = columns_of(rows)
        sheet.append([_cell(sheet, column, bold=True) for column in columns])
        held = {column for column in columns if all(_is_held(row.get(column)) for row in rows)}
        for row in rows:
            sheet.append(
                [_value_cell(sheet, row.get(column), column in held) for column in columns]
            )
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def _sheet_title(name: str, taken: Sequence[str]) -> str:
    """A name that a sheet can have and no other has."""
    title = re.sub(r"[\[\]:*?/\\]", " ", name)[:31].strip(" '") or "Rows"
    number, free = 1, title
    while free.lower() in (other.lower() for other in taken):
        number += 1
        free = f"{title[: 30 - len(str(number))]} {number}"
    return free


def write_values_csv(rows: Sequence[Row]) -> bytes:
    """The same as CSV: UTF-8 with a byte order mark; what would run as a formula has an apostrophe
    before it."""
    columns = columns_of(rows)
    return write_csv_table(
        [columns, *([value_text(row.get(column)) for column in columns] for row in rows)]
    )


def value_text(value: Any) -> str:
    """A plain value as a cell's text: nothing for null, lists and objects as JSON."""
    return "" if value is None else plain.as_text(value)


def _is_held(value: Any) -> bool:
    """Whether a spreadsheet program, whose numbers have 15 digits, can hold it, if it is a
    number."""
    return not plain.is_number(value) or is_safe_number(_without_zeros(value_text(value)))


def _without_zeros(text: str) -> str:
    return text.rstrip("0").rstrip(".") if "." in text and "e" not in text.lower() else text


def _value_cell(sheet: Any, value: Any, held: bool) -> Any:
    if not isinstance(value, bool) and not (plain.is_number(value) and held):
        return _cell(sheet, value_text(value)[:LONGEST_CELL])
    cell = openpyxl().cell.WriteOnlyCell(sheet, value=None)
    _put(cell, value)
    return cell


def _put(cell: Any, value: Any) -> None:
    """A truth value, or a number with as many decimals as it has, into a cell that has no format of
    its own."""
    if isinstance(value, bool):
        cell.value = value
        return
    text = value_text(value)
    cell.value = plain.read_json(_without_zeros(text))
    decimals = len(text.partition(".")[2])
    if _without_zeros(text) != text and cell.number_format == "General":
        cell.number_format = f"0.{'0' * decimals}" if decimals else "0"


def into_sheet(octets: bytes, sheet: str, row: int, column: int, rows: Sequence[Row]) -> bytes:
    """A workbook with a table put into one of its sheets, its headings at this cell (counted from
    1), whatever stood there. Formulas, formats and the other sheets stay; charts and pictures do
    not. Raises Unreadable."""
    safe_archive(io.BytesIO(octets), LARGEST_UNPACKED)
    try:
        book = openpyxl().load_workbook(io.BytesIO(octets))
    # the library raises whatever a spoilt part of the archive makes it stumble over
    except Exception as problem:
        raise Unreadable(
            f"this workbook cannot be read; it may be cut short or damaged ({short(problem)})"
        ) from None
    if sheet not in book.sheetnames:
        raise Unreadable(
            f"the workbook has no sheet {sheet!r}; it has {listed(book.sheetnames, 8)}"
        )
    columns = columns_of(rows)
    table: list[list[Any]] = [list(columns), *([one.get(name) for name in columns] for one in rows)]
    held = [all(_is_held(one.get(name)) for one in rows) for name in columns]
    for down, cells in enumerate(table):
        for right, value in enumerate(cells):
            cell = book[sheet].cell(row + down, column + right)
            if isinstance(cell, openpyxl().cell.MergedCell):
                raise Unreadable(
                    f"the cell {cell.coordinate} is merged with others; choose another place"
                )
            if isinstance(value, bool) or (plain.is_number(value) and held[right]):
                _put(cell, value)
            else:
                text = value_text(value)[:LONGEST_CELL]
                cell.value = text
                cell.data_type = "s"
                cell.quotePrefix = bool(_FORMULA.match(text))
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def _cell(sheet: Any, text: str, may_be_number: bool = False, bold: bool = False) -> Any:
    if not text:
        return None
    if may_be_number and is_safe_number(text):
        return openpyxl().cell.WriteOnlyCell(sheet, value=plain.read_json(text))
    cell = openpyxl().cell.WriteOnlyCell(sheet, value="")
    as_text(cell, text)
    if bold:
        cell.font = openpyxl().styles.Font(bold=True)
    return cell


def as_text(cell: Any, text: str) -> None:
    """The text into a cell, so that it stays one: it neither runs as a formula nor is taken for a
    number when it is edited."""
    cell.value = xml_text(text)
    cell.data_type = "s"
    cell.quotePrefix = bool(_FORMULA.match(text))
    cell.alignment = openpyxl().styles.Alignment(vertical="top", wrap_text="\n" in text)


def is_safe_number(text: str) -> bool:
    """Whether a spreadsheet program, whose numbers have 15 digits and no zeros at their end, keeps
    it as it is written."""
    digits = sum(char.isdigit() for char in text)
    return (
        bool(_NUMBER.fullmatch(text))
        and digits <= 15
        and not ("." in text and text.endswith("0"))
        and text != "-0"
    )


Values = Mapping[int, Mapping[str, str]]
"""Texts by heading, by number of the table's row."""


def beside(
    octets: bytes, sheet: str, headings: int, columns: Mapping[str, int], values: Values
) -> bytes:
    """The file again with values beside its rows. `headings`: the row where they stand, from 0;
    `columns`: those that hold our words already, from 0; further ones come at the right. Of a
    workbook formulas, formats and the other sheets stay; charts and pictures do not.

    Raises Unreadable."""
    if not octets.startswith(b"PK"):
        table = read_book(octets).sheets[0].table
        return _csv_with_cells(
            octets, table, _texts(max(map(len, table)), headings, columns, values)
        )
    safe_archive(io.BytesIO(octets), LARGEST_UNPACKED)
    try:
        book = openpyxl().load_workbook(io.BytesIO(octets))
        of = book[sheet]
    except Exception as problem:  # see _read_xlsx
        raise Unreadable(f"this workbook cannot be read again ({short(problem)})") from None
    width = max(
        (cell.column for row in of.iter_rows() for cell in row if cell.value is not None), default=0
    )
    for (row, column), text in _texts(width, headings, columns, values).items():
        cell = of.cell(row + 1, column + 1)
        if type(cell) is not openpyxl().cell.MergedCell:
            as_text(cell, text)
            if row == headings:
                cell.font = openpyxl().styles.Font(bold=True)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def _texts(
    width: int, headings: int, columns: Mapping[str, int], values: Values
) -> dict[tuple[int, int], str]:
    """What goes where, by row and column: our headings right of everything, and the values below
    them."""
    names = dict.fromkeys(name for texts in values.values() for name in texts)
    new = [name for name in names if name not in columns]
    at = {**columns, **{name: width + place for place, name in enumerate(new)}}
    found = {(headings, at[name]): name for name in new}
    return found | {
        (row, at[name]): text for row, texts in values.items() for name, text in texts.items()
    }


def _csv_with_cells(octets: bytes, table: Table, texts: Mapping[tuple[int, int], str]) -> bytes:
    width = max([column + 1 for _, column in texts] + [len(row) for row in table])
    wide = [row + [""] * (width - len(row)) for row in table]
    for (row, column), text in texts.items():
        wide[row][column] = text
    return write_csv_table(wide, _decoded(octets)[1])
