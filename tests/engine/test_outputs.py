"""Output tables: rows that steps write, in the order of the rows however many run at once; saved,
and taken as a source by a later case."""

import csv
import io
import tempfile
import unittest
from decimal import Decimal
from pathlib import Path

from openpyxl import Workbook, load_workbook

from saltpath.core.cases.case import NamedValues, Project
from saltpath.core.format.nodes import FormatError
from saltpath.core.format.reader import read_case
from saltpath.core.running.compiled import CompiledPlan, compiled
from saltpath.core.values.grammar import Unreadable
from saltpath.engine.loop import run_in_loop
from saltpath.engine.run import run_plan
from saltpath.formats.reports.results import CaseResult, Results
from saltpath.formats.workbook import into_sheet, write_values_csv, write_values_xlsx
from saltpath.store.collected import OutputTables
from tests.engine.test_command_line import saltpath
from tests.harbour import harbour
from tests.supplies import Given

WRITES = """\
salt-path: 1
case: Writes
rows: { make: 60, columns: { name: "V-[=row.number | plus 100]" } }
steps:
  - request: Read it
    send: GET [=harbour]/vessels/[=row.name]
    expect: [ { of: status, is: 200 } ]
    write:
      table: vessels
      columns: { name: "[=row.name]", length: $.lengthMetres, status: status, verdict: verdict,
        why: why, kind: "'a vessel'", time: time,
                 missing: $.nowhere, several: "$.items[*].id", number: "[=row.number]" }
"""
READS = """\
salt-path: 1
case: Reads
rows: { output table: vessels, pick: "where verdict is passed" }
steps:
  - { request: Again, send: "GET [=harbour]/vessels/[=row.name]", expect: [ { of: $.lengthMetres,
      is: "[=row.length]" } ] }
"""


def run(*texts: str, jobs: int = 1) -> tuple[Results, OutputTables]:
    tables = OutputTables()
    cases = tuple(compiled(read_case(text)) for text in texts)
    project = Project("Tests", values=NamedValues({"harbour": harbour()}))
    plan = CompiledPlan(cases, project, seed=7, jobs=jobs, started_us=1_795_420_800_000_000)
    supplies = Given(read_output=tables.read)
    results = Results([CaseResult(case) for case in plan.cases])

    def take(event):
        results.take(event)
        tables.take(event)

    run_in_loop(lambda selector: run_plan(plan, selector, take, supplies=supplies))
    return results, tables


class Outputs(unittest.TestCase):
    def test_rows_are_written_in_order_however_many_run_at_once(self):
        seen = []
        for jobs in (1, 16):
            _, tables = run(WRITES, jobs=jobs)
            rows = list(tables.rows("vessels"))
            self.assertEqual([row["number"] for row in rows], list(range(1, 61)))
            first, later = rows[0], rows[40]
            self.assertEqual(
                [
                    first[name]
                    for name in (
                        "name",
                        "length",
                        "status",
                        "verdict",
                        "why",
                        "kind",
                        "missing",
                        "several",
                    )
                ],
                ["V-101", Decimal("23.4"), 200, "passed", "", "a vessel", None, None],
            )
            self.assertTrue(0 < first["time"] < 10_000)
            self.assertEqual(
                (later["verdict"], later["status"], later["length"]), ("failed", 404, None)
            )
            seen.append(
                [{name: value for name, value in row.items() if name != "time"} for row in rows]
            )
        self.assertEqual(*seen)

    def test_a_later_case_takes_them_as_its_source(self):
        for jobs in (1, 8):
            results, _ = run(READS.replace("Reads", "Too early"), WRITES, READS, jobs=jobs)
            early, _, later = results.cases
            self.assertEqual((early.verdict, early.why.code), ("blocked", "source-unreadable"))
            self.assertEqual((later.verdict, len(later.rows)), ("passed", 12), later.why)

    def test_from_steps_inside_others_and_around_all_rows(self):
        _, tables = run(
            "salt-path: 1\ncase: A\nrows: { make: 2, columns: { a: x } }\n"
            "once: [ { set: { a: 1 }, write: { table: t, columns: { at: \"'once'\" } } } ]\n"
            "at the end: [ { set: { b: 1 }, write: { table: t, columns: { at: \"'end'\" } } } ]\n"
            "steps:\n  - for each: [1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11]\n    as: n\n    steps:\n"
            "      - { set: { c: '[=n]' }, write: { table: t, columns: { at: '[=row.number].[=n]' "
            "} } }\n"
        )
        inner = [f"{row}.{n}" for row in (1, 2) for n in range(1, 12)]
        self.assertEqual([row["at"] for row in tables.rows("t")], ["once", *inner, "end"])

    def test_what_is_no_row_of_a_table_is_refused(self):
        for write, said in (
            ("{ table: t }", "needs a table and columns"),
            ("{ table: t, columns: {} }", "needs a table"),
            ("{ table: t, columns: { a: stats } }", "a fixed text stands in quotes"),
            ("{ table: a/b, columns: { a: status } }", "no /"),
            ("{ table: t, columns: { a: [1] } }", "a reference, a subject"),
        ):
            text = (
                f"salt-path: 1\ncase: A\nsteps:\n  - {{ request: A, send: GET http://h/, "
                f"write: {write} }}\n"
            )
            with self.subTest(write), self.assertRaises(FormatError) as caught:
                read_case(text)
            self.assertIn(said, str(caught.exception))


class Saved(unittest.TestCase):
    ROWS = [
        {"a": "=1+1", "b": Decimal("1.5"), "c": True},
        {"a": "007", "b": Decimal("1318.40"), "d": [1, {"x": None}]},
        {"e": 12345678901234567890},
        {"e": Decimal("2.5")},
    ]

    def test_as_a_workbook(self):
        book = load_workbook(
            io.BytesIO(write_values_xlsx([("quotes: today?", self.ROWS), ("QUOTES  today", [])]))
        )
        self.assertEqual(len(book.sheetnames), 2)
        sheet = book.worksheets[0]
        self.assertEqual([cell.value for cell in sheet[1]], ["a", "b", "c", "d", "e"])
        self.assertEqual([cell.value for cell in sheet[2]], ["=1+1", 1.5, True, None, None])
        self.assertEqual((sheet["A2"].data_type, sheet["A2"].quotePrefix), ("s", True))
        self.assertEqual(
            [cell.value for cell in sheet[3]],
            ["007", 1318.4, None, '[1,{"x":null}]', None],
        )
        self.assertEqual(sheet["B3"].number_format, "0.00", "the zero is shown")
        held = [sheet["E4"].value, sheet["E5"].value]
        self.assertEqual(
            held, ["12345678901234567890", "2.5"], "a spreadsheet has 15 digits, so all are texts"
        )

    def test_as_csv(self):
        rows = list(csv.reader(io.StringIO(write_values_csv(self.ROWS).decode("utf-8-sig"))))
        self.assertEqual(
            rows[:3],
            [
                ["a", "b", "c", "d", "e"],
                ["'=1+1", "1.5", "true", "", ""],
                ["007", "1318.40", "", '[1,{"x":null}]', ""],
            ],
        )

    def test_in_a_place_of_a_workbook_of_ones_own(self):
        book = Workbook()
        book.active.title = "Fees"
        book.active["A1"], book.active["F9"] = "Fees of the week", "=SUM(B4:B6)"
        book.create_sheet("Notes")["A1"] = "mine"
        octets = io.BytesIO()
        book.save(octets)
        found = load_workbook(io.BytesIO(into_sheet(octets.getvalue(), "Fees", 3, 1, self.ROWS)))
        sheet = found["Fees"]
        self.assertEqual(
            (sheet["A1"].value, sheet["F9"].value, found["Notes"]["A1"].value),
            ("Fees of the week", "=SUM(B4:B6)", "mine"),
        )
        self.assertEqual(
            (sheet["A3"].value, sheet["B4"].value, sheet["A4"].value, sheet["A4"].data_type),
            ("a", 1.5, "=1+1", "s"),
        )
        for octets_of, sheet_name, said in (
            (octets.getvalue(), "Fes", "no sheet"),
            (b"PK none", "Fees", "damaged"),
        ):
            with self.subTest(said), self.assertRaises(Unreadable) as caught:
                into_sheet(octets_of, sheet_name, 1, 1, self.ROWS)
            self.assertIn(said, str(caught.exception))

    def test_on_the_command_line(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        (folder / "writes.case.yaml").write_text(
            WRITES.replace("make: 60", "make: 3")
            + WRITES.partition("steps:\n")[2].replace("vessels\n", "others\n")
        )
        values = ("--set", f"harbour={harbour()}", "--quiet")
        done = saltpath("run", str(folder), *values, "--table", str(folder / "out.csv"))
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        self.assertIn("out-others.csv", done.stdout)
        self.assertEqual((folder / "out-vessels.csv").read_text("utf-8-sig").count("\n"), 4)
        saltpath("run", str(folder), *values, "--table", str(folder / "out.xlsx"))
        self.assertEqual(load_workbook(folder / "out.xlsx").sheetnames, ["others", "vessels"])
        refused = saltpath("run", str(folder), *values, "--table", str(folder / "out.pdf"))
        self.assertEqual((refused.returncode, "ends in .xlsx or .csv" in refused.stderr), (2, True))


if __name__ == "__main__":
    unittest.main()
