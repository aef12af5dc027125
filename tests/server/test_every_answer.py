"""Checks on every answer of a project and of a suite: changed on a version, judged in every run,
and again on kept answers."""

import unittest
import urllib.request

from tests.application import Application

QUICK = {"of": "time", "below": "20 s", "note": "an answer in time"}
CASE = {
    "salt-path": 1,
    "case": "Berths and a vessel that is not there",
    "steps": [
        {
            "request": "List the berths",
            "key": "brt001",
            "send": "GET [=harbour]/berths",
            "expect": [{"of": "status", "is": 200}],
        },
        {
            "request": "Read none",
            "key": "non001",
            "send": "GET [=harbour]/vessels/none",
            "expect": [{"of": "status", "is": 404}],
        },
    ],
}


class EveryAnswer(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.app = cls.enterClassContext(Application())

    def setUp(self):
        self.suite = self.app.ask(
            "POST", "/suites", {"project": self.app.project, "name": "Berths"}
        )[2]["id"]
        made = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": self.suite, "document": CASE}
        )[2]
        self.id = made["id"]

    def levels(self):
        return {
            level["origin"]: level for level in self.app.get(f"/cases/{self.id}")["everyAnswer"]
        }

    def put(self, checks, origin="suite", version=None):
        level = self.levels()[origin]
        return self.app.ask(
            "PUT",
            f"/{origin}s/{level['id']}/every-answer",
            {"checks": checks},
            If_Match=f'"{version or level["version"]}"',
        )

    def outcomes(self, name):
        step = next(
            s for s in self.app.get(f"/cases/{self.id}/evidence")["steps"] if s["name"] == name
        )
        return {(outcome["origin"], outcome["check"]): outcome for outcome in step["checks"]}, step

    def test_a_case_says_what_reaches_it(self):
        self.assertEqual([level["checks"] for level in self.levels().values()], [[], [], []])
        status, _, level = self.put([QUICK])
        self.assertEqual((status, level["documents"]), (200, [QUICK]))
        self.assertEqual(level["checks"][0]["sentence"], "time is below 20 s")
        shown = self.levels()
        self.assertEqual(shown["suite"]["version"], 2)
        self.assertEqual(shown["suite"]["name"], "Berths")
        self.assertEqual(shown["suite"]["checks"][0]["note"], "an answer in time")
        self.assertEqual(shown["case"]["checks"], [])
        self.put([])
        self.assertEqual(self.levels()["suite"]["documents"], [])

    def test_every_run_judges_them_and_a_step_excepts_itself(self):
        self.put(
            [
                {**QUICK, "below": "1 ms", "of": "time"},
                {"of": "status", "is": 200, "note": "all is well"},
            ]
        )
        document = {
            **CASE,
            "steps": [CASE["steps"][0], {**CASE["steps"][1], "without": ["all is well"]}],
        }
        self.app.ask("PUT", f"/cases/{self.id}", {"document": document}, If_Match='"1"')
        self.app.run(cases=[self.id])
        first, _ = self.outcomes("List the berths")
        second, _ = self.outcomes("Read none")
        self.assertEqual(first["suite", "status is 200"]["verdict"], "passed")
        self.assertEqual(first["suite", "status is 200"]["note"], "all is well")
        self.assertIn(("suite", "time is below 1 ms"), second)
        self.assertNotIn(("suite", "status is 200"), second)

    def test_a_changed_one_is_judged_again_on_the_kept_answers(self):
        run = self.app.run(cases=[self.id])
        self.assertEqual(run["verdict"], "passed")
        self.put([{"of": "status", "is": 200}])
        first, step = self.outcomes("List the berths")
        self.assertEqual(
            (first["suite", "status is 200"]["verdict"], step["verdict"]), ("passed", "passed")
        )
        self.assertTrue(first["suite", "status is 200"]["again"])
        second, step = self.outcomes("Read none")
        self.assertEqual(
            (second["suite", "status is 200"]["verdict"], step["verdict"]), ("failed", "failed")
        )
        self.assertEqual(step["run"], run["id"], "nothing was sent")
        self.put([])
        second, step = self.outcomes("Read none")
        self.assertEqual((list(second), step["verdict"]), ([("", "status is 404")], "passed"))

    def test_they_alone_leave_a_step_unchecked(self):
        steps = [{**CASE["steps"][0], "expect": []}]
        self.app.ask(
            "PUT", f"/cases/{self.id}", {"document": {**CASE, "steps": steps}}, If_Match='"1"'
        )
        self.put([QUICK])
        self.assertEqual(self.app.run(cases=[self.id])["verdict"], "unchecked")
        self.assertEqual(self.outcomes("List the berths")[1]["verdict"], "unchecked")

    def test_the_projects_reach_every_suite(self):
        self.addCleanup(self.put, [], "project")
        status, _, level = self.put([QUICK], "project")
        self.assertEqual((status, level["origin"]), (200, "project"))
        self.app.run(cases=[self.id])
        self.assertIn(("project", "time is below 20 s"), self.outcomes("Read none")[0])
        elsewhere = self.app.cases()["Free berths are listed"]
        reached = {
            level["origin"]: level for level in self.app.get(f"/cases/{elsewhere}")["everyAnswer"]
        }
        self.assertEqual(reached["project"]["documents"], [QUICK])

    def test_what_is_wrong_is_said_and_changes_nothing(self):
        self.put([QUICK])
        level = self.levels()["suite"]
        path = f"/suites/{level['id']}/every-answer"
        self.assertEqual(self.app.ask("PUT", path, {"checks": []})[0], 428)
        status, _, problem = self.put([], version=1)
        self.assertEqual((status, problem["version"]), (412, 2))
        for wrong, words in (
            ("all of them", "checks as a list"),
            ([{"of": "status"}], "one relation"),
            ([{"of": "status", "is": 200, "wenn": 1}], "wenn"),
            ([7], "check"),
        ):
            status, _, problem = self.put(wrong)
            self.assertEqual(status, 422, wrong)
            self.assertIn(words, problem["title"])
        self.assertEqual(self.levels()["suite"]["documents"], [QUICK])

    def test_exact_numbers_stay(self):
        body = b'{"checks": [{"of": "$.total", "is": 1318.40}]}'
        status, answer = self.raw(body)
        self.assertEqual(status, 200)
        self.assertIn(b"1318.40", answer)

    def raw(self, body):
        level = self.levels()["suite"]
        request = urllib.request.Request(
            f"{self.app.address}/api/v1/suites/{level['id']}/every-answer",
            body,
            {"Content-Type": "application/json", "If-Match": f'"{level["version"]}"'},
            method="PUT",
        )
        with urllib.request.urlopen(request) as answer:
            return answer.status, answer.read()
