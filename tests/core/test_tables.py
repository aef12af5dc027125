"""Rows and columns: where names and data stand, what cells are, which rows are meant, rows that are
made."""

import unittest
from decimal import Decimal
from itertools import combinations, product

from saltpath.core.cases.case import Project
from saltpath.core.cases.row_sources import Column, FileRows, Row
from saltpath.core.format.nodes import FormatError
from saltpath.core.format.picking import read_picks
from saltpath.core.format.reader import read_case
from saltpath.core.references.scopes import Scope, Scopes
from saltpath.core.tables.cells import Unfit, fitted, kind_of
from saltpath.core.tables.combining import combination, every, pairs
from saltpath.core.tables.finding import found_frame, framed
from saltpath.core.tables.frame import column_letters, column_number, read_area, write_area
from saltpath.core.tables.made import made_rows
from saltpath.core.tables.objects import flat, list_in
from saltpath.core.tables.profile import profile
from saltpath.core.tables.table import names_of, table_of
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.why import Blocked


def scopes(**values):
    made = Scopes(Scope(values))
    made.seeded = (7, "key", 1)
    return made


def rows_of(text: str):
    """A case's rows as it says them."""
    return read_case(f"salt-path: 1\ncase: A\nrows: {text}\nsteps: []\n").rows


def table(records, **source):
    read = table_of(iter(records), FileRows("a.csv", **source))
    return read.names, list(read.rows)


class Cells(unittest.TestCase):
    def test_what_a_cell_looks_like(self):
        for cell, kind in (
            ("23.4", "number"),
            ("9120", "integer"),
            ("007", "text"),
            ("0", "integer"),
            ("-0.5", "number"),
            ("", ""),
            ("  ", ""),
            (None, ""),
            ("2026-11-28", "date"),
            ("2026-11-28T10:30:00Z", "date-time"),
            ("TRUE", "boolean"),
            ("Kvist", "text"),
            (True, "boolean"),
            (Decimal("1.5"), "number"),
            ([1], "list"),
            ("1e400000", "text"),
            ("12,5", "text"),
            ("2026-13-01", "text"),
        ):
            self.assertEqual(kind_of(cell), kind, cell)

    def test_what_fits_its_column(self):
        for cell, kind, value in (
            ("1318.40", "number", Decimal("1318.40")),
            (" 7 ", "integer", 7),
            (7, "text", "7"),
            ("true", "boolean", True),
            ("2026-11-28T00:00:00", "date", "2026-11-28"),
            ("[1, 2]", "list", [1, 2]),
            (None, "number", None),
            ("007", "text", "007"),
            (Decimal("4.0"), "integer", 4),
            ("", "text", ""),
        ):
            self.assertEqual(fitted(cell, kind), value)
        self.assertEqual(str(fitted("1318.40", "number")), "1318.40", "exactly as it was written")
        self.assertEqual(fitted("23,4", "number", decimal=","), Decimal("23.4"))
        self.assertIsNone(fitted("", "number", may_be_empty=True))
        for cell, kind in (
            ("", "number"),
            ("abc", "number"),
            ("4.5", "integer"),
            ("yes", "boolean"),
            ("23,4", "number"),
            (True, "number"),
            ("2026-11-28 10:30", "date"),
            ("{}", "list"),
            ("NaN", "number"),
            ("1_000", "integer"),
        ):
            with self.assertRaises(Unfit, msg=cell):
                fitted(cell, kind)


class Frames(unittest.TestCase):
    def test_cells_by_their_names(self):
        for text in ("B4:F40", "B4:F", "A1", "AA10:AB11", "A2:40"):
            self.assertEqual(write_area(read_area(text)), text)
        for number in (1, 26, 27, 52, 703, 16384):
            self.assertEqual(column_number(column_letters(number)), number)
        for text in ("4B", "F4:B2", "B0", "", "B4:A9"):
            with self.assertRaises(Unreadable, msg=text):
                read_area(text)

    def test_where_names_and_data_stand(self):
        plain = [["vessel", "length"], ["Saltwife", "12.8"], ["Petrel IX", "88.2"]]
        self.assertEqual(found_frame(plain).names, 1)
        below_a_title = [
            ["Arrivals of the week", None, None],
            [],
            [None, "vessel", "length"],
            [None, "Saltwife", 12.8],
            [None, "Holm Bell", 8.9],
        ]
        frame = found_frame(below_a_title)
        self.assertEqual((frame.names, write_area(frame.area)), (3, "B4"))
        nameless = [["V-101", "23.4"], ["V-102", "41.0"]]
        self.assertEqual(found_frame(nameless).names, 0)
        self.assertEqual(found_frame([]).names, 0)

    def test_what_was_guessed_is_told(self):
        names, first, second = ["vessel", "length", "nights"], ["Ørn", 12, 1], ["Marrow", 88, 3]
        units, more = ["", "m", ""], ["", "over all", "booked"]
        for records, place, told in (
            ([names, first, second], (1, "A2"), []),
            ([names, ["Bell", "x", 3], first, second], (1, "A2"), []),
            ([names, units, first, second], (1, "A2"), ["row 2 has texts where those below"]),
            ([names, more, units, first, second], (1, "A2"), ["rows 2 to 3 have texts where"]),
            ([["Calls"], names, units, first, second], (2, "A3"), ["row 3 has texts where"]),
            (
                [["vessel;length;nights"], first, second],
                (0, "A2"),
                ["row 1 is left out as a title"],
            ),
            ([["Calls; of a week"], names, first, second], (2, "A3"), []),
        ):
            frame = found_frame(records)
            with self.subTest(records=records):
                self.assertEqual((frame.names, write_area(frame.area)), place)
                self.assertEqual(len(frame.doubts), len(told))
                for doubt, begin in zip(frame.doubts, told, strict=True):
                    self.assertTrue(doubt.sentence.startswith(begin), doubt.sentence)

    def test_nothing_that_is_said_is_doubted(self):
        records = [["vessel", "length"], ["", "m"], ["Ørn", 12], ["Marrow", 88]]
        for said, doubts in (
            ({"names_in": 1}, 1),
            ({"data_in": read_area("A3")}, 0),
            ({"names_in": 1, "data_in": read_area("A2")}, 0),
        ):
            frame = framed(records, FileRows("a.csv", **said))
            self.assertEqual((frame.names, len(frame.doubts)), (1, doubts), said)

    def test_names(self):
        self.assertEqual(
            names_of(["vessel", "length\n(m)", "vessel", None, "vessel"], 1, 6),
            ["vessel", "length (m)", "vessel (2)", "D", "vessel (3)", "F"],
        )

    def test_rows(self):
        names, rows = table(
            [
                ["vessel", "length"],
                ["Saltwife", "12.8"],
                [],
                ["", ""],
                ["Odd"],
                ["Wide", "1", "", ""],
                ["Bad", "2", "x"],
            ]
        )
        self.assertEqual(names, ["vessel", "length"])
        self.assertEqual([row.number for row in rows], [1, 2, 3, 4])
        self.assertEqual(rows[1].values, {"vessel": "Odd", "length": ""})
        self.assertIsNone(rows[2].why)
        self.assertEqual(
            rows[3].why.sentence, "line 7 of the file has 3 cells, and there are names for 2"
        )

    def test_a_frame_that_is_said(self):
        records = [
            ["Title"],
            ["vessel", "metres"],
            ["unit", "m"],
            ["Saltwife", "12.8"],
            ["Holm Bell", "8.9"],
            ["sum", "21.7"],
        ]
        names, rows = table(records, names_in=2, data_in=read_area("A4:B5"))
        self.assertEqual(
            (names, [row.values["vessel"] for row in rows]),
            (["vessel", "metres"], ["Saltwife", "Holm Bell"]),
        )
        names, rows = table(records, names_in=0, data_in=read_area("B4:B5"))
        self.assertEqual([row.values for row in rows], [{"B": "12.8"}, {"B": "8.9"}])

    def test_a_cell_that_does_not_fit_blocks_its_row_alone(self):
        _, rows = table(
            [["vessel", "length"], ["Saltwife", "12.8"], ["Ghost", "long"], ["Holm Bell", "8.9"]],
            columns=(Column("length", "number"),),
        )
        self.assertEqual(
            [row.why and row.why.sentence for row in rows],
            [None, "length is “long”, which is no number", None],
        )
        self.assertEqual(rows[2].values["length"], Decimal("8.9"))

    def test_items_of_a_list(self):
        self.assertEqual(
            flat({"id": 1, "berth": {"name": "E4", "at": {"x": 1}}, "tags": [1]}),
            {"id": 1, "berth.name": "E4", "berth.at.x": 1, "tags": [1]},
        )
        self.assertEqual(flat(5), {"item": 5})
        self.assertEqual(list_in({"a": {"items": [1]}}, "$.a.items"), [1])
        self.assertEqual(list_in({"total": 1, "items": [1, 2]}, ""), [1, 2])
        for document, path in (
            ({"a": [], "b": []}, ""),
            ({}, "$.x"),
            ({"x": 1}, "$.x"),
            ({"x": [1]}, "$..x"),
            (5, ""),
        ):
            with self.assertRaises(Unreadable):
                list_in(document, path)


class Profiles(unittest.TestCase):
    def test_kinds_empties_and_what_does_not_fit(self):
        names, rows = table(
            [
                ["id", "length", "zip"],
                *([str(at), f"{at}.5" if at != 7 else "x", f"00{at}"] for at in range(1, 11)),
                ["", "3.5", "9"],
            ],
            columns=(Column("length", "number"),),
        )
        found = profile(names, rows, (Column("length", "number"),))
        by_name = {column.name: column for column in found.columns}
        self.assertEqual(
            (found.rows, found.bad_count, found.bad),
            (11, 1, [(7, "length is “x”, which is no number")]),
        )
        self.assertEqual(
            (by_name["id"].fits, by_name["id"].empties, by_name["id"].least, by_name["id"].most),
            ("integer", 1, 1, 10),
        )
        self.assertEqual(
            (by_name["length"].fits, by_name["length"].misfits), ("text", [(7, "“x”")])
        )
        self.assertEqual(by_name["zip"].fits, "text", "leading zeros survive")

    def test_only_the_first(self):
        found = profile(["a"], (Row(at, {"a": at}) for at in range(1, 1_000)), most=100)
        self.assertEqual((found.rows, found.whole), (100, False))

    def test_a_decimal_comma(self):
        self.assertEqual(
            profile(["a"], [Row(1, {"a": "23,4"}), Row(2, {"a": "7"})]).columns[0].fits, "number"
        )


class Combining(unittest.TestCase):
    def test_every_pair_stands_somewhere(self):
        for sizes in ([3, 3, 3, 3], [5, 4, 3, 2, 2], [2] * 12, [1, 1], [4], [7, 1, 2]):
            rows = pairs(sizes)
            for (a, left), (b, right) in combinations(enumerate(sizes), 2):
                held = {(row[a], row[b]) for row in rows}
                self.assertEqual(held, set(product(range(left), range(right))), sizes)
        self.assertLessEqual(len(pairs([3] * 4)), 12)
        self.assertLessEqual(len(pairs([2] * 12)), 14)

    def test_combinations_by_their_number(self):
        sizes = [2, 3, 4]
        self.assertEqual([combination(sizes, at) for at in range(24)], list(every(sizes)))


class Made(unittest.TestCase):
    def made(self, text: str, **values):
        return list(made_rows(rows_of(text), scopes(**values)))

    def test_columns_see_those_before_them(self):
        rows = self.made(
            '{ make: 3, columns: { n: "[=row.number]", twice: "[=n | times 2]", word: "[=any '
            'word]" } }'
        )
        self.assertEqual([row.values["twice"] for row in rows], [2, 4, 6])
        self.assertEqual(
            rows,
            self.made(
                '{ make: 3, columns: { n: "[=row.number]", twice: "[=n | times 2]", word: "[=any '
                'word]" } }'
            ),
            "the same seed",
        )
        self.assertGreater(
            len(
                {
                    row.values["word"]
                    for row in self.made('{ make: 50, columns: { word: "[=any word]" } }')
                }
            ),
            10,
        )

    def test_written_out(self):
        rows = self.made(
            '[ { vessel: Saltwife, length: 12.80 }, { vessel: "[=who]" } ]', who="Holm Bell"
        )
        self.assertEqual(
            [row.values for row in rows],
            [
                {"vessel": "Saltwife", "length": Decimal("12.80")},
                {"vessel": "Holm Bell", "length": None},
            ],
        )

    def test_a_row_that_cannot_be_made_is_blocked_alone(self):
        rows = self.made('[ { a: 1 }, { a: "[=nowhere]" } ]')
        self.assertIn("there is no value nowhere", rows[1].why.sentence)

    def test_combined(self):
        self.assertEqual(
            len(self.made("{ combine: all, columns: { a: [1, 2], b: [x, y, z] } }")), 6
        )
        rows = self.made(
            "{ combine: { sample: 20 }, columns: { a: [1, 2, 3, 4, 5, 6, 7, 8, 9], b: [1, 2, 3, "
            "4, 5, 6, 7, 8, 9] } }"
        )
        self.assertEqual(len({tuple(row.values.values()) for row in rows}), 20)
        with self.assertRaises(Unreadable):
            self.made(
                "{ combine: all, columns: "
                + str({c: list(range(30)) for c in "abcdefgh"}).replace("'", "")
                + " }"
            )

    def test_items_of_what_is_no_list(self):
        with self.assertRaises(Blocked):
            self.made('{ items of: "[=who]" }', who="Saltwife")


class Picking(unittest.TestCase):
    ROWS = [
        Row(
            at,
            {
                "length": str(at * 10),
                "port": "Kvist" if at % 2 else "Fernholm",
                "Gross tonnage": at,
            },
        )
        for at in range(1, 21)
    ]

    def picked(self, text: str):
        return [row.number for row in read_picks(text).rows(lambda: iter(self.ROWS), scopes())]

    def test_ways_to_say_it(self):
        self.assertEqual(self.picked("3 to 5, 9"), [3, 4, 5, 9])
        self.assertEqual(self.picked("from 18"), [18, 19, 20])
        self.assertEqual(self.picked("every 7th"), [1, 8, 15])
        self.assertEqual(self.picked("2 to 10, every 3rd"), [2, 5, 8])
        self.assertEqual(self.picked("where length above 150"), [16, 17, 18, 19, 20])
        self.assertEqual(
            self.picked("1 to 12, where port is Kvist and length at least 70"), [7, 9, 11]
        )
        self.assertEqual(self.picked("where 'Gross tonnage' is one of 3, 4"), [3, 4])
        self.assertEqual(self.picked("where nowhere is 4"), [])
        self.assertEqual(self.picked("all"), list(range(1, 21)))

    def test_a_sample_is_the_same_for_the_same_seed(self):
        chosen = self.picked("sample 5")
        self.assertEqual((len(chosen), chosen), (5, self.picked("sample 5")))
        self.assertEqual(self.picked("sample 50"), list(range(1, 21)))

    def test_what_is_not_understood(self):
        for text in ("5 to 3", "0", "some", "where", "every 0th", "1 to"):
            with self.assertRaises(Unreadable, msg=text):
                read_picks(text)


class Format(unittest.TestCase):
    def test_each_way_to_say_where_rows_come_from(self):
        for text in (
            "arrivals",
            "data/arrivals.xlsx",
            "{ source: a.csv, delimiter: tab, quote: none }",
            "{ file: a.json, path: $.items }",
            '{ items of: "[=kept.vessels]", pick: 1 to 3 }',
            "{ rows: [ { a: 1 } ] }",
            "{ combine: pairwise, columns: { a: [1] } }",
            "{ source: a.xlsx, sheet: S, names in: 2, data in: 'A4:F', columns: { x: { kind: "
            "number, may be empty: true } } }",
        ):
            self.assertIsNotNone(rows_of(text), text)

    def test_mistakes(self):
        for text, words in (
            ("{ source: arrivals, sheet: x }", "is said where the source"),
            ("{ file: a.csv, make: 3 }", "come from one of"),
            ("{ make: 3 }", "need columns"),
            ("{ make: 0, columns: { a: 1 } }", "from 1 to"),
            ("{ shet: x }", "did you mean 'sheet'"),
            ("{ source: a.csv, columns: { a: numbr } }", "kind is"),
            ("{ rows: [ 1 ] }", "a row is a mapping"),
            ("{ combine: some, columns: { a: [1] } }", "combine is"),
            ("{ source: a.csv, pick: lots }", "which rows"),
            ("{ combine: all, columns: { a: 1 } }", "list of values"),
            ("{ source: a.csv, data in: '4B' }", "expected cells"),
            ("{ make: 3, columns: { a: 1 }, sheet: x }", "has no meaning"),
            ("{ items of: x }", "needs a list"),
            ("5", "must be a mapping"),
            ("{ source: a.csv, delimiter: ';;' }", "one character"),
        ):
            with self.assertRaises(FormatError, msg=text) as caught:
                rows_of(text)
            self.assertIn(words, str(caught.exception), text)

    def test_a_source_by_its_name(self):
        project = Project("P", sources={"arrivals": FileRows("a.csv")})
        self.assertEqual(
            project.source_of(rows_of("{ source: arrivals, pick: 1 to 3 }")),
            FileRows("a.csv", pick="1 to 3"),
        )
        self.assertEqual(
            project.source_of(rows_of("arivals")).sentence,
            "there is no data source arivals; did you mean arrivals?",
        )
