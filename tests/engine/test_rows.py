"""A case over rows: side by side, once around them, bad rows alone, picked, stopped, gone on with
after an interruption."""

import unittest

from msgspec.structs import replace

from saltpath.core.cases.case import NamedValues, Project
from saltpath.core.format.reader import read_case
from saltpath.core.running.compiled import CompiledPlan, compiled
from saltpath.core.running.events import RowFinished, RowStarted, StepFinished
from saltpath.core.running.supplies import Kept, Resume
from saltpath.core.running.totals import RecordedStep
from saltpath.engine.loop import run_in_loop
from saltpath.engine.run import run_plan
from saltpath.engine.stop import Stop
from saltpath.formats.reports.results import CaseResult, Results
from saltpath.formats.rows import read_table
from tests.harbour import harbour
from tests.supplies import Given

READ = """\
steps:
  - request: Read it
    send: GET [=harbour]/vessels/[=id]
    expect: [ { of: status, is: 200 }, { of: $.lengthMetres, is: "[=row.length]" } ]
"""
MADE = """\
rows: { make: 200, columns: { word: "[=any letters 8]", id: "V-10[=row.number | as text]" } }
steps:
  - set: { drawn: "[=any digits 9]-[=row.word]" }
  - { request: Ask, send: "GET [=harbour]/vessels?size=1&word=[=drawn]", expect: [ { of: status,
      is: 200 } ] }
""".replace(" | as text", "")
FILE = b"id,length\nV-101,23.4\nV-102,41.0\nV-103,99\nV-104,x\nV-999,1\n"


class Run:
    """A run of one case's text over rows, with everything that it emitted."""

    def __init__(
        self,
        text: str,
        jobs: int = 1,
        files: dict[str, bytes] | None = None,
        stop_after: int = 0,
        pick: str = "",
        begun: int | None = None,
        **recorded,
    ):
        import io

        case = compiled(read_case(f"salt-path: 1\ncase: A test\nkey: aaaaaaaaaa\n{text}"))
        case = replace(case, pick=pick, begun=begun)
        project = Project("Tests", values=NamedValues({"harbour": harbour()}))
        self.events: list = []
        plan = CompiledPlan(
            (case,),
            project,
            seed=7,
            jobs=jobs,
            started_us=1_795_420_800_000_000,
        )

        def reader(source):
            return read_table(io.BytesIO((files or {})[source.file]), source).rows

        self.supplies = Given(read_rows=reader, **recorded)
        self.results = Results([CaseResult(case)])

        async def walk(selector):
            stop = Stop()

            def take(event):
                self.events.append(event)
                self.results.take(event)
                if stop_after and len(self.of(RowFinished)) == stop_after:
                    stop.request("Ines")

            await run_plan(plan, selector, take, stop, supplies=self.supplies)

        run_in_loop(walk)
        self.case = self.results.cases[0]

    def of(self, kind: type) -> list:
        return [event for event in self.events if isinstance(event, kind)]

    @property
    def rows(self) -> dict[int, str]:
        return {row.row: row.verdict for row in self.case.rows}


class Rows(unittest.TestCase):
    def test_each_row_is_judged_by_itself(self):
        run = Run(
            "rows: { source: a.csv, columns: { length: number } }\n" + READ, files={"a.csv": FILE}
        )
        self.assertEqual(
            run.rows, {1: "passed", 2: "passed", 3: "failed", 4: "blocked", 5: "failed"}
        )
        self.assertEqual(run.case.verdict, "failed")
        self.assertEqual(
            run.case.why.sentence,
            "2 of 5 rows failed; the first, row 3: $.lengthMetres was 12.8, expected 99",
        )
        self.assertEqual(run.case.rows[3].why.sentence, "length is “x”, which is no number")
        self.assertEqual(
            [step.row for step in run.case.steps],
            [1, 2, 3, 5],
            "a row that cannot be carried out sends nothing",
        )
        self.assertEqual(str(run.case.rows[1].data["length"]), "41.0")

    def test_the_same_seed_gives_the_same_however_many_run_at_once(self):
        def sent(run):
            return {
                (step.row, exchange.address)
                for step in run.of(StepFinished)
                for exchange in step.exchanges
            }

        one, many = Run(MADE), Run(MADE, jobs=32)
        self.assertEqual(sent(one), sent(many))
        self.assertEqual((one.rows, len(one.rows)), (many.rows, 200))
        self.assertEqual(len({address for _, address in sent(one)}), 200)
        begun = [row.row for row in many.of(RowStarted)]
        self.assertEqual(begun, sorted(begun), "they begin in their order")
        self.assertGreater(self.most_at_once(many), 8)

    def most_at_once(self, run) -> int:
        now = most = 0
        for event in run.events:
            now += isinstance(event, RowStarted) - isinstance(event, RowFinished)
            most = max(most, now)
        return most

    def test_once_and_at_the_end_stand_around_all_rows(self):
        text = """\
rows: { items of: "[=berths]", pick: 1 to 3 }
once:
  - { request: List, send: "GET [=harbour]/berths", keep: { berths: $.items } }
steps:
  - { request: One, send: "GET [=harbour]/berths/[=id]", expect: [ { of: $.metres,
      is: "[=row.metres]" } ], keep: { last: $.id } }
afterwards:
  - { request: After, send: "GET [=harbour]/berths/[=last]" }
at the end:
  - { request: End, send: "GET [=harbour]/berths", expect: [ { of: status, is: 200 } ] }
"""
        run = Run(text, jobs=8)
        self.assertEqual(
            (run.case.verdict, run.rows), ("passed", {1: "passed", 2: "passed", 3: "passed"})
        )
        self.assertEqual(
            [(step.part, step.row) for step in run.case.steps if step.row == 0],
            [("once", 0), ("at the end", 0)],
        )
        self.assertEqual(run.case.steps[-1].part, "at the end")
        self.assertEqual(sum(step.part == "afterwards" for step in run.case.steps), 3)

    def test_a_bad_once_skips_all_rows(self):
        text = (
            'rows: { make: 5, columns: { a: 1 } }\nonce:\n  - { request: Bad, send: "GET '
            '[=harbour]/nowhere", expect: [ { of: status, is: 200 } ] }\n'
        )
        run = Run(text + READ)
        self.assertEqual((run.case.verdict, run.rows, len(run.case.steps)), ("failed", {}, 1))

    def test_what_one_row_keeps_no_other_sees(self):
        text = """\
rows: [ { a: 1 }, { a: 2 } ]
on failure: go on
steps:
  - { request: Keep, only if: { of: value row.a, is: 1 }, send: "GET [=harbour]/berths",
      expect: [ { of: status, is: 200 } ], keep: { total: $.total } }
  - { request: Use, send: "GET [=harbour]/berths?size=[=total]", expect: [ { of: status,
      is: 200 } ] }
"""
        run = Run(text)
        self.assertEqual(run.rows, {1: "passed", 2: "blocked"})
        self.assertIn("there is no value total", run.case.rows[1].why.sentence)

    def test_picked_rows_keep_their_numbers(self):
        run = Run(MADE, pick="3 to 5, 9")
        self.assertEqual(list(run.rows), [3, 4, 5, 9])
        everything = {step.row: step.kept for step in Run(MADE).case.steps if step.kept}
        for step in run.case.steps:
            if step.kept:
                self.assertEqual(step.kept, everything[step.row])

    def test_where_no_row_comes_from(self):
        for text, words in (
            ("rows: nowhere\n", "there is no data source nowhere"),
            ("rows: { source: a.csv, pick: 9 to 10 }\n", "is meant by 9 to 10"),
            ("rows: { source: b.csv }\n", "b.csv has no rows"),
            ('rows: { items of: "[=harbour]" }\n', "this is text"),
        ):
            run = Run(text + READ, files={"a.csv": FILE, "b.csv": b"id,length\n"})
            self.assertEqual(run.case.verdict, "blocked", text)
            self.assertIn(words, run.case.why.sentence)

    def test_a_file_that_breaks_off_says_so_after_its_rows(self):
        octets = b'{"id": "V-101", "length": 23.4}\n' * 1_500 + b'{"id": \n'
        run = Run("rows: a.jsonl\nsteps:\n  - set: { a: 1 }\n", files={"a.jsonl": octets}, jobs=4)
        self.assertEqual((len(run.rows), run.case.verdict), (1_500, "blocked"))
        self.assertIn("line 1501 is not JSON", run.case.why.sentence)

    def test_stop(self):
        run = Run(MADE, jobs=4, stop_after=20)
        self.assertLess(len(run.rows), 40)
        self.assertEqual(run.results.stopped_by, "Ines")
        self.assertEqual(len(run.of(RowStarted)), len(run.of(RowFinished)), "what was begun ended")
        self.assertEqual(
            (run.case.verdict, run.results.verdict),
            ("blocked", "blocked"),
            "with rows missing it has not passed",
        )
        self.assertRegex(
            run.case.why.sentence,
            r"^stopped by Ines after \d+ rows; the others were not carried out$",
        )

    def test_rows_are_said_before_they_begin(self):
        run = Run(MADE, jobs=8)
        self.assertEqual(len(run.rows), 200)
        self.assertEqual(run.supplies.claimed, sorted(run.supplies.claimed))
        self.assertEqual(run.supplies.claimed[-1], 200)

    def test_going_on(self):
        """Rows 1 to 10 may have begun; 1 to 7 ended, 8 had asked, of 9 and 10 nothing is known."""
        passed, steps = RecordedStep("Ask", "passed", None, True, True), frozenset({"steps"})
        asked = Resume(Kept({"drawn": "x"}), {("steps", 0): passed}, steps)
        ended = dict.fromkeys(range(1, 8), ("passed", None)) | {3: ("failed", None)}
        after = (
            "afterwards:\n  - { request: Tidy, only if: { of: value drawn, present: true }, "
            'send: "GET [=harbour]/vessels?word=[=drawn]" }\n'
        )
        recorded = {"resumes": {8: asked}, "over": ended}
        run = Run(MADE + after, pick="1 to 15", begun=10, **recorded)
        self.assertEqual(
            run.rows,
            {8: "blocked", 9: "blocked", 10: "blocked", **dict.fromkeys(range(11, 16), "passed")},
        )
        self.assertEqual(
            {step.why.code for step in run.case.steps if step.verdict == "blocked"}, {"interrupted"}
        )
        self.assertEqual(
            [step.row for step in run.case.steps if step.part == "afterwards" and step.exchanges],
            [8, 11, 12, 13, 14, 15],
        )
        self.assertEqual(run.case.verdict, "failed", "the third row's verdict counts")
        self.assertEqual(run.case.why.sentence, "1 of 15 rows failed; the first, row 3: ")

    def test_columns_by_their_names(self):
        run = Run(
            "rows: [ { 'Gross tonnage': 5, number: 77 } ]\nsteps:\n  - set: { a: \"[=row.'Gross "
            'tonnage\']", b: "[=row.\'number\']", c: "[=row.number]" }\n'
        )
        self.assertEqual(run.case.steps[0].kept, {"a": 5, "b": 77, "c": 1})
