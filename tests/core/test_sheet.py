"""Sheets: every demonstration case comes back as it was; what rows change, add and take away; what
cannot be read is said, and the rest stands; a team's own headings."""

import random
import unittest
from pathlib import Path

from saltpath.core.format.reader import case_from_data
from saltpath.core.format.source import read_source
from saltpath.core.sheet.cells import read_cells, read_request, write_cells, write_request
from saltpath.core.sheet.headings import column_of, columns_of, heading_row, is_column, is_own
from saltpath.core.sheet.plan import plan
from saltpath.core.sheet.rows import HEADINGS, rows_of

PROJECT = Path(__file__).resolve().parents[2] / "src/saltpath/demo"


def demo_cases():
    files = sorted(PROJECT.rglob("*.case.yaml"))
    return [read_source(file.read_text(encoding="utf-8")).root.data() for file in files]


CASE = {
    "salt-path": 1,
    "case": "A vessel is read",
    "key": "vesselread",
    "steps": [
        {
            "request": "Read it",
            "key": "readit",
            "send": "GET [=harbour]/vessels/V-1",
            "query": {"full": "a b&c", "unit": "[=unit]"},
            "headers": {"Accept": "application/json"},
            "expect": [
                {"of": "status", "is": 200},
                {"of": "$.length", "is": "[=length]", "note": "as registered"},
                {
                    "when": [{"of": "status", "is": 200, "note": "inside"}],
                    "then": [{"of": "$.id", "present": True}],
                },
            ],
        },
        {"wait": "1 s", "key": "waitab"},
        {
            "request": "Send it",
            "key": "sendit",
            "send": "POST [=harbour]/vessels",
            "json": '{ "name": "[=name]" }',
            "keep": {"id": "$.id"},
        },
    ],
    "afterwards": [
        {"request": "Take it away", "key": "takeit", "send": "DELETE [=harbour]/vessels/[=id]"}
    ],
}


def table_of(*documents):
    return [
        [row.cells.get(name, "") for name in HEADINGS]
        for document in documents
        for row in rows_of(document)
    ]


def put(table, row, **cells):
    for name, text in cells.items():
        table[row][HEADINGS.index(name.replace("_", " "))] = text
    return table


class OwnSheets(unittest.TestCase):
    def test_every_case_comes_back_as_it_was(self):
        found = demo_cases()
        self.assertGreater(len(found), 40)
        made = plan(table_of(*found), HEADINGS, found)
        self.assertEqual(made.faults, [])
        self.assertEqual(
            [item.document for item in made.cases], [item.before for item in made.cases]
        )

    def test_a_changed_cell_changes_that_alone_and_what_no_cell_holds_stays(self):
        table = put(table_of(CASE), 0, expected="201", note="made")
        [changed] = plan(table, HEADINGS, [CASE]).cases
        self.assertEqual(
            changed.document["steps"][0]["expect"][0], {"of": "status", "is": 201, "note": "made"}
        )
        self.assertEqual(changed.document["steps"][0]["expect"][1:], CASE["steps"][0]["expect"][1:])
        self.assertEqual(changed.document["steps"][1:], CASE["steps"][1:])
        self.assertEqual(len(changed.changes), 2)

    def test_rows_may_be_added_taken_away_and_put_in_order(self):
        table = table_of(CASE)
        new = [""] * len(HEADINGS)
        table.insert(1, put([new], 0, of="$.name", relation="is not empty")[0])
        del table[2]
        [changed] = plan(table, HEADINGS, [CASE]).cases
        self.assertEqual(
            [check.get("of") for check in changed.document["steps"][0]["expect"]],
            ["status", "$.name", None],
        )

    def test_names_and_requests_are_changed_by_their_keys(self):
        table = put(
            table_of(CASE),
            0,
            case="A vessel is found",
            step="Look at it",
            method="HEAD",
            address="[=harbour]/vessels/V-2?full=x%26y&unit=[=unit]",
            headers="Accept: text/plain\nX-Desk: 4",
        )
        [changed] = plan(table, HEADINGS, [CASE]).cases
        step = changed.document["steps"][0]
        self.assertEqual(
            (changed.document["case"], step["request"], step["key"]),
            ("A vessel is found", "Look at it", "readit"),
        )
        self.assertEqual(
            (step["send"], step["query"]),
            ("HEAD [=harbour]/vessels/V-2", {"full": "x&y", "unit": "[=unit]"}),
        )
        self.assertEqual(step["headers"], {"Accept": "text/plain", "X-Desk": "4"})

    def test_a_wrong_row_is_said_and_its_step_loses_nothing(self):
        table = put(table_of(CASE), 1, relation="is abov")
        made = plan(table, HEADINGS, [CASE], first=7)
        [fault] = made.faults
        self.assertEqual((fault.row, fault.column), (8, "of"))
        self.assertIn("did you mean 'is above'?", fault.sentence)
        self.assertEqual(made.cases[0].document, CASE)

    def test_a_request_that_cannot_be_read_stays_as_it_is(self):
        for cells in ({"headers": "no colon here"}, {"address": "[=harbour"}, {"method": "GE T"}):
            with self.subTest(cells):
                made = plan(put(table_of(CASE), 0, **cells), HEADINGS, [CASE])
                self.assertEqual(made.cases[0].document, CASE)
                self.assertEqual([fault.row for fault in made.faults], [0])

    def test_a_new_case_and_its_steps(self):
        table = put(
            [[""] * len(HEADINGS) for _ in range(4)],
            0,
            case="New here",
            step="Ask",
            method="POST",
            address="http://127.0.0.1/x?a=1",
            body='{"a": 1}',
            of="status",
            expected="201",
        )
        put(table, 1, of="$.id", relation="is present")
        put(table, 2, address="http://127.0.0.1/y", of="status 200")
        put(table, 3, step="Nowhere", of="status", expected="200")
        made = plan(table, HEADINGS, [CASE])
        [new] = made.cases
        self.assertIsNone(new.before)
        self.assertEqual([step["request"] for step in new.document["steps"]], ["Ask", "Read y"])
        self.assertEqual(new.document["steps"][0]["json"], '{"a": 1}')
        self.assertEqual(
            new.document["steps"][0]["expect"],
            [{"of": "status", "is": 201}, {"of": "$.id", "present": True}],
        )
        self.assertEqual([(fault.row, fault.column) for fault in made.faults], [(3, "step")])
        case_from_data(new.document)

    def test_rows_that_belong_nowhere_are_said(self):
        row = put([[""] * len(HEADINGS)], 0, of="status", expected="200")
        self.assertIn("no row above", plan(row, HEADINGS, [CASE]).faults[0].sentence.lower())
        self.assertIn(
            "which request",
            plan(row, HEADINGS, [CASE], otherwise="A vessel is read").faults[0].sentence,
        )
        named = put(row, 0, case="A vesel is read")
        self.assertIn(
            "did you mean “A vessel is read”",
            plan(named, HEADINGS, [CASE], new_cases=False).faults[0].sentence,
        )

    def test_tables_at_random_never_lose_a_case_and_always_give_cases_that_read(self):
        chance, found = random.Random(11), demo_cases()[:8]
        base = table_of(*found)
        words = [
            "",
            "status",
            "is",
            "200",
            "$.a",
            "[=",
            "{",
            "advice",
            "x" * 300,
            "GET",
            "[=harbour]/x?a",
            "\u0000",
            "=1+1",
            "off, no",
        ]
        for _ in range(150):
            table = [list(row) for row in base]
            for _ in range(12):
                table[chance.randrange(len(table))][chance.randrange(len(HEADINGS))] = (
                    chance.choice(words)
                )
            made = plan(table, HEADINGS, found)
            for item in made.cases:
                if item.document["case"]:
                    case_from_data(item.document)


class TeamsSheets(unittest.TestCase):
    COLUMNS = (
        "case",
        "step",
        "method",
        "address",
        "body",
        "expected of status",
        "expected of $.length",
        "of",
        "expected",
    )

    def test_headings_are_found_and_mapped(self):
        table = [
            ["Harbour tests", ""],
            ["", ""],
            ["Test case", "URL", "Expected status", "Length?"],
            ["a", "b", "200", "1"],
        ]
        self.assertEqual(heading_row(table, {}), 2)
        known = {"length?": "expected of $.length"}
        self.assertEqual(columns_of(table[2], {}), ["case", "address", "expected of status", ""])
        self.assertEqual(columns_of(table[2], known)[3], "expected of $.length")
        self.assertEqual(column_of("  Case_Name:", {}), "case")
        self.assertFalse(is_own(columns_of(table[2], known)))
        self.assertTrue(is_own(HEADINGS))
        for name, fits in (
            ("of", True),
            ("", True),
            ("expected of $.a[", False),
            ("whatever", False),
            ("expected of time", True),
        ):
            self.assertEqual(is_column(name), fits, name)

    def test_rows_of_a_team_add_and_change_and_take_nothing_away(self):
        table = [
            ["A vessel is read", "Read it", "", "", "", "404", "", "", ""],
            ["", "", "", "", "", "", "23.40", "name", "Marrow Finch"],
        ]
        [changed] = plan(table, self.COLUMNS, [CASE]).cases
        checks = changed.document["steps"][0]["expect"]
        self.assertEqual(checks[0], {"of": "status", "is": 404})
        self.assertEqual((str(checks[1]["is"]), checks[1]["note"]), ("23.40", "as registered"))
        self.assertEqual(
            checks[2:], [CASE["steps"][0]["expect"][2], {"of": "$.name", "is": "Marrow Finch"}]
        )

    def test_a_case_for_each_row_with_its_request(self):
        table = [
            ["First", "", "GET", "http://127.0.0.1/a", "", "200", "", "", ""],
            ["Second", "", "", "POST http://127.0.0.1/b", '{"x": 1}', "below 300", "", "", ""],
        ]
        made = plan(table, self.COLUMNS, [])
        self.assertEqual(made.faults, [])
        first, second = (item.document for item in made.cases)
        self.assertEqual(first["steps"][0]["send"], "GET http://127.0.0.1/a")
        self.assertEqual(
            (second["steps"][0]["send"], second["steps"][0]["json"]),
            ("POST http://127.0.0.1/b", '{"x": 1}'),
        )
        self.assertEqual(second["steps"][0]["expect"], [{"of": "status", "below": 300}])
        self.assertEqual(
            [(place.row, place.case, place.request) for place in made.places],
            [(0, 0, 0), (1, 1, 0)],
        )

    def test_an_expected_body_of_a_column_is_what_the_answer_has_to_fit(self):
        [made] = plan(
            [["A", "GET http://127.0.0.1/a", '{"id": "[?text]"}']],
            ["case", "address", "expected of $"],
            [],
        ).cases
        self.assertEqual(
            made.document["steps"][0]["expect"], [{"of": "$", "fits": {"id": "[?text]"}}]
        )


class Cells(unittest.TestCase):
    def test_checks_and_requests_are_read_as_they_are_written(self):
        for document in demo_cases():
            for row_step in (
                s
                for part in ("once", "steps", "afterwards", "at the end")
                for s in document.get(part, [])
            ):
                self.assertEqual(read_request(row_step, write_request(row_step)), row_step)
                for check in row_step.get("expect", []):
                    bare = {
                        name: value
                        for name, value in check.items()
                        if name not in ("note", "advice", "off")
                    }
                    if "of" in check:
                        self.assertEqual(
                            write_cells(read_cells(*write_cells(check))), write_cells(bare)
                        )


if __name__ == "__main__":
    unittest.main()
