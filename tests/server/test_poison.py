"""Documents that an older fault has stored, and files made to hang or to fill the memory: each is
told by name, and everything else works."""

import io
import json
import sqlite3
import tempfile
import time
import unittest
import unittest.mock
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

from openpyxl import Workbook

from saltpath.core.cases.row_sources import FileRows
from saltpath.core.values.grammar import Unreadable
from saltpath.formats.archives import LARGEST_HELD
from saltpath.formats.rows import read_table
from saltpath.formats.workbook import read_book
from saltpath.server import sandbox, sources
from saltpath.server.sandbox import Confined, NotNow, TooMuch
from tests.application import Application

SLOW = (b"a," * 199 + b"a\n") * 19_000
"""A file that takes a second to be read."""
POISON = {"file": "data/a.csv", "encoding": "rot13"}


class Stored(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.app = cls.enterClassContext(Application())

    def change(self, sql: str, *values: Any) -> None:
        with sqlite3.connect(self.app.data / "saltpath.db") as connection:
            connection.execute(sql, values)

    def made(self, path: str, **body: Any) -> Any:
        status, _, answer = self.app.ask("POST", path, body)
        self.assertEqual(status, 201, answer)
        return answer

    def setUp(self) -> None:
        self.project = self.made("/projects", name="Poisoned")["id"]
        self.suite = self.made("/suites", project=self.project, name="S")["id"]
        document = {"make": 2, "columns": {"n": "[=row.number]"}}
        self.made("/sources", project=self.project, name="good", document=document)
        self.good, self.bad, self.over = (
            self.made(
                "/cases", project=self.project, suite=self.suite, document=self.case(name, rows)
            )["id"]
            for name, rows in (("good", "good"), ("bad", None), ("over it", "poison"))
        )

    def case(self, name: str, rows: str | None) -> dict[str, Any]:
        steps = [{"set": {"a": "[=row.n]" if rows else "1"}}]
        return {"salt-path": 1, "case": name, **({"rows": rows} if rows else {}), "steps": steps}

    def poisoned(self) -> None:
        project = self.app.get(f"/sources?project={self.project}")["items"][0]["document"]
        held = {
            "salt-path": 1,
            "project": "Poisoned",
            "sources": {"poison": POISON, "good": project},
        }
        self.change("UPDATE project SET document = ? WHERE oid = ?", json.dumps(held), self.project)
        spoilt = {
            "salt-path": 1,
            "case": "bad",
            "steps": [
                {
                    "request": "A",
                    "send": "GET http://h/",
                    "expect": [{"of": "status", "nonsense": 1}],
                }
            ],
        }
        self.change(
            "UPDATE case_revision SET document = ?, checked = 0 WHERE test_case = (SELECT id FROM "
            "test_case WHERE oid = ?)",
            json.dumps(spoilt),
            self.bad,
        )

    def test_a_source_that_cannot_be_read_is_not_stored(self) -> None:
        """The fault: it was answered with 500, stored, and from then on every list of sources was
        500."""
        body = {"project": self.project, "name": "poison", "document": POISON}
        status, _, answer = self.app.ask("POST", "/sources", body)
        self.assertEqual(
            (status, "there is no encoding 'rot13'" in answer["title"]), (422, True), answer
        )
        self.assertEqual(
            [item["name"] for item in self.app.get(f"/sources?project={self.project}")["items"]],
            ["good"],
        )

    def test_what_an_older_fault_stored_is_told_and_all_else_works(self) -> None:
        self.poisoned()
        listed = {
            item["name"]: item["problem"]
            for item in self.app.get(f"/sources?project={self.project}")["items"]
        }
        self.assertIn("cannot be read: there is no encoding 'rot13'", listed["poison"])
        self.assertEqual(listed["good"], "")
        for path in (
            f"/suites?project={self.project}",
            f"/values?project={self.project}",
            f"/databases?project={self.project}",
            f"/lifts?project={self.project}",
            f"/suites/{self.suite}/coverage",
            f"/suites/{self.suite}/rows",
            f"/cases/{self.over}",
        ):
            self.app.get(path)
        broken = self.app.get(f"/cases/{self.bad}")
        self.assertEqual((broken["name"], broken["steps"]), ("bad", []))
        self.assertIn("nonsense", broken["text"], "its text can be mended")
        self.assertTrue(
            any("cannot be read" in finding["sentence"] for finding in broken["findings"]),
            broken["findings"],
        )
        done = self.app.run(project=self.project, cases=[self.good, self.bad, self.over])
        verdicts = {
            case["name"]: (case["verdict"], (case["why"] or {}).get("code"))
            for case in done["cases"]
        }
        self.assertEqual(verdicts["bad"], ("blocked", "stored-unread"))
        self.assertEqual(verdicts["over it"][0], "blocked")
        self.assertEqual(verdicts["good"][0], "unchecked", "it ran")
        mended = self.case("bad", None)
        version = f'"{broken["version"]}"'
        self.assertEqual(
            self.app.ask("PUT", f"/cases/{self.bad}", {"document": mended}, If_Match=version)[0],
            200,
        )
        path = f"/sources?project={self.project}&name=poison"
        self.assertEqual(
            self.app.ask("PATCH", path, {"document": {"make": 1, "columns": {"a": "1"}}})[0], 200
        )
        self.poisoned()
        self.assertEqual(self.app.ask("DELETE", path)[0], 409, "a case names it")
        self.app.ask("DELETE", f"/cases/{self.over}")
        self.assertEqual(self.app.ask("DELETE", path)[0], 200)

    def test_an_unread_check_on_every_answer_does_not_let_a_run_pass(self) -> None:
        """Left out in silence it would be a check that nobody made."""
        spoilt = {"salt-path": 1, "suite": "S", "every answer": [{"of": "time", "nonsense": 1}]}
        self.change("UPDATE suite SET document = ? WHERE oid = ?", json.dumps(spoilt), self.suite)
        done = self.app.run(project=self.project, cases=[self.good])
        self.assertEqual(
            (done["verdict"], done["cases"][0]["why"]["code"]), ("blocked", "stored-unread")
        )


def workbook(change: Callable[[str, bytes], bytes]) -> bytes:
    made, plain, out = Workbook(), io.BytesIO(), io.BytesIO()
    made.active.append(["a", "b"])
    made.active.append([1, 2])
    made.save(plain)
    source = zipfile.ZipFile(plain)
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name in source.namelist():
            archive.writestr(name, change(name, source.read(name)))
    return out.getvalue()


def in_sheet(before: bytes, after: bytes) -> Callable[[str, bytes], bytes]:
    return lambda name, data: (
        data.replace(before, after) if name == "xl/worksheets/sheet1.xml" else data
    )


class Workbooks(unittest.TestCase):
    HOSTILE = {
        "a row far below": in_sheet(b'<row r="2"', b'<row r="2000000000"'),
        "a row said oddly": in_sheet(b'<row r="2"', b"<row spans='1:2'\n r = '2000000000'"),
        "a column far to the right": in_sheet(b'r="B2"', b'r="ZZZZ2"'),
        "cells at the far end of each row": in_sheet(
            b"</sheetData>",
            b"".join(b'<row r="%d"><c r="XFD%d"><v>1</v></c></row>' % (n, n) for n in range(3, 300))
            + b"</sheetData>",
        ),
        "a cell of 50 MB": in_sheet(
            b"</sheetData>",
            b'<row r="3"><c r="A3" t="inlineStr"><is><t>'
            + b"x" * 50_000_000
            + b"</t></is></c></row></sheetData>",
        ),
        "a part that is held in memory, and is larger": lambda name, data: (
            b" " * (LARGEST_HELD + 1) if name == "xl/styles.xml" else data
        ),
    }

    def test_those_made_to_hang_are_refused_at_once(self) -> None:
        """A file of 4.8 kB hung a thread for ever; one of 296 kB took 1.2 GB."""
        for name, change in self.HOSTILE.items():
            octets = workbook(change)
            for read in (
                read_book,
                lambda octets: list(read_table(io.BytesIO(octets), FileRows("a.xlsx")).rows),
            ):
                with self.subTest(name):
                    begun = time.process_time()
                    with self.assertRaises(Unreadable):
                        read(octets)
                    self.assertLess(time.process_time() - begun, 3)

    def test_an_ordinary_one_with_gaps_is_read(self) -> None:
        octets = workbook(
            in_sheet(b"</sheetData>", b'<row r="900"><c r="AZ900"><v>7</v></c></row></sheetData>')
        )
        self.assertEqual(read_book(octets).sheets[0].table[899][51], "7")


class Processes(unittest.TestCase):
    def setUp(self) -> None:
        self.confined = Confined(Path(self.enterContext(tempfile.TemporaryDirectory())))

    def test_a_task_that_takes_too_long_is_ended_and_the_next_is_done(self) -> None:
        # also where four others want the processor
        with (
            unittest.mock.patch.object(sandbox, "WAITING", 100),
            self.assertRaises(TooMuch) as raised,
        ):
            self.confined.do("book", SLOW, limit_s=0.3)
        self.assertIn("longer than 0.3 s", str(raised.exception))
        self.assertEqual(
            self.confined.do("book", b"a,b\n1,2\n").sheets[0].table, [["a", "b"], ["1", "2"]]
        )

    def test_a_task_whose_client_has_gone_is_ended(self) -> None:
        begun = time.monotonic()
        with self.assertRaises(NotNow):
            self.confined.do("book", SLOW, gone=lambda: time.monotonic() - begun > 0.1)

    def test_what_was_not_done_is_not_remembered_of_a_file(self) -> None:
        """Somebody left a page while its file was read; everybody was told then that reading it
        takes too long, until a restart."""
        source = FileRows("a.csv")
        given = [
            NotNow("nobody waited"),
            NotNow("busy"),
            (["a"], []),
            AssertionError("asked again"),
        ]
        file = unittest.mock.Mock(version=f"version of {id(self)}")
        with (
            unittest.mock.patch.object(sources, "confined", side_effect=given),
            unittest.mock.patch.object(sources, "database"),
            unittest.mock.patch.object(sources.project_files, "current", return_value=file),
        ):
            self.assertEqual(
                [sources.begin_of(1, source).problem for _ in range(4)],
                ["nobody waited", "busy", "", ""],
            )

    def test_what_cannot_be_read_says_why_and_the_process_goes_on(self) -> None:
        for octets, words in ((b"PK\x03\x04", "cannot be read"), (b"", "is empty")):
            with self.assertRaises(Unreadable) as raised:
                self.confined.do("book", octets)
            self.assertIn(words, str(raised.exception))
        [process] = self.confined._free
        self.assertEqual(self.confined.do("book", b"a\n").sheets[0].table, [["a"]])
        self.assertIs(self.confined._free[0], process)

    def test_a_process_that_is_killed_costs_its_task_alone(self) -> None:
        self.confined.do("book", b"a\n")
        self.confined._free[0].kill()
        self.confined._free[0].wait()
        self.assertEqual(self.confined.do("book", b"a\n").sheets[0].table, [["a"]])


if __name__ == "__main__":
    unittest.main()
