"""Rows of files as programs write them: encodings, delimiters, quotes, dates, errors, merged cells;
and files that are none."""

import io
import json
import unittest
import zipfile
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any

from openpyxl import Workbook
from openpyxl.styles import PatternFill
from openpyxl.utils.datetime import CALENDAR_MAC_1904

from saltpath.core.cases.row_sources import FileRows
from saltpath.core.format.reader import read_case
from saltpath.core.values.grammar import Unreadable
from saltpath.formats.rows import read_table
from saltpath.formats.rows.encodings import found_encoding
from saltpath.formats.rows.letters import Guess, guessed

SPECTRUM = Path(__file__).resolve().parents[2] / "web/node_modules/csv-spectrum"


def read(octets: bytes, name: str = "a.csv", text: str = "") -> tuple[list[str], list[Any]]:
    """Names and rows; `text` says more about the source, as a case does."""
    source = FileRows(name)
    if text:
        source = read_case(
            f"salt-path: 1\ncase: A\nrows: {{ file: {name}, {text} }}\nsteps: []\n"
        ).rows
    table = read_table(io.BytesIO(octets), source)
    return table.names, list(table.rows)


def values(octets: bytes, name: str = "a.csv", text: str = "") -> list[dict[str, Any]]:
    return [row.values for row in read(octets, name, text)[1]]


def workbook(*rows: list[Any], change: Any = None) -> bytes:
    book = Workbook()
    for row in rows:
        book.active.append(row)
    if change is not None:
        change(book, book.active)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def rezipped(octets: bytes, path: str, old: bytes, new: bytes) -> bytes:
    """A workbook with something else in one of its parts."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(octets)) as source, zipfile.ZipFile(out, "w") as target:
        for name in source.namelist():
            content = source.read(name)
            if name == path:
                assert old in content, content
                content = content.replace(old, new)
            target.writestr(name, content)
    return out.getvalue()


LETTERS = {
    "имя;длина\nВосточный причал;120\nЗападный причал;80\n": ["cp1251", "koi8-r", "iso8859-5"],
    "nazwa;długość\nŁódź wschodnia;12\nŻółw;5\nświęta\n": ["cp1250", "iso8859-2"],
    "název;délka\nPříliš žluťoučký kůň\n": ["cp1250"],
    "Straße;Länge\nKöln;5\nMünchen;6\nGröße": ["cp1252"],
    "Année;Quartier\nEté à Nîmes;5\nGarçon\n": ["cp1252"],
    "kaj;længde\nØstre mole;5\nblå\n": ["cp1252"],
    "isim;uzunluk\nİstanbul rıhtımı;5\nŞişli;6\nçağ\n": ["cp1254"],
    "όνομα;μήκος\nΛεωνίδας;12\nΑλέξανδρος;5\n": ["cp1253", "iso8859-7"],
    "price;°C\n5 €;6\n© 2020\n": ["cp1252"],
}
"""Texts in the encodings that they may come in."""


class Csv(unittest.TestCase):
    def test_the_public_set(self):
        if not SPECTRUM.is_dir():
            raise unittest.SkipTest("the set comes with the front-end packages: make setup")
        count = 0
        unequal = {"location_coordinates.csv"}  # its two files have different telephone numbers
        for file in sorted((SPECTRUM / "csvs").glob("*.csv")):
            if file.name in unequal:
                continue
            wanted = json.loads(
                (SPECTRUM / "json" / f"{file.stem}.json").read_text(encoding="utf-8")
            )
            with self.subTest(file.name):
                self.assertEqual(values(file.read_bytes()), wanted)
                count += 1
        self.assertGreaterEqual(count, 11)

    def test_encodings(self):
        text = "vessel,port\r\nMåke,Ålesund\r\nØrn,Kvist\r\n"
        wanted = [{"vessel": "Måke", "port": "Ålesund"}, {"vessel": "Ørn", "port": "Kvist"}]
        for encoding in (
            "utf-8",
            "utf-8-sig",
            "utf-16",
            "utf-16-le",
            "utf-16-be",
            "utf-32",
            "latin-1",
            "cp1252",
        ):
            self.assertEqual(values(text.encode(encoding)), wanted, encoding)
        self.assertEqual(values(text.encode("cp850"), text="encoding: cp850"), wanted)
        self.assertEqual(values("a\n“x”\n".encode("cp1252")), [{"a": "“x”"}])

    def test_delimiters_quotes_and_line_ends(self):
        wanted = [
            {"vessel": "Marrow Finch", "length": "23,4"},
            {"vessel": "Holm Bell", "length": "8,9"},
        ]
        for octets in (
            b"vessel;length\nMarrow Finch;23,4\nHolm Bell;8,9\n",
            b'"vessel"\t"length"\r"Marrow Finch"\t"23,4"\rHolm Bell\t"8,9"\r',
            b'vessel, length\nMarrow Finch, "23,4"\nHolm Bell, "8,9"\n',
            b"vessel|length\r\nMarrow Finch|23,4\r\nHolm Bell|8,9",
            b"'vessel','length'\n'Marrow Finch','23,4'\n'Holm Bell','8,9'\n",
            b"sep=;\r\nvessel;length\r\nMarrow Finch;23,4\r\nHolm Bell;8,9",
        ):
            self.assertEqual(values(octets), wanted, octets)
        self.assertEqual(
            values(b'a,b\n"two\r\nlines","say ""no"""\n'), [{"a": "two\r\nlines", "b": 'say "no"'}]
        )
        self.assertEqual(values(b'a,b\nx"y,"z\n', text="quote: none"), [{"a": 'x"y', "b": '"z'}])

    def test_ragged_rows_and_doubled_or_missing_names(self):
        names, rows = read(
            b"vessel,length,length,\nSaltwife,12.8\nHolm Bell,8.9,9,\n,,,\n\nOdd,1,2,3\n"
        )
        self.assertEqual(names, ["vessel", "length", "length (2)"])
        self.assertEqual([row.number for row in rows], [1, 2, 3])
        self.assertEqual(rows[0].values, {"vessel": "Saltwife", "length": "12.8", "length (2)": ""})
        self.assertIn("has 4 cells", rows[2].why.sentence)

    def test_kinds_by_column(self):
        rows = values(b"id,length\n007,23.40\n", text="columns: { length: number }")
        self.assertEqual((rows[0]["id"], str(rows[0]["length"])), ("007", "23.40"))
        self.assertEqual(
            values(b"id;length\n1;23,4\n", text="decimal: ',', columns: { length: number }")[0][
                "length"
            ],
            Decimal("23.4"),
        )

    def test_no_names(self):
        self.assertEqual(
            values(b"V-101,23.4\nV-102,41\n"),
            [{"A": "V-101", "B": "23.4"}, {"A": "V-102", "B": "41"}],
        )
        self.assertEqual(
            values(b"vessel,port\nSaltwife,Kvist\n", text="names in: 0, data in: A1")[0],
            {"A": "vessel", "B": "port"},
        )

    def test_what_cannot_be_read_says_where(self):
        for octets, name, words in (
            (b"", "a.csv", "nothing stands"),
            (b"\x00\x01\x02\x03" * 9, "a.csv", "neither a workbook"),
            (b"\n\n", "a.csv", "nothing"),
            (b"[1, 2", "a.json", "not JSON"),
            (b'{"a": [1]}\n{"a"', "a.jsonl", "line 2"),
            (b"5", "a.json", "not a list"),
        ):
            with self.assertRaises(Unreadable, msg=octets) as caught:
                read(octets, name)
            self.assertIn(words, str(caught.exception))
        for octets in (
            b'a,b\n"never closed,1\n' + b"x,y\n" * 20_000,
            b'a,b\n1,"open\n2,x\n',
            b'a,b\n1,"open\n2,"x"\n3,y\n',
        ):
            with self.assertRaises(Unreadable) as caught:
                values(octets)
            self.assertIn(
                "a quote that is opened in line 2 is not closed where its cell ends",
                str(caught.exception),
            )
        self.assertEqual(
            values(b'a,b\n1,"5"" tall\nin two lines"\n2,x\n')[0]["b"], '5" tall\nin two lines'
        )

    def test_letters_that_cannot_be_read_keep_their_row_alone_from_being_carried_out(self):
        for text in ("", "encoding: utf-8"):
            octets = "a,b\n1,Østre\n".encode() + b"2,\xff\n" + "3,Vestre Ø\n".encode()
            found = read(octets, "a.csv", text)[1]
            self.assertEqual(
                [row.why.sentence if row.why else "" for row in found],
                ["", "the cell B in line 3 (b) has letters that are not UTF-8", ""],
            )
            self.assertEqual(found[2].values["b"], "Vestre Ø")

    def test_letters_tell_the_encoding(self):
        for text, encodings in LETTERS.items():
            for encoding in encodings:
                with self.subTest(text=text, encoding=encoding):
                    found = guessed(text.encode(encoding))
                    right = text.encode(encoding).decode(found.encoding, "replace") == text
                    self.assertTrue(right or not found.sure, found)
                    self.assertEqual(right, encoding not in ("iso8859-2",) or found.sure)
        self.assertFalse(guessed("név;kikötő\n".encode("cp1250")).sure, "then it is asked")
        for text, sure in (("name;länge\nBüro;1\n", False), ("grün;für;Größe\n", True)):
            self.assertEqual(
                found_encoding(io.BytesIO(text.encode("cp1252"))),
                Guess("cp1252", sure),
                "a small file",
            )

    def test_quotes_behind_a_backslash(self):
        octets = b'a,b\n1,"an \\"East\\" pier, long"\n2,"x"\n'
        self.assertEqual(
            values(octets), [{"a": "1", "b": 'an "East" pier, long'}, {"a": "2", "b": "x"}]
        )
        self.assertEqual(values(b'a,b\n1,"C:\\berths"\n')[0]["b"], "C:\\berths")

    def test_one_wide_row_changes_nothing_above_it(self):
        rows = read(
            b"id,name\n" + b"1,East\n" * 28 + b"29,West,and,more,cells\n30,North\n", "a.csv"
        )[1]
        self.assertEqual(len(rows), 30)
        self.assertEqual([(row.number, row.values["id"]) for row in rows if row.why], [(29, "29")])

    def test_names_that_are_numbers_or_stand_among_their_values(self):
        for octets, names in (
            (b"country,2019,2020\nKvist,5,6\nSund,7,8\n", ["country", "2019", "2020"]),
            (b"id,100022,100025\nx1,TRUE,FALSE\nx2,TRUE,TRUE\n", ["id", "100022", "100025"]),
            (b"n,state\n1,state\n2,open\n3,state\n", ["n", "state"]),
            (b"port,2019,2020\nKvist,2020,2021\n", ["A", "B", "C"]),
            (b"Kvist,5,6\nSund,7,8\n", ["A", "B", "C"]),
            (b"The year's arrivals\n\nport,ships\nKvist,5\nSund,7\n", ["port", "ships"]),
            (b"# a comment\n# another\nport,ships\nKvist,5\nSund,7\n", ["port", "ships"]),
            (b"1\n1,2\n1,2,3\n1,2,3,4\n1,2,3,4,5\n", ["A", "B", "C"]),
        ):
            with self.subTest(octets):
                self.assertEqual(read(octets, "a.csv")[0], names)

    def test_decimal_commas_are_found(self):
        octets = b"id;metres\n1;80,5\n2;95\n"
        self.assertEqual(
            values(octets, text="columns: { metres: number }")[0]["metres"], Decimal("80.5")
        )
        mixed = b"id;metres;old\n1;80,5;80.5\n"
        self.assertIsNotNone(
            read(mixed, "a.csv", "columns: { metres: number }")[1][0].why, "then it is not decided"
        )

    def test_lines_that_are_left_out(self):
        octets = b'# of 2026\nid,name\n1,East\n# closed\n2,"West\n# not a comment"\n'
        self.assertEqual(
            values(octets, text="comments: '#'"),
            [{"id": "1", "name": "East"}, {"id": "2", "name": "West\n# not a comment"}],
        )
        wide = read(b"# x\nid,name\n# y\n1,2,3\n4,5\n6,7\n", "a.csv", "comments: '#'")[1][0]
        self.assertIn("line 4 of the file", wide.why.sentence)

    def test_json_loses_nothing(self):
        octets = b'[{"a.b": 1, "a": {"b": 2}}, {"a": {"b": 3}}]'
        names, rows = read(octets, "a.json")
        self.assertEqual((names, list(rows[0].values.values())), (["a.b", "a.b (2)"], [1, 2]))
        for octets, name in (
            (b'[{"x": 1, "x": 2}, {"x": 3}]', "a.json"),
            (b'{"x": 1, "x": 2}\n{"x": 3}\n', "a.jsonl"),
        ):
            found = read(octets, name)[1]
            self.assertEqual(
                [row.why.sentence if row.why else "" for row in found],
                ["x stands twice in one object", ""],
            )
        halves = read(b'[{"x": 1, "x": 2, "y": ["\\ud800", "\\ud83d\\ude00"]}]', "a.json")[1][0]
        self.assertEqual(halves.why.sentence, "x stands twice in one object")
        self.assertEqual(halves.values["y"], ["\\ud800", "😀"])
        self.assertEqual(
            read(b'[{"x": 1318.40, "y": 9007199254740993}]', "a.json")[1][0].values,
            {"x": Decimal("1318.40"), "y": 9007199254740993},
        )

    def test_json_lines_in_utf_16(self):
        octets = '{"a": "ø"}\n{"a": "東"}\n'.encode("utf-16")
        self.assertEqual([row.values["a"] for row in read(octets, "a.jsonl")[1]], ["ø", "東"])

    def test_rows_are_streamed(self):
        class Endless(io.RawIOBase):
            def __init__(self) -> None:
                self.given = 0

            def readable(self) -> bool:
                return True

            def seekable(self) -> bool:
                return True

            def seek(self, place: int, whence: int = 0) -> int:
                self.given = 0
                return 0

            def read(self, size: int = -1) -> bytes:
                self.given += size
                return (b"vessel,length\n" if self.given == size else b"") + b"Saltwife,12.8\n" * (
                    size // 14 - 1
                )

            def readinto(self, buffer: Any) -> int:
                octets = self.read(len(buffer))
                buffer[: len(octets)] = octets
                return len(octets)

        file = Endless()
        table = read_table(file, FileRows("a.csv", encoding="utf-8"))  # type: ignore[arg-type]
        for _ in range(5):
            self.assertEqual(next(table.rows).values["vessel"], "Saltwife")
        self.assertLess(file.given, 1_000_000)


class Json(unittest.TestCase):
    def test_nested_fields_are_columns(self):
        document = (
            b'{"total": 2, "items": [{"id": "E1", "berth": {"metres": 30.50, "free": '
            b'true}}, {"id": "E2", "note": null}]}'
        )
        rows = values(document, "a.json", "path: $.items")
        self.assertEqual(
            rows[0],
            {"id": "E1", "berth.metres": Decimal("30.50"), "berth.free": True, "note": None},
        )
        self.assertEqual(
            rows[1], {"id": "E2", "berth.metres": None, "berth.free": None, "note": None}
        )
        self.assertEqual(values(document, "a.json"), rows)

    def test_lines(self):
        self.assertEqual(
            values(b'\xef\xbb\xbf{"a": 1}\n\n{"a": 9007199254740993}\n', "a.jsonl"),
            [{"a": 1}, {"a": 9007199254740993}],
        )
        self.assertEqual(values(b"[1, 2]", "a.json"), [{"item": 1}, {"item": 2}])


class Xlsx(unittest.TestCase):
    def test_what_stands_around_a_table_is_none_of_it(self):
        def styled(book: Any, sheet: Any) -> None:
            sheet.cell(1, 1500).fill = PatternFill("solid", fgColor="FFFF00")

        self.assertEqual(
            read(workbook(["port", "ships"], ["Kvist", 5], change=styled), "a.xlsx")[0],
            ["port", "ships"],
        )

        def empty_first(book: Any, sheet: Any) -> None:
            book.create_sheet("Cover", 0)

        self.assertEqual(
            values(workbook(["port"], ["Kvist"], change=empty_first), "a.xlsx"), [{"port": "Kvist"}]
        )

        def merged(book: Any, sheet: Any) -> None:
            sheet.merge_cells("A1:C1")
            sheet.merge_cells("A4:C4")

        rows = [
            ["Ships of the year"],
            ["port", "ships", "year"],
            ["Kvist", 5, 2025],
            ["closed"],
            ["Sund", 7, 2026],
        ]
        names, found = read(workbook(*rows, change=merged), "a.xlsx")
        self.assertEqual((names, len(found)), (["port", "ships", "year"], 3))
        numbered = workbook(
            [0, "Name", "Age", "Since"], [1, "Holm", 32, 2015], [2, "Fern", 25, 2016]
        )
        self.assertEqual(read(numbered, "a.xlsx")[0], ["0", "Name", "Age", "Since"])

    def test_cells_have_their_kinds(self):
        octets = workbook(
            ["vessel", "length", "eta", "at", "free", "id"],
            ["Saltwife", 23.4, date(2026, 11, 28), datetime(2026, 11, 28, 10, 30), True, "007"],
            ["Holm Bell", 9],
        )
        rows = values(octets, "a.xlsx")
        self.assertEqual(
            rows[0],
            {
                "vessel": "Saltwife",
                "length": Decimal("23.4"),
                "eta": "2026-11-28",
                "at": "2026-11-28T10:30:00",
                "free": True,
                "id": "007",
            },
        )
        self.assertEqual(
            rows[1],
            {"vessel": "Holm Bell", "length": 9, "eta": None, "at": None, "free": None, "id": None},
        )

    def test_dates_of_both_calendars(self):
        for epoch in (None, CALENDAR_MAC_1904):

            def change(book, sheet, epoch=epoch):
                if epoch is not None:
                    book.epoch = epoch
                sheet["A2"] = date(2026, 2, 28)

            self.assertEqual(
                values(workbook(["eta"], [None], change=change), "a.xlsx"), [{"eta": "2026-02-28"}]
            )
        self.assertEqual(
            values(workbook(["eta"], [date(1900, 3, 1)]), "a.xlsx"), [{"eta": "1900-03-01"}]
        )

    def test_merged_cells_have_the_value_of_their_first(self):
        octets = workbook(
            ["port", "vessel"],
            ["Kvist", "a"],
            [None, "b"],
            [None, "c"],
            ["Fernholm", "d"],
            change=lambda book, sheet: sheet.merge_cells("A2:A4"),
        )
        self.assertEqual(
            [row["port"] for row in values(octets, "a.xlsx")],
            ["Kvist", "Kvist", "Kvist", "Fernholm"],
        )

    def test_error_cells_and_formulas_without_a_value_are_named(self):
        def change(book, sheet):
            sheet["B3"] = "#REF!"
            sheet["B3"].data_type = "e"
            sheet["B4"] = "=1+1"

        _, rows = read(
            workbook(["vessel", "length"], ["a", 1], ["b"], ["c"], ["d", 2], change=change),
            "a.xlsx",
        )
        self.assertEqual(
            [row.why and row.why.sentence.split(";")[0] for row in rows],
            [
                None,
                "the cell B3 (length) holds the error #REF!",
                "the cell B4 (length) is a formula that was never worked out",
                None,
            ],
        )

    def test_a_formula_with_its_value(self):
        octets = rezipped(
            workbook(["length"], ["=1+1"], [3]), "xl/worksheets/sheet1.xml", b"<v></v>", b"<v>2</v>"
        )
        self.assertEqual([row["length"] for row in values(octets, "a.xlsx")], [2, 3])

    def test_wrong_dimensions(self):
        octets = workbook(["vessel", "length"], ["a", 1], ["b", 2])
        wrong = rezipped(
            octets, "xl/worksheets/sheet1.xml", b'<dimension ref="A1:B3"', b'<dimension ref="A1:A1"'
        )
        self.assertEqual(len(values(wrong, "a.xlsx")), 2)
        self.assertEqual(values(wrong, "a.xlsx")[1], {"vessel": "b", "length": 2})

    def test_sheets(self):
        def change(book, sheet):
            book.create_sheet("Berths").append(["berth"])
            book["Berths"].append(["E1"])
            sheet.sheet_state = "hidden"

        octets = workbook(["vessel"], ["a"], change=change)
        self.assertEqual(
            values(octets, "a.xlsx"), [{"berth": "E1"}], "the first that is not hidden"
        )
        self.assertEqual(values(octets, "a.xlsx", "sheet: Sheet"), [{"vessel": "a"}])
        with self.assertRaises(Unreadable) as caught:
            values(octets, "a.xlsx", "sheet: Bertths")
        self.assertIn("did you mean 'Berths'", str(caught.exception))

    def test_names_below_a_title_and_a_frame(self):
        octets = workbook(
            ["Arrivals of the week"],
            [],
            [None, "vessel", "length"],
            [None, "a", 1],
            [None, "b", 2],
            [None, "sum", 3],
        )
        self.assertEqual(values(octets, "a.xlsx")[0], {"vessel": "a", "length": 1})
        self.assertEqual(len(values(octets, "a.xlsx", "names in: 3, data in: 'B4:C5'")), 2)

    def test_what_is_no_workbook(self):
        good = workbook(["a"], [1])
        for octets, words in (
            (good[: len(good) // 2], "cut short"),
            (b"\xd0\xcf\x11\xe0" + b"x" * 600, "old kind"),
            (workbook(), "nothing stands"),
        ):
            with self.assertRaises(Unreadable) as caught:
                values(octets, "a.xlsx")
            self.assertIn(words, str(caught.exception))
