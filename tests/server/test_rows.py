"""A case over ten thousand rows in the application: the same however many run at once, gone on with
when it was killed, paged, picked."""

import sqlite3
import time
import unittest
import urllib.request

from saltpath.core.values import plain
from tests.application import Application

ROWS = 3_000
TEXT = """\
salt-path: 1
case: Ten thousand
rows: { source: data/many.csv, columns: { length: number } }
steps:
  - set: { drawn: "[=any digits 9]-[=row.vessel]" }
  - set: { more: "[=any name] [=drawn]" }
"""
ASKING = """\
salt-path: 1
case: Asking
rows: data/many.csv
on failure: go on
steps:
  - request: Ask
    send: GET [=harbour]/vessels?size=1&vessel=[=row.vessel]
    expect: [ { of: status, is: 200 }, { of: value row.length, matches: "^([0-8].|9[.])" } ]
    keep: { total: $.total }
  - request: Again
    send: GET [=harbour]/berths
    expect: [ { of: status, is: 200 } ]
"""


class Rows(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.app = app = Application().__enter__()
        cls.addClassCleanup(app.__exit__)
        cls.put(
            "data/many.csv",
            "vessel,length\n" + "".join(f"V-{n},{n % 100}.5\n" for n in range(1, ROWS + 1)),
        )
        suite = app.get(f"/suites?project={app.project}")["items"][0]["id"]
        cls.many, cls.asking = (
            app.ask("POST", "/cases", {"project": app.project, "suite": suite, "text": text})[2][
                "id"
            ]
            for text in (TEXT, ASKING)
        )

    @classmethod
    def put(cls, path: str, text: str) -> None:
        address = f"{cls.app.address}/api/v1/projects/{cls.app.project}/files/{path}"
        urllib.request.urlopen(
            urllib.request.Request(
                address, text.encode(), {"Content-Type": "application/octet-stream"}, method="PUT"
            )
        )

    def evidence(self, run: str, sql: str, *more: object) -> list[tuple]:
        with sqlite3.connect(self.app.data / "saltpath.db") as main:
            number = main.execute("SELECT id FROM run WHERE oid = ?", (run,)).fetchone()[0]
        with sqlite3.connect(self.app.data / "evidence.db") as evidence:
            return evidence.execute(sql, (number, *more)).fetchall()

    def test_the_same_with_1_and_32_jobs(self):
        seen = []
        for jobs in (1, 32):
            run = self.app.run(180, cases=[self.many], jobs=jobs, seed=90417)
            self.assertEqual(run["cases"][0]["rows"]["counts"], {"unchecked": ROWS})
            self.assertEqual(run["cases"][0]["rows"]["columns"], ["vessel", "length"])
            rows = self.evidence(
                run["id"], "SELECT row, verdict, data FROM run_row WHERE run = ? ORDER BY row"
            )
            kept = {}
            for row in (1, 2, 1_500, 2_999, ROWS):
                steps = self.app.get(f"/runs/{run['id']}/cases/0?row={row}")["items"]
                kept[row] = [step["kept"] for step in steps]
            seen.append((rows, kept))
        self.assertEqual(seen[0], seen[1])
        self.assertEqual(len(seen[0][0]), ROWS)
        self.assertEqual(str(plain.read_json(seen[0][0][1][2])["length"]), "2.5")

    def test_killed_in_the_middle_it_goes_on(self):
        _, _, run = self.app.ask(
            "POST",
            "/runs",
            {"project": self.app.project, "cases": [self.asking], "jobs": 8, "pick": "1 to 3000"},
        )
        place = f"/runs/{run['id']}"
        for kind in ("runner", "writer"):
            before = sum(self.app.get(place)["cases"][0]["rows"]["counts"].values())
            self.app.wait(
                lambda before=before: (
                    sum(self.app.get(place)["cases"][0]["rows"]["counts"].values()) > before + 150
                )
            )
            self.app.kill(kind)
            time.sleep(0.2)
        done = self.app.finished(run["id"], 120)
        counts = done["cases"][0]["rows"]["counts"]
        self.assertEqual(sum(counts.values()), 3000, "every row once")
        bad = self.evidence(
            run["id"], "SELECT row, why FROM run_row WHERE run = ? AND verdict = 'blocked'"
        )
        self.assertLess(len(bad), 300)
        for _, why in bad:
            self.assertEqual(plain.read_json(why)["code"], "interrupted")
        twice = self.evidence(
            run["id"],
            "SELECT row, step, COUNT(*) FROM step WHERE run = ? GROUP BY row, step, part HAVING "
            "COUNT(*) > 1",
        )
        self.assertEqual(twice, [])
        sent = self.evidence(
            run["id"],
            "SELECT COUNT(DISTINCT row) FROM step WHERE run = ? AND step = 0 AND part = 'steps'",
        )
        self.assertEqual(sent, [(3000,)])

    def test_pages_sorted_and_filtered(self):
        run = self.app.run(60, cases=[self.asking], jobs=8, pick="81 to 180")
        self.assertEqual(run["cases"][0]["rows"]["counts"], {"passed": 90, "failed": 10})
        self.assertEqual(
            run["cases"][0]["why"]["sentence"].split(":")[0],
            "10 of 100 rows failed; the first, row 90",
        )
        self.assertEqual(run["cases"][0]["steps"], [], "steps of rows are asked for apart")

        def page(query: str) -> list:
            return self.app.get(f"/runs/{run['id']}/cases/0/rows?{query}")["items"]

        first = page("limit=5")
        self.assertEqual([row["row"] for row in first], [81, 82, 83, 84, 85])
        self.assertEqual(
            [(cell["part"], cell["index"], cell["status"]) for cell in first[0]["cells"]],
            [("steps", 0, 200), ("steps", 1, 200)],
        )
        self.assertGreater(first[0]["cells"][0]["size"], 20)
        self.assertEqual([row["row"] for row in page("limit=2&offset=3")], [84, 85])
        self.assertEqual([row["row"] for row in page("verdict=failed&limit=3")], [90, 91, 92])
        self.assertEqual(
            [row["data"]["length"] for row in page("sort=column+length&limit=3")],
            ["0.5", "1.5", "2.5"],
        )
        self.assertEqual(
            [row["data"]["length"] for row in page("sort=column+length&down=true&limit=2")],
            ["99.5", "98.5"],
        )
        times = [
            row["cells"][0]["ms"] for row in page("sort=step+steps+0+time&down=true&limit=1000")
        ]
        self.assertEqual(times, sorted(times, reverse=True))
        self.assertEqual({row["verdict"] for row in page("sort=verdict&limit=10")}, {"failed"})
        self.assertEqual(page("value=total&limit=1")[0]["cells"][0]["value"], "12")
        for query in ("sort=nothing", "verdict=green", "sort=step+steps+x+time", "limit=0"):
            self.assertEqual(
                self.app.ask("GET", f"/runs/{run['id']}/cases/0/rows?{query}")[0], 400, query
            )

    def test_only_what_did_not_pass_again(self):
        run = self.app.run(60, cases=[self.asking], jobs=8, pick="81 to 92")
        again = self.app.run(60, cases=[self.asking], jobs=8, bad=run["id"])
        self.assertEqual(again["cases"][0]["rows"]["pick"], "90 to 92")
        self.assertEqual(again["cases"][0]["rows"]["counts"], {"failed": 3})
        status, _, problem = self.app.ask(
            "POST", "/runs", {"project": self.app.project, "cases": [self.asking], "pick": "some"}
        )
        self.assertEqual((status, problem["code"]), (422, "pick"))

    def test_the_case_says_where_its_rows_come_from(self):
        case = self.app.get(f"/cases/{self.asking}")
        self.assertEqual(
            (case["rows"]["columns"], case["rows"]["first"][0]),
            (["vessel", "length"], ["V-1", "1.5"]),
        )
        self.assertEqual(
            [
                finding["sentence"]
                for finding in case["findings"]
                if "total" not in finding["sentence"]
            ],
            [],
        )
        self.assertIn(
            {"name": "vessel", "value": "“V-1”", "secret": False, "from": "row"}, case["scope"]
        )

    def test_a_run_keeps_to_the_version_that_it_began_with(self):
        self.put("data/few.csv", "vessel\nSaltwife\nHolm Bell\n")
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        text = "salt-path: 1\ncase: Few\nrows: data/few.csv\nsteps:\n  - set: { a: '[=vessel]' }\n"
        case = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "text": text}
        )[2]["id"]
        run = self.app.run(cases=[case])
        self.put("data/few.csv", "vessel\nPetrel IX\n")
        again = self.app.run(cases=[case], again=run["id"])
        self.assertEqual(sum(again["cases"][0]["rows"]["counts"].values()), 2, "the same data")
        self.assertEqual(sum(self.app.run(cases=[case])["cases"][0]["rows"]["counts"].values()), 1)
