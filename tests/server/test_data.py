"""Data sources through the API: kept, looked at, looked through, renamed with the cases that name
them, compared from version to version."""

import time
import unittest
import urllib.request

from tests.application import Application

WORDS = "number,vessel\n" + "".join(f"{n},V-{n % 7}\n" for n in range(20_000)) + "x,V-9\n"


class Data(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.app = cls.enterClassContext(Application())

    def ask(self, method, path, body=None):
        return self.app.ask(method, path, body)[::2]

    def put(self, path, text):
        address = f"{self.app.address}/api/v1/projects/{self.app.project}/files/{path}"
        urllib.request.urlopen(
            urllib.request.Request(
                address, text.encode(), {"Content-Type": "application/octet-stream"}, method="PUT"
            )
        ).close()

    def looked(self, document):
        return self.app.ask(
            "POST", "/sources/looked", {"project": self.app.project, "document": document}
        )[2]

    def test_the_demonstrations_sources(self):
        arrivals, ways, berths = self.app.get(f"/sources?project={self.app.project}")["items"][:3]
        self.assertEqual(
            (arrivals["name"], arrivals["uses"], arrivals["columns"][:2]),
            ("arrivals", 2, ["vessel", "length"]),
        )
        self.assertEqual((ways["kind"], ways["columns"]), ("combined", ["port", "order", "size"]))
        self.assertEqual(
            (berths["kind"], berths["uses"], berths["columns"]),
            ("database", 1, []),
            "nobody has looked",
        )
        looked = self.looked(arrivals["document"])
        self.assertEqual(
            (looked["sheets"], looked["frame"]["names"], looked["frame"]["text"]),
            (["Arrivals", "Notes"], 3, "A4"),
        )
        self.assertEqual(looked["records"][9][1], "141.9")
        length = next(c for c in looked["profile"]["columns"] if c["name"] == "length")
        self.assertEqual(
            (length["filled"], length["distinct"], length["least"], length["most"]),
            (12, 12, "8.9", "141.9"),
        )

    def test_a_source_is_kept_changed_called_otherwise_and_taken_away(self):
        project = f"?project={self.app.project}"
        self.put("data/pilots.csv", "name;since\nIda;2001\nOle;x\n")
        made = {
            "project": self.app.project,
            "name": "pilots",
            "document": {"file": "data/pilots.csv"},
        }
        self.assertEqual(self.ask("POST", "/sources", made)[0], 201)
        self.assertEqual(
            self.ask("POST", "/sources", made)[1]["title"], "There is a source pilots already."
        )
        kinds = {"document": {"file": "data/pilots.csv", "columns": {"since": "integer"}}}
        self.assertEqual(self.ask("PATCH", f"/sources{project}&name=pilots", kinds)[0], 200)
        late = {"document": {"file": "other.csv"}, "seen": made["document"]}
        status, told = self.ask("PATCH", f"/sources{project}&name=pilots", late)  # by another tab
        self.assertEqual((status, told["code"]), (409, "taken"))
        self.assertIn("the source pilots was changed meanwhile", told["title"].lower())
        again = {**kinds, "seen": kinds["document"]}
        self.assertEqual(self.ask("PATCH", f"/sources{project}&name=pilots", again)[0], 200)
        profile = self.looked(kinds["document"])["profile"]
        self.assertEqual(
            profile["bad"], [{"row": 2, "sentence": "since is “x”, which is no integer"}]
        )
        self.assertEqual(
            self.ask(
                "PATCH",
                f"/sources{project}&name=pilots",
                {"document": {"file": "a.csv", "shet": "x"}},
            )[0],
            422,
        )
        self.assertEqual(self.ask("PATCH", f"/sources{project}&name=nobody", kinds)[0], 404)
        suite = self.app.get(f"/suites{project}")["items"][0]["id"]
        step = {"request": "Ask", "send": "GET [=harbour]/vessels?name=[=row.name]"}
        case = {
            "salt-path": 1,
            "case": "Pilots",
            "rows": {"source": "pilots", "pick": "1 to 1"},
            "steps": [step],
        }
        stored = self.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "document": case}
        )[1]
        self.assertEqual(
            self.ask("DELETE", f"/sources{project}&name=pilots")[1]["title"],
            "Pilots is used by Pilots.",
        )
        self.assertEqual(
            self.ask("PATCH", f"/sources{project}&name=pilots", {"to": "arrivals"})[0], 409
        )
        renamed = self.ask("PATCH", f"/sources{project}&name=pilots", {"to": "our pilots"})[1]
        self.assertEqual((renamed["name"], renamed["uses"]), ("our pilots", 1))
        now = self.app.get(f"/cases/{stored['id']}")["document"]["rows"]
        self.assertEqual(now, {"source": "our pilots", "pick": "1 to 1"})
        self.app.ask("DELETE", f"/cases/{stored['id']}")
        self.assertEqual(self.ask("DELETE", f"/sources{project}&name=our%20pilots")[0], 200)
        self.assertEqual(self.ask("DELETE", f"/sources{project}&name=our%20pilots")[0], 404)

    def test_a_long_file_is_looked_at_at_once_and_looked_through_aside(self):
        self.put("data/long.csv", WORDS)
        document = {"file": "data/long.csv", "columns": {"number": "integer"}}
        begun = self.looked(document)["profile"]
        self.assertEqual((begun["rows"], begun["whole"], begun["badCount"]), (5_000, False, 0))
        end = time.monotonic() + 60
        found = {"state": ""}
        while found["state"] != "done" and time.monotonic() < end:
            found = self.ask(
                "POST", "/sources/profile", {"project": self.app.project, "document": document}
            )[1]
            time.sleep(0.1)
        self.assertEqual((found["rows"], found["whole"], found["badCount"]), (20_001, True, 1))
        self.assertEqual(found["bad"][0]["row"], 20_001)
        number, vessel = found["columns"]
        self.assertEqual((number["more"], vessel["distinct"]), (True, 8))

    def test_what_a_new_version_changed(self):
        self.put("data/quays.csv", "quay,metres\neast,120\nwest,80\nnorth,50\n")
        self.put("data/quays.csv", "quay,metres,depth\neast,125,9\nnorth,50,7\nsouth,40,5\n")
        newest, before = self.app.get(
            f"/file-versions?project={self.app.project}&path=data/quays.csv"
        )["items"]
        asked = {
            "project": self.app.project,
            "document": {"file": "data/quays.csv"},
            "before": before["version"],
            "after": newest["version"],
        }
        found = self.ask("POST", "/sources/changes", asked)[1]
        self.assertEqual((found["key"], found["columnsNew"]), ("quay", ["depth"]))
        self.assertEqual(
            found["cells"], [{"row": 1, "column": "metres", "was": "120", "now": "125"}]
        )
        self.assertEqual((found["new"], found["gone"]), (["south, 40"], ["west, 80"]))
        self.assertEqual(self.ask("POST", "/sources/changes", {**asked, "after": 10**9})[0], 404)

    def test_what_cannot_be_read_is_said(self):
        self.put("data/odd.xlsx", "PK no workbook")
        for document, sentence in (
            ({"file": "data/gone.csv"}, "the project has no such file"),
            ({"file": "data/odd.xlsx"}, "damaged"),
            ({"file": "data/arrivals.xlsx", "sheet": "Arivals"}, "did you mean 'Arrivals'?"),
        ):
            with self.subTest(sentence):
                self.assertIn(sentence, self.looked(document)["problem"])
        status, problem = self.ask(
            "POST", "/sources/looked", {"project": self.app.project, "document": 7}
        )
        self.assertEqual((status, problem["code"]), (422, "not-the-format"))
