"""Tables at random, written as programs write them: what is found of delimiter, quote, encoding and
frame gives the same table again."""

from __future__ import annotations

import csv
import io
import json
import random
import unittest
from datetime import date, datetime, timedelta
from decimal import Decimal
from typing import Any, NamedTuple

from openpyxl import Workbook

from saltpath.core.cases.row_sources import FileRows
from saltpath.formats.rows import read_table
from tests.formats.test_rows import read

SEED = 4711
TABLES = 1_500
BOOKS = 60
NAMES = (
    "vessel",
    "length",
    "nights",
    "eta",
    "quay",
    "remark",
    "fee",
    "owner",
    "flag",
    "draught",
    "berth",
    "agent",
)
TEXTS = (
    "Marrow Finch",
    "Holm Bell",
    "Tern & Daughter",
    "Ørn",
    "Måke",
    "O'Hara",
    'say "no"',
    "one, two",
    "a; b",
    "left|right",
    "two\nlines",
    "",
    "a\tb",
    "E1",
    "  padded ",
    "=1+1",
    "Ålesund, Kvist",
    "'quoted'",
    "5 % more",
    "#3",
    "00 17",
    "null",
    "-",
)
ENCODINGS = ("utf-8", "utf-8-sig", "utf-16", "utf-16-le", "utf-16-be", "latin-1", "cp1252")


class Written(NamedTuple):
    """A table, its file, and how that was written."""

    names: list[str]
    rows: list[list[Any]]
    octets: bytes
    how: tuple[Any, ...]


def cell(chance: random.Random, kind: str) -> str:
    number = f"{chance.randrange(10, 1400) / 10}"
    if kind == "text":
        return chance.choice(TEXTS)
    return {
        "whole": str(chance.randrange(1, 400)),
        "decimal": number,
        "decimal comma": number.replace(".", ","),
        "date": f"2026-11-{chance.randrange(1, 29):02d}",
        "code": f"V-{chance.randrange(100, 999)}",
        "zeros": f"{chance.randrange(999):06d}",
        "moment": f"2026-11-{chance.randrange(1, 29):02d}T0{chance.randrange(10)}:00:00Z",
    }[kind]


def csv_file(chance: random.Random) -> Written:
    columns = chance.randrange(1, 8)
    kinds = chance.choices(
        ("whole", "decimal", "decimal comma", "date", "code", "zeros", "moment", "text", "text"),
        k=columns,
    )
    names = chance.sample(NAMES, columns)
    rows = [[cell(chance, kind) for kind in kinds] for _ in range(chance.choice((1, 2, 3, 10, 60)))]
    if columns == 1:  # a column of texts that hold every delimiter cannot be told from a table
        rows = [[text] if not set(text) & set(",;|\t") else ["E1"] for [text] in rows]
    delimiter, end = chance.choice(",;\t|"), chance.choice(("\r\n", "\n", "\r"))
    quoting = chance.choice(
        (csv.QUOTE_MINIMAL, csv.QUOTE_MINIMAL, csv.QUOTE_ALL, csv.QUOTE_NONNUMERIC)
    )
    if end == "\r" and any("\n" in text for row in rows for text in row):
        quoting = csv.QUOTE_ALL  # the library would write it bare, and nobody could tell
    out = io.StringIO(newline="")
    writer = csv.writer(out, delimiter=delimiter, quoting=quoting, lineterminator=end)
    writer.writerow(names)
    writer.writerows(rows)
    text = out.getvalue()
    if chance.random() < 0.3:
        text = text.removesuffix(end)
    encoding = chance.choice(ENCODINGS)
    return Written(names, rows, text.encode(encoding), (delimiter, quoting, end, encoding))


def book_value(chance: random.Random) -> tuple[Any, Any]:
    """A cell as it is put into a workbook, and as it is to be read."""
    number = chance.randrange(-(10**6), 10**6)
    moment = datetime(2026, 1, 1) + timedelta(seconds=chance.randrange(31_536_000))
    return chance.choice(
        (
            (number, number),
            (number / 16, number // 16 if number % 16 == 0 else Decimal(repr(number / 16))),
            (
                moment,
                moment.isoformat(timespec="seconds")
                if moment.time() != datetime.min.time()
                else moment.date().isoformat(),
            ),
            (date(2026, 11, 23), "2026-11-23"),
            (True, True),
            ("00417", "00417"),
            ("Ålesund, Kvist", "Ålesund, Kvist"),
            ("two\nlines", "two\nlines"),
        )
    )


def book_file(chance: random.Random) -> Written:
    """A workbook whose table stands somewhere, under lines that are none of it."""
    columns, above, left = (
        chance.randrange(2, 8),
        chance.choice((0, 0, 1, 3)),
        chance.choice((0, 0, 1, 2)),
    )
    names = chance.sample(NAMES, columns)
    cells = [[book_value(chance) for _ in range(columns)] for _ in range(chance.randrange(1, 40))]
    book = Workbook()
    sheet = book.active
    if above:
        sheet.cell(1, 1 + left, "Vessels at Fernholm")
    for place, name in enumerate(names):
        sheet.cell(1 + above, 1 + left + place, name)
    for at, row in enumerate(cells, 2 + above):
        for place, (written, _) in enumerate(row, 1 + left):
            sheet.cell(at, place, written)
    out = io.BytesIO()
    book.save(out)
    return Written(
        names, [[value for _, value in row] for row in cells], out.getvalue(), (above, left)
    )


def deep_names(chance: random.Random) -> tuple[Written, list[list[str]]]:
    """A workbook with names over several rows, as reports have them: headings over several columns,
    names that reach down over the rows; and those rows, which may begin with a title."""
    depth, columns = chance.randrange(2, 5), chance.randrange(3, 9)
    book = Workbook()
    sheet = book.active
    above = chance.choice((0, 1, 2))
    if above:
        sheet.cell(1, 1, "Calls of the week")
    top, bottom = above + 1, above + depth
    head = [[""] * columns for _ in range(depth)]
    at = 0
    while at < columns:
        wide = chance.randrange(1, min(3, columns - at) + 1) if at or columns < 5 else 2
        level = 0
        if wide > 1:  # a heading over names of their own
            sheet.merge_cells(
                start_row=top, end_row=bottom - 1, start_column=at + 1, end_column=at + wide
            )
            level = depth - 1
        for column in range(at, at + wide):
            name = f"{chance.choice(NAMES)} {column}"
            if level == 0:
                sheet.merge_cells(
                    start_row=top, end_row=bottom, start_column=at + 1, end_column=at + 1
                )
            sheet.cell(top + level, column + 1, name)
            for row in range(level, depth):
                head[row][column] = name
        if level:
            sheet.cell(top, at + 1, f"Group {at}")
            for row in range(level):
                head[row][at : at + wide] = [f"Group {at}"] * wide
        at += wide
    rows = [
        [f"Holm Bell {row}", *(chance.randrange(1, 999) for _ in range(columns - 1))]
        for row in range(chance.randrange(1, 12))
    ]
    for row, cells in enumerate(rows, bottom + 1):
        for column, value in enumerate(cells, 1):
            sheet.cell(row, column, value)
    out = io.BytesIO()
    book.save(out)
    return Written(head[-1], rows, out.getvalue(), (above, depth)), head


class AtRandom(unittest.TestCase):
    def agree(self, made: Written, name: str) -> None:
        names, rows = read(made.octets, name)
        self.assertEqual(names, made.names)
        # empty lines are no rows
        wanted = [row for row in made.rows if any(str(value).strip() for value in row)]
        self.assertEqual([list(row.values.values()) for row in rows], wanted)

    def test_csv(self):
        chance = random.Random(SEED)
        for number in range(TABLES):
            made = csv_file(chance)
            with self.subTest(number=number, how=made.how, octets=made.octets[:300]):
                self.agree(made, "a.csv")

    def test_workbooks(self):
        chance = random.Random(SEED)
        for number in range(BOOKS):
            made = book_file(chance)
            with self.subTest(number=number, how=made.how, rows=made.rows[:2]):
                self.agree(made, "a.xlsx")

    def test_names_over_several_rows(self):
        """Of a workbook they are read and told; of the same cells without what is merged the rows
        of names that are left are told."""
        chance = random.Random(SEED)
        for number in range(BOOKS):
            made, head = deep_names(chance)
            above, depth = made.how
            with self.subTest(number=number, head=head):
                self.agree(made, "a.xlsx")
                table = read_table(io.BytesIO(made.octets), FileRows("a.xlsx"))
                told = [
                    (doubt.code, doubt.params["first"], doubt.params["last"])
                    for doubt in table.frame.doubts
                ]
                is_title = len(set(head[0])) == 1  # over the whole table
                self.assertEqual(
                    told, [] if is_title else [("names-over-rows", above + 1, above + depth)]
                )
                text = io.StringIO(newline="")
                bare = [
                    [
                        ""
                        if (row and head[row - 1][at] == cell) or (at and cells[at - 1] == cell)
                        else cell
                        for at, cell in enumerate(cells)
                    ]
                    for row, cells in enumerate(head)
                ]
                csv.writer(text).writerows([*bare, *made.rows])
                flat = read_table(io.BytesIO(text.getvalue().encode()), FileRows("a.csv"))
                if len(made.rows) > 1 and flat.frame.area.row <= depth:
                    self.assertTrue(flat.frame.doubts, bare)

    def test_json_and_lines(self):
        chance = random.Random(SEED)
        for number in range(200):
            names = chance.sample(NAMES, chance.randrange(1, 6))
            rows = [
                {
                    name: chance.choice((chance.randrange(99), "Ørn", None, True, f"V-{n}", "007"))
                    for name in names
                }
                for n in range(chance.randrange(1, 30))
            ]
            lines = "\n".join(json.dumps(row, ensure_ascii=chance.random() < 0.5) for row in rows)
            whole = json.dumps({"at": "2026-11-23", "items": rows} if number % 2 else rows)
            for name, text in (("a.json", whole), ("a.jsonl", lines)):
                with self.subTest(number=number, name=name):
                    got_names, got = read(text.encode(), name)
                    self.assertEqual(got_names, names)
                    self.assertEqual([row.values for row in got], rows)


class Decimals(unittest.TestCase):
    """Commas that divide numbers into whole and rest are not taken for delimiters."""

    def test_columns_of_decimals(self):
        for columns in range(1, 8):
            for delimiter in ";\t|":
                names = list(NAMES[:columns])
                row = [f"{n},{n}5" for n in range(columns)]
                for lines in (
                    [names, row],
                    [names, row, row, row],
                    [["Fees of the week"], names, row, row],
                ):
                    text = "\n".join(delimiter.join(cells) for cells in lines)
                    if columns > 1 or lines[0] is names:
                        with self.subTest(text=text):
                            self.assertEqual(read(text.encode())[0], names)
        self.assertEqual(read(b"1,5;2,5\n3,5;4,5\n")[0], ["A", "B"])
