"""Suites and cases moved about, versions and who else is there, and what is worked out on kept
answers."""

import unittest

from tests.application import Application

CASE = """salt-path: 1
case: A vessel is read
steps:
  - request: List the vessels
    key: lst001
    send: GET [=harbour]/vessels
    expect: [ { of: status, is: 200 } ]
  - request: Read one
    key: rd0001
    send: GET [=harbour]/vessels/{id}
    expect: [ { of: status, is: 200 } ]
"""


class Together(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.app = cls.enterClassContext(Application())

    def made(self, path, status=201, **body):
        got, _, answer = self.app.ask("POST", path, body)
        self.assertEqual(got, status, answer)
        return answer

    def setUp(self):
        self.project = self.made("/projects", name="Empty quay")["id"]
        self.suite = self.made("/suites", project=self.project, name="Arrivals")["id"]

    def case(self, name, suite=None):
        text = CASE.replace("A vessel is read", name)
        return self.made("/cases", project=self.project, suite=suite or self.suite, text=text)["id"]

    def outline(self):
        suites = self.app.get(f"/suites?project={self.project}")["items"]
        return [(suite["name"], [case["name"] for case in suite["cases"]]) for suite in suites]

    def test_suites_and_cases_are_put_in_order(self):
        other = self.made("/suites", project=self.project, name="Arrivals")["id"]
        first, second, third = (self.case(name) for name in ("one", "two", "three"))
        self.app.ask(
            "PATCH",
            f"/suites/{other}",
            {"name": "Departures", "about": "they leave", "before": self.suite},
        )
        self.app.ask("POST", f"/cases/{third}/move", {"suite": self.suite, "before": first})
        self.app.ask("POST", f"/cases/{second}/move", {"suite": other, "before": None})
        self.assertEqual(self.outline(), [("Departures", ["two"]), ("Arrivals", ["three", "one"])])
        self.assertEqual(self.app.ask("DELETE", f"/suites/{other}")[0], 409)
        self.assertEqual(self.app.ask("DELETE", f"/cases/{second}")[0], 200)
        self.assertEqual(self.app.ask("GET", f"/cases/{second}")[0], 410)
        self.assertEqual(self.app.ask("DELETE", f"/suites/{other}")[0], 200)
        self.assertEqual(self.outline(), [("Arrivals", ["three", "one"])])
        self.assertEqual(self.app.ask("POST", f"/cases/{second}/back")[0], 200)
        self.assertEqual(self.outline(), [("Departures", ["two"]), ("Arrivals", ["three", "one"])])

    def test_what_cannot_be_done_is_said(self):
        case = self.case("one")
        home = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        calls = [
            ("POST", "/projects", {"name": " "}, 422),
            ("POST", "/suites", {"project": self.project}, 422),
            ("PATCH", f"/suites/{self.suite}", {"name": 3}, 422),
            ("PATCH", f"/suites/{self.suite}", {"about": 3}, 422),
            ("PATCH", f"/suites/{self.suite}", {"before": "suite_none"}, 404),
            ("POST", f"/cases/{case}/move", {"suite": home}, 422),
            ("POST", f"/cases/{case}/move", {"suite": self.suite, "before": "case_none"}, 404),
            ("POST", f"/cases/{case}/presence", {"tab": ""}, 422),
            ("GET", f"/cases/{case}/evidence?run=run_none", None, 404),
            ("GET", f"/cases/{case}/revisions/99", None, 404),
        ]
        for method, path, body, status in calls:
            got, _, answer = self.app.ask(method, path, body)
            self.assertEqual(
                (got, bool(answer.get("title"))), (status, True), (method, path, answer)
            )
        self.assertEqual(self.outline(), [("Arrivals", ["one"])])

    def test_versions_say_what_changed_and_which_run_used_them(self):
        case = self.case("one")
        run = self.made("/runs", project=self.project, cases=[case])
        self.app.finished(run["id"])
        document = self.app.get(f"/cases/{case}")["document"]
        document["steps"].pop()
        document["steps"][0]["expect"][0]["is"] = 404
        self.app.ask("PUT", f"/cases/{case}", {"document": document}, If_Match='"1"')
        found = self.app.get(f"/cases/{case}/revisions")["items"]
        said = [
            "“Read one” is gone",
            "“List the vessels” no longer expects status is 200",
            "“List the vessels” expects status is 404",
        ]
        self.assertEqual(
            [(item["version"], item["runs"], item["changes"]) for item in found],
            [(2, [], said), (1, [1], [])],
        )
        then = self.app.get(f"/cases/{case}/revisions/1")
        self.assertEqual((len(then["document"]["steps"]), then["changes"]), (2, said))

    def test_tabs_know_of_each_other(self):
        case = self.case("one")
        self.assertEqual(
            self.made(f"/cases/{case}/presence", 200, tab="a", step="lst001")["others"], []
        )
        others = self.made(f"/cases/{case}/presence", 200, tab="b", step="rd0001")["others"]
        self.assertEqual([(other["step"], other["same"]) for other in others], [("lst001", True)])
        self.made(f"/cases/{case}/presence", 200, tab="a", step="", leaving=True)
        self.assertEqual(self.made(f"/cases/{case}/presence", 200, tab="b")["others"], [])

    def test_a_change_is_told_at_once(self):
        case = self.case("one")
        last = int(self.app.get(f"/events?project={self.project}&after=0")["next"] or 0)
        document = self.app.get(f"/cases/{case}")["document"]
        self.app.ask("PUT", f"/cases/{case}", {"document": document}, If_Match='"1"')
        events = self.app.get(f"/events?project={self.project}&after={last}")["items"]
        self.assertEqual(
            [(event["type"], event["case"], event["version"]) for event in events],
            [("case changed", case, 2)],
        )

    def test_what_answers_have_shown_and_what_can_be_picked(self):
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        made = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "text": CASE}
        )[2]
        case, document = made["id"], made["document"]
        run = self.app.run(cases=[case])
        seen = self.app.get(f"/cases/{case}/steps/lst001/seen")
        self.assertEqual(seen["answers"], 1)
        first = next(place for place in seen["places"] if place["path"] == "$.items[0].name")
        self.assertEqual((first["kinds"], first["distinct"], first["loose"]), (["text"], 1, None))
        picked = self.app.get(f"/cases/{case}/places?before=rd0001&text=items%5B0%5D.id")["items"]
        self.assertEqual(
            [(item["step"], item["path"]) for item in picked], [("lst001", "$.items[0].id")]
        )
        typed = self.app.get(f"/cases/{case}/places?before=rd0001&text=vesselNa")["items"]
        self.assertEqual(typed[0]["path"], "$.items[0].name")
        self.assertEqual(
            self.app.get(f"/cases/{case}/places?before=rd0001&text=homePo")["items"][0]["path"],
            "$.items[0].homePort",
        )
        self.assertEqual(self.app.get(f"/cases/{case}/places?before=lst001")["items"], [])
        document["steps"][1]["send"] = f"GET [=harbour]/vessels/{picked[0]['value'].strip('“”')}"
        self.app.ask("PUT", f"/cases/{case}", {"document": document}, If_Match='"1"')
        offered = self.app.get(f"/cases/{case}/repeated")["items"]
        self.assertEqual(
            offered,
            [
                {
                    "step": "rd0001",
                    "literal": picked[0]["value"].strip("“”"),
                    "from": "lst001",
                    "path": "$.items[0].id",
                }
            ],
        )
        then = self.app.get(f"/cases/{case}/evidence?run={run['id']}")
        self.assertEqual((then["run"]["id"], len(then["steps"])), (run["id"], 2))

    def test_a_place_is_cleaned_while_it_is_typed(self):
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        case = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "text": CASE}
        )[2]["id"]

        def cleaned(of):
            return self.app.ask("POST", f"/cases/{case}/kept", {"of": of, "step": "lst001"})[2]

        self.assertIn("no answer yet", cleaned("$.items")["problem"])
        self.app.run(cases=[case])
        name = cleaned("$.items[0].name")["value"]
        self.assertEqual(
            cleaned("$.items[0].name | upper | cut 0 to 3")["value"], f"“{name[1:4].upper()}”"
        )
        self.assertIn("did you mean upper", cleaned("$.items[0].name | uper")["problem"])
        self.assertIn("nothing at $.itms", cleaned("$.itms")["problem"])
        self.assertIn(
            "cut",
            [
                pipe["text"].split("| ")[1].split()[0]
                for pipe in cleaned("$.items[0].name | c")["pipes"]
            ],
        )
        self.assertEqual(self.app.ask("POST", f"/cases/{case}/kept", {"of": 1})[0], 422)
