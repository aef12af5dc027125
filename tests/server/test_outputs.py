"""Output tables, finished requests and what rows have in common, through the API."""

import io
import json
import unittest
import urllib.request

from openpyxl import Workbook, load_workbook

from tests.application import Application

CASE = """\
salt-path: 1
case: Lengths
rows: { make: 120, columns: { length: "[=any number 8.0 to 150.0]" } }
once: [ { shared: sign-in, gives: { token: deskToken } } ]
steps:
  - request: Ask
    key: askask
    send: POST [=harbour]/port-calls
    auth: { bearer: "[=deskToken]" }
    json: { vessel: Saltwife, lengthMetres: "[=row.length]", pin: "[=agentPassword]" }
    expect: [ { of: status, is: 201 }, { of: $.berth.metres, at least: "[=row.length]" } ]
    write: { table: lengths, columns: { length: "[=row.length]", berth: $.berth.name,
      pin: "[=agentPassword]", verdict: verdict } }
"""


class Outputs(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.app = cls.enterClassContext(Application())
        cls.app.finished(cls.app.get(f"/runs?project={cls.app.project}")["items"][0]["id"])
        suite = cls.app.get(f"/suites?project={cls.app.project}")["items"][0]["id"]
        cls.case = cls.app.ask(
            "POST", "/cases", {"project": cls.app.project, "suite": suite, "text": CASE}
        )[2]["id"]
        cls.run_ = cls.app.run(cases=[cls.case], jobs=16, seed=3)

    def octets(self, path: str, body: bytes | None = None) -> bytes:
        request = urllib.request.Request(
            f"{self.app.address}/api/v1{path}", body, {"Content-Type": "application/octet-stream"}
        )
        with urllib.request.urlopen(request) as answer:
            return answer.read()

    def test_tables_are_listed_paged_and_saved(self):
        project = f"?project={self.app.project}"
        tables = {item["name"]: item for item in self.app.get(f"/output-tables{project}")["items"]}
        self.assertEqual((tables["quotes"]["rows"], tables["lengths"]["rows"]), (12, 120))
        self.assertEqual(tables["lengths"]["columns"], ["length", "berth", "pin", "verdict"])
        first = self.app.get(f"/output-tables/rows{project}&name=lengths&limit=100")
        rest = self.app.get(
            f"/output-tables/rows{project}&name=lengths&limit=100&offset={first['next']}"
        )
        self.assertEqual((len(first["items"]), len(rest["items"]), rest["next"]), (100, 20, None))
        self.assertEqual({row[2] for row in first["items"]}, {"●●●"}, "a secret is written nowhere")
        rows = self.app.get(f"/runs/{self.run_['id']}/cases/0/rows?limit=100")["items"]
        self.assertEqual(
            [row[0] for row in first["items"]],
            [row["data"]["length"] for row in rows],
            "in the order of the rows",
        )
        sheet = load_workbook(
            io.BytesIO(self.octets(f"/output-tables/file{project}&name=lengths"))
        ).active
        self.assertEqual((sheet.max_row, sheet["A1"].value), (121, "length"))
        self.assertEqual(
            self.octets(f"/output-tables/file{project}&name=quotes&format=csv").count(b"\r\n"), 13
        )
        book, octets = Workbook(), io.BytesIO()
        book.active.title = "Mine"
        book.save(octets)
        put = self.octets(
            f"/output-tables/into{project}&name=quotes&sheet=Mine&cell=C3", octets.getvalue()
        )
        self.assertEqual(load_workbook(io.BytesIO(put))["Mine"]["C4"].value, "Marrow Finch")
        for path in (
            f"/output-tables/rows{project}&name=nothing",
            f"/output-tables/rows{project}&name=lengths&run=run_nobody0000",
        ):
            self.assertEqual(self.app.ask("GET", path)[0], 404)

    def test_what_failed_rows_have_in_common(self):
        found = self.app.get(f"/runs/{self.run_['id']}/cases/0/common")
        self.assertRegex(
            found["items"][0]["sentence"],
            r"^all \d+ rows that failed have length above 120; none of the \d+ that passed has$",
        )
        self.assertEqual((found["looked"], found["whole"]), (120, True))
        self.assertEqual(self.app.ask("GET", f"/runs/{self.run_['id']}/cases/7/common")[0], 404)

    def test_finished_requests_before_anything_is_sent(self):
        before = len(self.app.get(f"/runs?project={self.app.project}&limit=100")["items"])
        items = self.app.get(f"/cases/{self.case}/finished?step=askask&environment=Live")["items"]
        self.assertEqual([item["row"] for item in items], [1, 2, 3, 4, 5])
        live = self.app.get(f"/values?project={self.app.project}")["items"][0]["cells"]
        self.assertEqual(
            items[0]["address"],
            next(cell["text"] for cell in live if cell["environment"] == "Live") + "/port-calls",
        )
        self.assertIn('"pin":"●●●"', items[0]["body"].replace(" ", ""))
        self.assertIn({"name": "Authorization", "value": "●●●"}, items[0]["head"])
        self.assertEqual(
            len(self.app.get(f"/runs?project={self.app.project}&limit=100")["items"]), before
        )
        self.assertEqual(self.app.ask("GET", f"/cases/{self.case}/finished?step=nobody")[0], 404)

    def test_databases(self):
        project = f"?project={self.app.project}"
        put = {"document": {"postgres": "127.0.0.1:5432/x", "user": "reader"}}
        self.assertEqual(self.app.ask("PUT", f"/databases{project}&name=register", put)[0], 200)
        self.assertEqual(
            self.app.ask("PUT", f"/databases{project}&name=register", {"document": {"oracle": 1}})[
                0
            ],
            422,
        )
        for seen, status in ((None, 409), ({"sqlite": "a.db"}, 409), (put["document"], 200)):
            answer = self.app.ask(
                "PUT", f"/databases{project}&name=register", {**put, "seen": seen}
            )
            self.assertEqual(answer[0], status, answer)  # where another tab has changed it since
        held = {
            item["name"]: item["uses"] for item in self.app.get(f"/databases{project}")["items"]
        }
        self.assertEqual(held, {"harbour-db": 1, "register": 0})
        self.assertEqual(self.app.ask("DELETE", f"/databases{project}&name=harbour-db")[0], 409)
        self.assertEqual(self.app.ask("DELETE", f"/databases{project}&name=register")[0], 200)

    def test_a_runner_looks_into_a_database(self):
        project = self.app.project
        before = self.app.get(f"/suites?project={project}")
        asked = {"project": project, "database": "harbour-db"}
        for table, names in (
            ("", ["berth", "port_call"]),
            ("berth", ["East 1", "East 2", "East 4", "West 1", "West 2"]),
            ("berth", ["East 1"]),
        ):
            status, _, look = self.app.ask("POST", "/databases/looks", {**asked, "table": table})
            self.assertEqual(status, 201, look)
            self.app.finished(look["run"])
            [step] = self.app.get(f"/cases/{look['case']}/evidence?run={look['run']}")["steps"]
            rows = json.loads(self.octets(f"/exchanges/{step['exchanges'][0]['id']}/body"))
            self.assertEqual([row["name"] for row in rows][: len(names)], names)
        self.assertEqual(
            self.app.get(f"/suites?project={project}"), before, "looks are no cases to anybody"
        )
        self.assertEqual(
            self.app.ask("POST", "/databases/looks", {**asked, "database": "nobody"})[0], 404
        )
        hostile = {**asked, "table": "berth; drop table berth"}
        look = self.app.ask("POST", "/databases/looks", hostile)[2]
        self.assertEqual(self.app.finished(look["run"])["verdict"], "blocked")

    def looked(self, document: dict, look: bool = True) -> dict:
        """How the rows of a source look, after a runner has looked into its database."""
        if look:
            asked = {"project": self.app.project, "rows": document}
            status, _, made = self.app.ask("POST", "/databases/looks", asked)
            self.assertEqual(status, 201, made)
            self.app.finished(made["run"])
        return self.app.ask(
            "POST", "/sources/looked", {"project": self.app.project, "document": document}
        )[2]

    def test_rows_that_are_there_when_it_runs_are_shown_as_they_were_last(self):
        long = {
            "in": "harbour-db",
            "rows of": "berth",
            "where": {"metres": {"at least": 60}},
            "order by": "metres",
        }
        self.assertEqual(self.looked(long, look=False)["profile"], None, "nobody has looked")
        found = self.looked(long)
        self.assertEqual(found["columns"], ["id", "name", "metres", "depth", "state"])
        self.assertEqual([row["cells"][1] for row in found["rows"]], ["East 2", "West 2", "East 4"])
        metres = found["profile"]["columns"][2]
        self.assertEqual(
            (metres["fits"], metres["least"], metres["most"]), ("integer", "60", "120")
        )
        self.assertEqual(self.looked(long, look=False), found)
        many = (
            "with recursive n(i) as (select 1 union all select i + 1 from n where i < {}) "
            "select i, null as none from n"
        )
        for rows, whole in ((5000, True), (5001, False), (5400, False)):
            profile = self.looked({"in": "harbour-db", "sql": many.format(rows)})["profile"]
            self.assertEqual((profile["rows"], profile["whole"]), (5000, whole))
        self.assertEqual(profile["columns"][1]["empties"], 5000)
        wrong = self.looked({"in": "harbour-db", "rows of": "berths"})
        self.assertIn("no such table: berths", wrong["problem"])
        escapes = self.looked(
            {
                "in": "harbour-db",
                "sql": "select replace(hex(zeroblob(200000)), '00', '%41%41') as much",
            }
        )
        self.assertIn("may hold secrets, and was withheld", escapes["problem"])
        self.assertEqual(
            self.looked({"output table": "lengths"}, look=False)["profile"]["rows"], 120
        )
        for document in (
            {"file": "data/arrivals.xlsx"},
            {"in": "harbour-db", "sql": "delete from berth"},
            {},
            None,
            7,
        ):
            with self.subTest(document):
                asked = {"project": self.app.project, "rows": document}
                self.assertEqual(self.app.ask("POST", "/databases/looks", asked)[0], 422)

    def test_columns_of_a_database_are_known_to_a_case_once_they_were_seen(self):
        document = {"in": "harbour-db", "rows of": "berth", "where": {"state": "free"}}
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        text = (
            "salt-path: 1\ncase: Free ones\nrows: { in: harbour-db, rows of: berth, where: { "
            "state: free } }\n"
            "steps: [ { request: A, key: read00, send: 'GET [=harbour]/berths/[=row.id]', expect: "
            "[ { of: status, is: 200 } ] } ]\n"
        )
        case = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "text": text}
        )[2]["id"]
        self.assertEqual(self.app.get(f"/cases/{case}")["rows"]["columns"], [])
        self.looked(document)
        self.assertEqual(
            self.app.get(f"/cases/{case}")["rows"]["columns"],
            ["id", "name", "metres", "depth", "state"],
        )
        items = self.app.get(f"/cases/{case}/finished?step=read00")["items"]
        self.assertEqual(
            [item["address"].rpartition("/")[2] for item in items], ["E1", "E2", "E4", "W2"]
        )
        self.assertEqual(self.app.run(cases=[case])["verdict"], "passed")

    def test_columns_of_a_list_are_known_once_it_was_kept(self):
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        text = (
            "salt-path: 1\ncase: Of a list\nrows: { items of: '[=kept.berths]' }\n"
            "once: [ { request: List, key: listed, send: 'GET [=harbour]/berths', expect: [ { of: "
            "status, is: 200 } ], keep: { berths: $.items } } ]\n"
            "steps: [ { request: A, key: read00, send: 'GET [=harbour]/berths/[=row.id]', expect: "
            "[ { of: $.name, is: '[=row.name]' } ] } ]\n"
        )
        case = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "text": text}
        )[2]["id"]
        rows = self.app.get(f"/cases/{case}")["rows"]
        self.assertEqual((rows["kind"], rows["columns"], rows["problem"]), ("list", [], ""))
        self.assertEqual(self.app.run(cases=[case])["verdict"], "passed")
        rows = self.app.get(f"/cases/{case}")["rows"]
        self.assertEqual(rows["columns"], ["id", "name", "metres", "depth", "state"])
        self.assertEqual(rows["first"][0][:3], ["E1", "East 1", "30"])
        items = self.app.get(f"/cases/{case}/finished?step=read00")["items"]
        self.assertEqual(
            [item["address"].rpartition("/")[2] for item in items], ["E1", "E2", "E4", "W1", "W2"]
        )

    def test_salt_paths_own_files_are_not_looked_into(self):
        project = f"?project={self.app.project}"
        own = str(self.app.data / "saltpath.db")
        self.app.ask("PUT", f"/databases{project}&name=own", {"document": {"sqlite": own}})
        suite = self.app.get(f"/suites{project}")["items"][0]["id"]
        text = (
            "salt-path: 1\ncase: Own\nsteps: [ { look up: A, in: own, rows of: person, expect: "
            "[ { of: $, count: 1 } ] } ]\n"
        )
        case = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "text": text}
        )[2]["id"]
        run = self.app.run(cases=[case])
        self.assertEqual((run["verdict"], run["cases"][0]["why"]["code"]), ("blocked", "database"))
        self.assertIn("one of Salt Path's own", run["cases"][0]["why"]["sentence"])


if __name__ == "__main__":
    unittest.main()
