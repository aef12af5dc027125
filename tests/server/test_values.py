"""Values and environments over the API: cells, secrets that never come back, environments that
move, lifting."""

import io
import json
import random
import re
import sqlite3
import unittest
import urllib.request
import zipfile

from saltpath.store import secrets
from saltpath.store.database import connect
from tests.application import Application

USED = """\
salt-path: 1
project: Used
values: { theFile: a.db, theRow: x, theProxy: "http://127.0.0.1:1",
  theSuiteProxy: "http://127.0.0.1:2", theLimit: 500, unused: x }
options: { proxy: "[=theProxy]" }
every answer: [ { of: status, below: "[=theLimit]" } ]
databases: { harbour-db: { sqlite: "[=theFile]" } }
sources: { made: { make: 2, columns: { a: "[=theRow]" } } }
"""


class Values(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.app = cls.enterClassContext(Application())

    def rows(self):
        return {
            row["name"]: row for row in self.app.get(f"/values?project={self.app.project}")["items"]
        }

    def cell(self, name, environment):
        return next(
            cell for cell in self.rows()[name]["cells"] if cell["environment"] == environment
        )

    def change(self, *changes):
        status, _, answer = self.app.ask(
            "POST", "/values", {"project": self.app.project, "changes": list(changes)}
        )
        self.assertEqual(status, 200, answer)
        return answer

    def test_each_value_with_its_cells_and_its_cases(self):
        harbour = self.rows()["harbour"]
        self.assertGreater(harbour["uses"], 20)
        self.assertEqual(
            [cell["environment"] for cell in harbour["cells"]], ["", "Rehearsal", "Live"]
        )
        password = self.rows()["agentPassword"]
        self.assertEqual((password["secret"], password["cells"][0]["text"]), (True, ""))
        self.assertEqual(self.rows()["currency"]["suiteName"], "Berths and fees")

    def test_cells_are_changed_and_undone(self):
        answer = self.change(
            {"kind": "put", "name": "pier", "environment": "", "text": "7"},
            {"kind": "put", "name": "pier", "environment": "Live", "text": '"7"'},
            {"kind": "put", "name": "2nd", "text": "x"},
        )
        self.assertEqual([fault["index"] for fault in answer["faults"]], [2])
        self.assertEqual([cell["text"] for cell in self.rows()["pier"]["cells"]], ["7", "", '"7"'])
        self.change({"kind": "clear", "name": "pier", "environment": ""})
        self.assertTrue(self.cell("pier", "Rehearsal")["missing"])
        self.change(*answer["undo"])
        self.assertNotIn("pier", self.rows())

    def test_a_suites_value_reads_otherwise_in_an_environment(self):
        suite = self.rows()["currency"]["suite"]
        answer = self.change(
            {
                "kind": "put",
                "name": "currency",
                "suite": suite,
                "environment": "Live",
                "text": "FHL",
            }
        )
        self.assertEqual(self.cell("currency", "Live")["text"], "FHL")
        self.change(*answer["undo"])
        self.assertFalse(self.cell("currency", "Live")["given"])

    def test_a_secret_is_never_given(self):
        self.change(
            {"kind": "put", "name": "gate", "environment": "", "text": "tidal-key-41"},
            {"kind": "hide", "name": "gate"},
            {"kind": "put", "name": "gate", "environment": "Live", "text": "tidal-key-42"},
        )
        self.assertTrue(self.rows()["gate"]["secret"])
        self.assertTrue(self.cell("gate", "Live")["given"])
        for path in (f"/values?project={self.app.project}", f"/projects/{self.app.project}/folder"):
            self.assertNotIn("tidal-key", str(self.app.ask("GET", path)[2]))
        with sqlite3.connect(self.app.data / "saltpath.db") as connection:
            for table in ("project", "environment"):
                self.assertNotIn(
                    "tidal-key", str(connection.execute(f"SELECT document FROM {table}").fetchall())
                )
        self.change({"kind": "clear", "name": "gate", "environment": "Live"})
        self.assertFalse(self.cell("gate", "Live")["given"])
        self.change({"kind": "remove", "name": "gate"})
        self.assertNotIn("gate", self.rows())

    def sealed(self) -> dict[tuple[str, str], str]:
        """What each secret of the project reads as, by environment and name."""
        main = connect(self.app.data)
        try:
            [(project,)] = main.execute(
                "SELECT id FROM project WHERE oid = ?", (self.app.project,)
            ).fetchall()
            return {
                (environment, name): value
                for environment in ("", "Rehearsal", "Live")
                for name, value in secrets.secrets_for(
                    main, self.app.data, project, environment
                ).items()
            }
        finally:
            main.close()

    def test_undo_brings_back_what_was_sealed(self):
        """Secrets put, replaced, emptied and taken away at random; each undo brings back just what
        there was, and shows nothing of it."""
        chance = random.Random(1805)
        self.change(
            {"kind": "put", "name": "tidalKey", "environment": "", "text": "t-0"},
            {"kind": "hide", "name": "tidalKey"},
        )
        undone = 0
        for number in range(1, 25):
            before, cells = self.sealed(), self.rows()["tidalKey"]["cells"]
            changes = [
                {
                    "kind": chance.choice(("put", "put", "clear")),
                    "name": "tidalKey",
                    "environment": chance.choice(("", "Rehearsal", "Live")),
                    "text": f"t-{number}-{at}",
                }
                for at in range(chance.randint(1, 3))
            ]
            if chance.random() < 0.4:
                changes.append({"kind": "remove", "name": "tidalKey"})
            answer = self.change(*changes)
            self.assertNotIn("t-", str(answer).replace("put-", ""))
            if chance.random() < 0.7 or changes[-1]["kind"] == "remove":
                undone += 1
                self.change(*answer["undo"])
                self.assertEqual(self.sealed(), before, changes)
                self.assertEqual(self.rows()["tidalKey"]["cells"], cells)
        self.assertGreater(undone, 10)
        for text in ("0", "-1", "x", "999999"):
            asked = {"kind": "restore", "name": "tidalKey", "environment": "", "text": text}
            status, _, said = self.app.ask(
                "POST", "/values", {"project": self.app.project, "changes": [asked]}
            )
            self.assertTrue(status == 404 or said["faults"], said)
        self.change({"kind": "remove", "name": "tidalKey"})

    def test_what_was_deleted_is_found_again(self):
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]
        document = {"salt-path": 1, "case": "Adrift", "steps": []}
        made = self.app.ask(
            "POST",
            "/cases",
            {"project": self.app.project, "suite": suite["id"], "document": document},
        )[2]
        self.app.ask("DELETE", f"/cases/{made['id']}")
        [found] = self.app.get(f"/deleted?project={self.app.project}")["items"]
        self.assertEqual(
            (found["id"], found["name"], found["suite"]), (made["id"], "Adrift", suite["name"])
        )
        self.app.ask("POST", f"/cases/{made['id']}/back", {})
        self.assertEqual(self.app.get(f"/deleted?project={self.app.project}")["items"], [])
        self.app.ask("DELETE", f"/cases/{made['id']}")
        with sqlite3.connect(self.app.data / "saltpath.db") as connection:
            connection.execute(
                "UPDATE test_case SET gone_at = gone_at - 31 * 86400000000 WHERE oid = ?",
                (made["id"],),
            )
        self.assertEqual(self.app.get(f"/deleted?project={self.app.project}")["items"], [])

    def test_an_environment_is_made_renamed_and_taken_away(self):
        suite = self.rows()["currency"]["suite"]
        made = self.app.ask(
            "POST", "/environments", {"project": self.app.project, "name": "Trial pier"}
        )[2]
        self.change(
            {
                "kind": "put",
                "name": "currency",
                "suite": suite,
                "environment": "Trial pier",
                "text": "FHT",
            },
            {
                "kind": "put",
                "name": "agentPassword",
                "environment": "Trial pier",
                "text": "other-salt",
            },
        )
        status, _, again = self.app.ask(
            "POST", "/environments", {"project": self.app.project, "name": "Trial pier"}
        )
        self.assertEqual((status, again["code"]), (409, "taken"))
        path = f"/environments/{made['id']}"
        renamed = self.app.ask(
            "PATCH", path, {"name": "South pier", "guarded": True, "about": "A pier."}
        )[2]
        self.assertEqual((renamed["name"], renamed["guarded"]), ("South pier", True))
        self.assertEqual(self.cell("currency", "South pier")["text"], "FHT")
        self.assertTrue(self.cell("agentPassword", "South pier")["given"])
        self.assertEqual(self.app.ask("PATCH", path, {"name": "Live"})[0], 409)
        self.assertEqual(self.app.ask("DELETE", path)[0], 200)
        self.assertEqual(
            [cell["environment"] for cell in self.rows()["currency"]["cells"]],
            ["", "Rehearsal", "Live"],
        )

    def test_a_literal_is_lifted_everywhere_and_put_back(self):
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        made = []
        for name in ("Wind", "Waves"):
            step = {
                "request": name,
                "send": f"GET http://127.0.0.1:9/{name}/PIER-77",
                "expect": [{"of": "status", "is": 200}],
            }
            document = {"salt-path": 1, "case": name, "steps": [step]}
            case = {"project": self.app.project, "suite": suite, "document": document}
            made.append(self.app.ask("POST", "/cases", case)[2]["id"])
        offered = self.app.get(f"/lifts?project={self.app.project}")["items"]
        self.assertIn(
            ("http://127.0.0.1:9", 2), [(offer["literal"], offer["steps"]) for offer in offered]
        )
        asked = {"project": self.app.project, "literal": "PIER-77", "name": "lastPier"}
        shown = self.app.ask("POST", "/lifts", asked)[2]
        self.assertEqual((len(shown["places"]), shown["saved"]), (2, []))
        done = self.app.ask(
            "POST", "/lifts", {**asked, "take": True, "left": {made[1]: ["steps[0].send"]}}
        )[2]
        self.assertEqual([saved["id"] for saved in done["saved"]], made[:1])
        self.assertEqual(self.rows()["lastPier"]["cases"][0]["id"], made[0])
        status, _, refused = self.app.ask(
            "POST", "/lifts", {**asked, "literal": "other text", "take": True}
        )
        self.assertEqual((status, refused["code"]), (409, "taken"))
        self.change(*done["undo"])
        self.assertTrue(self.rows()["lastPier"]["nowhere"])

    def test_a_value_is_called_otherwise_everywhere(self):
        name = {"project": self.app.project, "name": "agentPassword", "to": "deskPassword"}
        cases = self.rows()["agentPassword"]["uses"]
        status, _, done = self.app.ask("POST", "/value-names", name)
        self.assertEqual((status, done["cases"] > 0), (200, True))
        row = self.rows()["deskPassword"]
        self.assertEqual(
            (row["uses"], row["secret"], [cell["given"] for cell in row["cells"]]),
            (cases, True, [True, False, True]),
        )
        self.assertNotIn("agentPassword", self.rows())
        run = self.app.run(cases=[self.app.cases()["A vessel that nobody registered is refused"]])
        self.assertEqual(
            run["verdict"], "passed", "it is sealed under its new name, and found there"
        )
        self.assertEqual(self.app.ask("POST", "/value-names", {**name, "name": "agent"})[0], 409)
        self.assertEqual(self.app.ask("POST", "/value-names", {**name, "name": "nowhere"})[0], 404)
        self.assertEqual(self.app.ask("POST", "/value-names", {**name, "to": "any"})[0], 422)
        self.app.ask(
            "POST", "/value-names", {**name, "name": "deskPassword", "to": "agentPassword"}
        )
        self.assertIn("agentPassword", self.rows())

    def test_what_the_project_itself_uses_follows_and_is_not_called_unused(self):
        """Its databases, sources and options: a new name left them asking for the old one."""
        names = ("theFile", "theRow", "theProxy", "theLimit", "theSuiteProxy")
        files = {
            "project.yaml": USED,
            "suites/s/suite.yaml": "salt-path: 1\nsuite: S\noptions: { proxy: '[=theSuiteProxy]' "
            "}\n",
        }
        folder = io.BytesIO()
        with zipfile.ZipFile(folder, "w") as archive:
            for file, text in files.items():
                archive.writestr(file, text)
        upload = urllib.request.Request(
            f"{self.app.address}/api/v1/projects/folder",
            folder.getvalue(),
            {"Content-Type": "application/zip"},
            method="POST",
        )
        with urllib.request.urlopen(upload) as answer:
            made = json.load(answer)["project"]
        rows = self.app.get(f"/values?project={made}")["items"]
        self.assertEqual([row["name"] for row in rows if not row["usedByValues"]], ["unused"])
        for name in names:
            told = {"project": made, "name": name, "to": f"{name}Now"}
            self.assertEqual(self.app.ask("POST", "/value-names", told)[0], 200)
        with zipfile.ZipFile(io.BytesIO(self.app.get(f"/projects/{made}/folder"))) as archive:
            written = "".join(archive.read(file).decode() for file in files)
        self.assertEqual(
            sorted(set(re.findall(r"\[=(\w+)", written))), sorted(f"{name}Now" for name in names)
        )

    def test_the_same_cases_run_against_both_harbours(self):
        suite = next(
            s
            for s in self.app.get(f"/suites?project={self.app.project}")["items"]
            if s["name"] == "Arrivals"
        )
        verdicts = {}
        for environment in ("Rehearsal", "Live"):
            run = self.app.run(suite=suite["id"], environment=environment, changes="all")
            verdicts[environment] = {
                case["name"]: case["verdict"]
                for case in run["cases"]
                if case["name"] not in ("Wind", "Waves")
            }
        # a row that gets no answer is in both
        for name, at_rehearsal, at_live in (
            ("A long vessel gets a berth long enough", "failed", "passed"),
            (
                "Every arrival of the week gets a berth",
                "failed",
                "blocked",
            ),
            ("What is stored is what was said", "failed", "failed"),
        ):
            told = verdicts["Rehearsal"].pop(name), verdicts["Live"].pop(name)
            self.assertEqual(told, (at_rehearsal, at_live), "only Live has a berth of 160 m")
        self.assertEqual(verdicts["Rehearsal"], verdicts["Live"])
        self.assertEqual(set(verdicts["Live"].values()), {"passed"})
        asked = {"project": self.app.project, "suite": suite["id"], "environment": "Live"}
        status, _, refused = self.app.ask("POST", "/runs", asked)
        self.assertEqual((status, refused["code"]), (409, "guarded"))
        self.assertIn("POST [=harbour]/port-calls", [step["send"] for step in refused["steps"]])
        left_out = self.app.run(suite=suite["id"], environment="Live", changes=[])
        self.assertNotIn("failed", [case["verdict"] for case in left_out["cases"]])

    def test_what_cannot_be_taken_is_refused(self):
        for body in (
            {},
            {"changes": [1]},
            {"changes": [{"kind": "spell", "name": "x"}]},
            {"changes": [{"kind": "put", "name": 1}]},
        ):
            self.assertEqual(
                self.app.ask("POST", "/values", {"project": self.app.project, **body})[0], 422, body
            )
        lost = [{"kind": "put", "name": "x", "environment": "Nowhere", "text": "1"}]
        self.assertEqual(
            self.app.ask("POST", "/values", {"project": self.app.project, "changes": lost})[0], 404
        )
