"""Workbooks and CSV files: what spreadsheet programs write is read, what is spoilt ends in a
sentence, and nothing that is written runs as a formula. LibreOffice edits a workbook of ours, and
everything else in it stays."""

import io
import random
import shutil
import subprocess
import tempfile
import unittest
import zipfile
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any

from openpyxl import Workbook, load_workbook

from saltpath.core.sheet.headings import columns_of
from saltpath.core.sheet.plan import plan
from saltpath.core.sheet.rows import HEADINGS, rows_of
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable
from saltpath.formats.workbook import (
    LARGEST,
    MOST_ROWS,
    beside,
    is_safe_number,
    read_book,
    write_csv,
    write_values_xlsx,
    write_xlsx,
)
from tests.core.test_sheet import demo_cases

TABLE = [["step", "of", "expected"], ["Läsa", "$.name", "a;b, c"], ["", 'x"y', "two\nlines"]]
DANGEROUS = ("=1+1", "+1+1", "-1+1", "@SUM(A1)", "\t=1", "'=1", '=HYPERLINK("http://x","y")', "-x")
SOFFICE = shutil.which("soffice")


def xlsx(*rows, **more):
    book = Workbook()
    sheet = book.active
    for row in rows:
        sheet.append(row)
    for place, value in more.items():
        sheet[place] = value
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def table(octets):
    return read_book(octets).sheets[0].table


class Csv(unittest.TestCase):
    def test_what_spreadsheet_programs_write_is_read(self):
        for delimiter in ",;\t|":
            for end in ("\r\n", "\n", "\r"):
                text = end.join(
                    delimiter.join(f'"{cell.replace(chr(34), chr(34) * 2)}"' for cell in row)
                    for row in TABLE
                )
                for encoding in ("utf-8", "utf-8-sig", "utf-16", "cp1252"):
                    with self.subTest(delimiter=delimiter, end=end, encoding=encoding):
                        self.assertEqual(table(text.encode(encoding)), TABLE)

    def test_a_file_of_another_encoding_says_how_it_was_read(self):
        book = read_book("step,of\nLäsa,status".encode("cp1252"))
        self.assertIn("Windows-1252", book.said[0])

    def test_ragged_and_empty_rows_and_columns(self):
        self.assertEqual(table(b"a,b,,\n\n1\n,,,\n"), [["a", "b"], [], ["1"]])

    def test_what_would_run_as_a_formula_has_an_apostrophe_and_comes_back_as_it_was(self):
        octets = write_csv(
            ["of", "expected"], [{"of": text, "expected": "-12.5"} for text in DANGEROUS]
        )
        for line in octets.decode("utf-8-sig").splitlines()[1:]:
            self.assertNotRegex(line.lstrip('"'), r"^[=+\-@\t]")
            self.assertTrue(line.endswith(",-12.5"), line)
        self.assertEqual([row[0] for row in table(octets)[1:]], list(DANGEROUS))


class Xlsx(unittest.TestCase):
    def test_cells_of_every_kind(self):
        octets = xlsx(
            [
                15,
                15.0,
                1318.4,
                0.1,
                True,
                date(2026, 11, 23),
                datetime(2026, 11, 23, 8, 12, 4),
                "007",
                None,
                " x ",
            ]
        )
        row = table(octets)[0]
        self.assertEqual(
            row,
            [
                "15",
                "15",
                "1318.4",
                "0.1",
                "true",
                "2026-11-23",
                "2026-11-23T08:12:04",
                "007",
                "",
                " x ",
            ],
        )

    def test_formulas_come_as_their_values_and_those_without_one_are_named(self):
        book = read_book(xlsx(["of", "expected"], ["status", "=100+100"]))
        self.assertEqual(book.sheets[0].table, [["of", "expected"], ["status", ""]])
        self.assertIn("Sheet!B2", book.said[0])

    def test_nothing_that_is_written_is_a_formula(self):
        octets = write_xlsx(
            "a/b", ["of", "expected"], [{"of": text, "expected": text} for text in DANGEROUS]
        )
        sheet = load_workbook(io.BytesIO(octets)).active
        for row in sheet.iter_rows(min_row=2):
            for cell in row:
                self.assertEqual(
                    (cell.data_type, cell.quotePrefix), ("s", cell.value[0] in "=+-@\t"), cell.value
                )
        self.assertEqual([row[0] for row in table(octets)[1:]], list(DANGEROUS))

    def test_numbers_that_a_program_would_change_are_text(self):
        for text, safe in (
            ("15", True),
            ("-0.5", True),
            ("1318.40", False),
            ("9007199254740993", False),
            ("007", False),
            ("1e5", False),
            ("-0", False),
            ("", False),
        ):
            self.assertEqual(is_safe_number(text), safe, text)

    def test_control_characters_and_long_texts_are_written(self):
        [case] = [
            {
                "salt-path": 1,
                "case": "a\x00b",
                "key": "k",
                "steps": [
                    {
                        "request": "x\x0b",
                        "key": "longer",
                        "send": "GET http://x/",
                        "text": "y" * 50_000,
                        "expect": [{"of": "body", "is": "z" * 40_000, "note": "n\x01"}],
                    }
                ],
            }
        ]
        octets = write_xlsx("x", HEADINGS, [row.cells for row in rows_of(case)])
        made = plan(table(octets)[1:], HEADINGS, [case])
        self.assertEqual((made.faults, made.cases[0].document), ([], case))


class Spoilt(unittest.TestCase):
    def refused(self, octets, words):
        with self.assertRaises(Unreadable) as caught:
            read_book(octets)
        self.assertIn(words, str(caught.exception))

    def archive(self, **parts):
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
            for name, text in parts.items():
                archive.writestr(
                    name.replace("__", "/")
                    .replace("_xml", ".xml")
                    .replace("Types", "[Content_Types]"),
                    text,
                )
        return out.getvalue()

    def test_each_ends_in_a_sentence(self):
        good = xlsx(["of"], ["status"])
        self.refused(b"", "empty")
        self.refused(b"\x00\x01\x02", "neither a workbook")
        self.refused(b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1", "old kind")
        self.refused(good[: len(good) // 2], "cut short")
        self.refused(self.archive(a_xml="x"), "no workbook")
        self.refused(self.archive(mimetype="x", content_xml="x"), ".ods")
        self.refused(self.archive(Types_xml="<x/>"), "cannot be read")
        self.refused(b"x" * (LARGEST + 1), "20 MB")
        self.refused(b"of\n" + b"a\n" * (MOST_ROWS + 1), "rows")
        self.refused(b"a," * 300, "columns")
        self.refused(b'a,b\n"' + b"x" * 10_500_000, "field larger")
        self.refused(b"\xff\xfea", "UTF-16")

    def test_bombs_and_entities_are_not_unpacked(self):
        self.refused(
            self.archive(Types_xml="x", xl__worksheets__sheet1_xml=" " * 150_000_000),
            "unpacks to more",
        )
        laughs = '<?xml version="1.0"?><!DOCTYPE a [<!ENTITY b "bbbbbbbb">]><a>&b;</a>'
        self.refused(self.archive(Types_xml="x", xl__workbook_xml=laughs), "document type")

    def test_three_hundred_spoilt_workbooks_end_in_a_table_or_a_sentence(self):
        good, chance = xlsx(["of", "expected"], ["status", 200], ["$.a", "x"]), random.Random(5)
        for _ in range(300):
            octets = bytearray(good)
            for _ in range(chance.randrange(1, 12)):
                octets[chance.randrange(len(octets))] = chance.randrange(256)
            try:
                read_book(bytes(octets))
            except Unreadable:
                continue


class Beside(unittest.TestCase):
    VALUES = {1: {"verdict": "passed", "was": "=1"}, 2: {"verdict": "failed"}}

    def test_a_workbook_keeps_its_formulas_formats_and_other_sheets(self):
        book = Workbook()
        sheet = book.active
        for row in (["of", "expected"], ["status", 200, "=1+1"], ["$.a", "x", None]):
            sheet.append(row)
        sheet["A2"].font = sheet["A2"].font.copy(italic=True)
        sheet.column_dimensions["A"].width = 42
        book.create_sheet("Notes")["B7"] = "kept"
        out = io.BytesIO()
        book.save(out)
        after = load_workbook(io.BytesIO(beside(out.getvalue(), "Sheet", 0, {}, self.VALUES)))
        sheet = after["Sheet"]
        self.assertEqual(
            [[cell.value for cell in row] for row in sheet.iter_rows()],
            [
                ["of", "expected", None, "verdict", "was"],
                ["status", 200, "=1+1", "passed", "=1"],
                ["$.a", "x", None, "failed", None],
            ],
        )
        self.assertEqual(
            (sheet["C2"].data_type, sheet["E2"].data_type, sheet["A2"].font.italic),
            ("f", "s", True),
        )
        self.assertEqual(
            (sheet.column_dimensions["A"].width, after["Notes"]["B7"].value), (42, "kept")
        )

    def test_columns_that_are_there_are_filled_again(self):
        once = beside(xlsx(["of"], ["status"], ["$.a"]), "Sheet", 0, {}, self.VALUES)
        again = beside(
            once, "Sheet", 0, {"verdict": 1, "was": 2}, {1: {"verdict": "failed", "was": "2"}}
        )
        self.assertEqual(
            table(again), [["of", "verdict", "was"], ["status", "failed", "2"], ["$.a", "failed"]]
        )

    def test_a_csv_file_keeps_its_delimiter(self):
        after = beside(b"of;expected\nstatus;200\n$.a;x\n", "", 0, {}, self.VALUES)
        self.assertEqual(after.decode("utf-8-sig").splitlines()[1], "status;200;passed;'=1")


@unittest.skipUnless(
    SOFFICE, "LibreOffice is not installed: apt-get install libreoffice-calc-nogui"
)
class LibreOffice(unittest.TestCase):
    MACRO = """<?xml version="1.0" encoding="UTF-8"?>
<!DOCTYPE script:module PUBLIC "-//OpenOffice.org//DTD OfficeDocument 1.0//EN" "module.dtd">
<script:module xmlns:script="http://openoffice.org/2000/script" script:name="Module1"
  script:language="StarBasic">
Sub Change(from As String, into As String)
  Dim hidden(0) As New com.sun.star.beans.PropertyValue
  hidden(0).Name = "Hidden" : hidden(0).Value = True
  doc = StarDesktop.loadComponentFromURL(ConvertToURL(from), "_blank", 0, hidden())
  sheet = doc.Sheets.getByIndex(0)
  sheet.getCellByPosition(8, 1).setValue(202)
  sheet.getCellByPosition(8, 2).setString("900")
  sheet.getCellByPosition(9, 1).setString("changed by hand")
  Dim save(0) As New com.sun.star.beans.PropertyValue
  save(0).Name = "FilterName" : save(0).Value = "Calc MS Excel 2007 XML"
  doc.storeToURL(ConvertToURL(into), save())
  doc.close(True)
End Sub
</script:module>"""

    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        # its first start makes the profile, and an empty module in it
        self.office("--terminate_after_init")
        (self.folder / "profile/user/basic/Standard/Module1.xba").write_text(self.MACRO)

    def office(self, *words: str) -> None:
        profile = f"-env:UserInstallation=file://{self.folder}/profile"
        subprocess.run(
            [str(SOFFICE), profile, "--headless", "--norestore", *words],
            check=True,
            capture_output=True,
            timeout=120,
        )

    def test_a_workbook_edited_there_and_read_again_keeps_everything_else(self):
        found = demo_cases()
        ours, theirs = self.folder / "ours.xlsx", self.folder / "theirs.xlsx"
        ours.write_bytes(
            write_xlsx("Arrivals", HEADINGS, [row.cells for case in found for row in rows_of(case)])
        )
        self.office(f'macro:///Standard.Module1.Change("{ours}","{theirs}")')
        made = table(theirs.read_bytes())
        result = plan(made[1:], columns_of(made[0], {}), found)
        self.assertEqual(result.faults, [])
        [changed] = [item for item in result.cases if item.document != item.before]
        before, after = (
            document["steps"][0]["expect"] for document in (changed.before, changed.document)
        )
        self.assertEqual(after[0], {**before[0], "is": 202, "note": "changed by hand"})
        [relation] = set(before[1]) - {"of"}
        self.assertEqual(after[1], {**before[1], relation: 900})
        self.assertEqual(changed.document["steps"][1:], changed.before["steps"][1:])


class Tables(unittest.TestCase):
    def test_the_numbers_of_a_column_are_of_one_kind(self):
        """At random: what is written is read back, and no column has some of its numbers as
        texts."""
        chance = random.Random(1815)
        texts = ("1.25", "2.50", "0", "7", "-3.0", "100", "1318.40", "0.1")
        for _ in range(60):
            wild = chance.random() < 0.3
            more = ("12345678901234567890", "0.12345678901234567") if wild else ()
            numbers = [plain.read_json(chance.choice((*texts, *more))) for _ in range(8)]
            octets = write_values_xlsx(
                [("T", [{"n": number, "t": "2.50", "b": True} for number in numbers])]
            )
            sheet = load_workbook(io.BytesIO(octets)).active
            cells = [row[0] for row in sheet.iter_rows(min_row=2)]
            self.assertEqual(len({cell.data_type for cell in cells}), 1)
            for cell, number in zip(cells, numbers, strict=True):
                self.assertEqual(Decimal(str(cell.value)), number)
                if cell.data_type == "n" and "." in str(number):
                    self.assertEqual(shown(cell), str(number))
            self.assertEqual(sheet["B2"].data_type, "s", "a text stays one")


def shown(cell: Any) -> str:
    """A number as a spreadsheet program shows it by its format."""
    decimals = (
        len(cell.number_format.partition(".")[2]) if cell.number_format != "General" else None
    )
    return str(cell.value) if decimals is None else f"{cell.value:.{decimals}f}"


if __name__ == "__main__":
    unittest.main()
