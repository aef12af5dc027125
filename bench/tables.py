"""Tables from the wild, read by us without a word and by the csv module or openpyxl with the right
parameters: what is read otherwise, and whether it is told (`python -m bench.suites`)."""

from __future__ import annotations

import csv
import warnings
from collections import Counter
from collections.abc import Iterator
from itertools import islice
from pathlib import Path
from typing import Any, NamedTuple

from saltpath.core.cases.row_sources import FileRows
from saltpath.core.values.grammar import Unreadable
from saltpath.formats.rows import csv_rows, read_table, xlsx_rows
from saltpath.formats.spreadsheets import openpyxl
from tests.public_files import FOLDER

PACKAGES = ("csvkit", "tablib", "pyexcel", "frictionless", "npm:csv-spectrum")
MOST_ROWS = 3_000


class Right(NamedTuple):
    """How a table is read rightly."""

    encoding: str = "utf-8-sig"
    delimiter: str = ","
    head: int | None = 0
    """Where names stand, from 0; None: nowhere."""
    begin: int = 1
    """Where the data begin."""
    comments: str = ""
    options: dict[str, Any] = {}
    """For the csv module, beside the delimiter."""


_NO_NAMES = Right(head=None, begin=0)
_SEMICOLON = Right(delimiter=";")
RIGHT: dict[str, Right] = {
    "bad_skip_lines.csv": Right(head=3, begin=4),
    "test_skip_lines.csv": Right(head=3, begin=4),
    "test_latin1.csv": Right("latin-1"),
    "latin1.csv": Right("latin-1"),
    "test_utf16_big.csv": Right("utf-16"),
    "test_utf16_little.csv": Right("utf-16"),
    "sniff_limit.csv": _SEMICOLON,
    "dummy.tsv": Right(delimiter="\t"),
    "no_header_row.csv": _NO_NAMES,
    "no_header_row2.csv": _NO_NAMES,
    "no_header_row3.csv": _NO_NAMES,
    "Datagov_FY10_EDU_recp_by_State.csv": Right(head=2, begin=3),
    "example.csv": _NO_NAMES,
    "scattered-csv-files/1.csv": _NO_NAMES,
    "scattered-csv-files/2.csv": _NO_NAMES,
    "scattered-csv-files/3.csv": _NO_NAMES,
    "test_cook_book_merge_numbers.csv": _NO_NAMES,
    "test_cook_book_merge_numbers_2.csv": _NO_NAMES,
    "non-uniform-rows.csv": _NO_NAMES,
    "accent.csv": _SEMICOLON,
    "delimiter.csv": _SEMICOLON,
    "issue-1009-semicolon.csv": _SEMICOLON,
    "issue-1066.csv": _SEMICOLON,
    "issue-1100.csv": _SEMICOLON,
    "issue-1105-timezone.csv": _SEMICOLON,
    "issue-1138.csv": _SEMICOLON,
    "issue-1232.csv": _SEMICOLON,
    "table.tsv": Right(delimiter="\t"),
    "issue-1478/table.csv": Right(delimiter="|", head=None, begin=0),
    "dialect.csv": Right(delimiter="|"),
    "table-infer-iso-8859-7.csv": Right("iso8859-7"),
    "table-with-accents.csv": Right("cp1252", ";"),
    "issue-811.csv": Right("cp1252", ";"),
    "countries.csv": Right(head=1, begin=2),
    "country-2.csv": Right(delimiter=";", head=1, begin=2),
    "matrix-with-comment.csv": Right(head=1, begin=2),
    "skip-rows-before-headers.csv": Right(head=1, begin=2),
    "skip-rows.csv": Right(head=1, begin=2),
    "chunk2.headless.csv": _NO_NAMES,
    "chunk3.csv": _NO_NAMES,
    "without-headers.csv": _NO_NAMES,
    "without-headers-extra.csv": _NO_NAMES,
    "table-10MB.csv": _NO_NAMES,
    "table-1MB.csv": _NO_NAMES,
    "table-5MB.csv": _NO_NAMES,
    "transpose.csv": _NO_NAMES,
    "escaping.csv": Right(options={"escapechar": "\\", "skipinitialspace": True}),
    "issue-1109.csv": Right(options={"skipinitialspace": True}),
    "capitals.csv": Right(options={"skipinitialspace": True}),
    "test_skip_lines.xlsx": Right(head=3, begin=4),
    "example.xlsx": _NO_NAMES,
    "example.xlsm": _NO_NAMES,
    "file_with_an_empty_sheet.xlsx": _NO_NAMES,
    "issue-870.xlsx": Right(),
    "skip-rows.xlsx": Right(head=1, begin=2),
    "column.csv": _NO_NAMES,
    "table-delimiter.csv": _SEMICOLON,
    "vix.csv": _SEMICOLON,
    "bug_01.csv": _NO_NAMES,
    "issue-1024.xlsx": Right(head=11, begin=12),
    "issue-320.xlsx": Right(head=11, begin=12),
    "multiline-headers.xlsx": Right(head=3, begin=5),
    "ragged.xlsx": Right(),
}
"""By a file's name, perhaps with its folder, what is not as most are."""


def tables() -> None:
    """Prints each table that is read otherwise than rightly, and how many there are of each
    sort."""
    warnings.simplefilter("ignore")
    sorts: Counter[str] = Counter()
    for package in PACKAGES:
        root = next(iter(sorted(FOLDER.glob(f"{package}==*"))), None)
        if root is None:
            print(f"{package} is not unpacked")
            continue
        for file in sorted(root.rglob("*")):
            if file.suffix.lower() in (".csv", ".tsv", ".xlsx", ".xlsm") and file.is_file():
                sort, what = _compared(file)
                sorts[sort] += 1
                if sort == "in silence":
                    print(f"read otherwise in silence: {package}: {file.relative_to(root)}: {what}")
    print(f"tables from the wild: {sum(sorts.values())}, of which {dict(sorts)}")


def _compared(file: Path) -> tuple[str, str]:
    """`as rightly`, `told` or `in silence`; and what is otherwise."""
    right = RIGHT.get(f"{file.parent.name}/{file.name}", RIGHT.get(file.name, Right()))
    is_book = file.suffix.lower() in (".xlsx", ".xlsm")
    try:
        with file.open("rb") as opened:
            sure = is_book or csv_rows.found_dialect(opened, FileRows(file.name)).sure
        with file.open("rb") as opened:
            table = read_table(opened, FileRows(file.name))
            rows = list(islice(table.rows, MOST_ROWS))
        sure = sure and not table.frame.doubts
    except Unreadable as problem:
        return "told", str(problem)
    silent = "in silence" if sure else "told"
    wanted = list(islice(_book(file) if is_book else _rightly(file, right), MOST_ROWS + 20))
    head = wanted[right.head] if right.head is not None and right.head < len(wanted) else None
    data = [[_text(cell) for cell in record] for record in wanted[right.begin :]]
    data = [record for record in data if any(record)]
    names = [" ".join(_text(cell).split()) for cell in head or ()]
    ours = [name for name in table.names if name in names]
    if (head is None) != (not table.frame.names):
        return silent, f"names stand in row {table.frame.names}"
    if head is not None and [name for name in dict.fromkeys(names) if name] != list(
        dict.fromkeys(ours)
    ):
        return silent, f"names {table.names[:5]} for {names[:5]}"
    if len(rows) < MOST_ROWS and len(rows) != len(data):
        return silent, f"{len(rows)} rows for {len(data)}"
    for row, record in zip(rows, data, strict=False):
        cells = [_text(value) for value in row.values.values()]
        width = len(cells)
        same = [cell.strip() for cell in cells] == [*record[:width], *[""] * (width - len(record))]
        if row.why is None and (not same or any(record[width:])):
            return silent, f"row {row.number}: {cells[:6]} for {record[:6]}"
    return "as rightly", ""


def _rightly(file: Path, right: Right) -> Iterator[list[str]]:
    with file.open(encoding=right.encoding, newline="", errors="replace") as opened:
        yield from csv.reader(opened, delimiter=right.delimiter, **right.options)


def _book(file: Path) -> Iterator[list[Any]]:
    """Its rows to the last in which something is written, merged cells with the value of their
    first."""
    with file.open("rb") as opened:
        _, name = xlsx_rows.sheets_of(opened)
    sheet = openpyxl().load_workbook(file, data_only=True)[name]
    areas = sheet.merged_cells.ranges
    first = {at: area.start_cell for area in areas for row in area.rows for at in row}
    rows = list(sheet.iter_rows())
    while rows and all(cell.value is None for cell in rows[-1]):
        rows.pop()
    for row in rows:
        merged = (first.get((cell.row, cell.column), cell) for cell in row)
        yield [xlsx_rows.plain_value(cell.value) for cell in merged]


def _text(cell: Any) -> str:
    return "" if cell is None else str(cell).strip()
