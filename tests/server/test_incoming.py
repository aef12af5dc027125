"""What comes in from elsewhere by the API: recordings, by the names of the project's addresses."""

import json
import unittest

from tests.application import Application
from tests.recordings import Recorder, an_agents_morning


class Recordings(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.app = cls.enterClassContext(Application())
        cls.harbour = f"http://127.0.0.1:{cls.app.harbour_port}"

    def read(self, har) -> tuple[int, dict]:
        status, _, body = self.app.ask("POST", f"/recordings?project={self.app.project}", har)
        return status, body

    def test_entries_and_hand_overs(self):
        status, read = self.read(json.loads(an_agents_morning(self.harbour).har()))
        self.assertEqual((status, read["maker"], len(read["entries"])), (200, "A browser", 20))
        by = {entry["number"]: entry for entry in read["entries"]}
        self.assertEqual(
            by[3]["step"]["send"],
            "POST [=harbour]/sessions",
            "by the name that the project has for it",
        )
        self.assertEqual(
            by[3]["step"]["expect"],
            [{"of": "status", "is": 201}, {"of": "type", "is": "application/json"}],
        )
        self.assertEqual(by[4]["step"]["send"], "GET https://metrics.example.net/hit")
        self.assertEqual((by[4]["leftOut"]["code"], by[16]["step"]), ("recorded-elsewhere", None))
        self.assertEqual(sorted({item["number"] for item in read["handOvers"]}), [6, 8, 20])

    def test_a_redirect_expects_where_it_ends(self):
        tape = Recorder(self.harbour)
        tape.add("GET", f"{self.harbour}/old", 301, answered={"Location": "/new"})
        tape.add("GET", f"{self.harbour}/new", 200)
        entries = self.read(json.loads(tape.har()))[1]["entries"]
        self.assertEqual([entry["step"]["expect"][0]["is"] for entry in entries], [200, 200])
        self.assertEqual(entries[1]["leftOut"]["sentence"], "entry 1 leads here by itself")

    def test_what_is_none_is_refused(self):
        for har in ({"log": 7}, [], {"log": {"entries": {}}}):
            with self.subTest(har):
                status, problem = self.read(har)
                self.assertEqual((status, problem["code"]), (422, "not-understood"))
        status, problem = self.read("x" * 60_000_001)
        self.assertEqual(
            (status, problem["title"]), (413, "This is larger than the 60 MB that are taken here.")
        )
        self.assertEqual(
            self.app.ask("POST", "/recordings", {"log": {"entries": []}})[0],
            400,
            "a project is needed",
        )
        self.assertEqual(self.read({"log": {"entries": []}})[1]["entries"], [])
