"""What the Path's editor asks of the API: typed checks, judging again, comments that go along,
evidence by step."""

import unittest

from tests.application import Application

CASE = """salt-path: 1
case: A fee is quoted
steps:
  # who comes
  - request: List the vessels
    key: lst001
    send: GET [=harbour]/vessels
    expect:
      - { of: status, is: 200 }
      # all of them
      - { of: $.items, empty: false }
    keep: { vesselId: "$.items[0].id" }
  # and one of them
  - request: Read one
    key: rd0001
    send: GET [=harbour]/vessels/[=vesselId]
    expect: [ { of: status, is: 404 } ]
"""


QUOTE = """salt-path: 1
case: Quotes
steps:
  - request: Ask for a quote
    key: quo001
    send: POST [=harbour]/fee-quotes
    json: { lengthMetres: "[=any number 8.0 to 160.0]", tonnage: 100,
      nights: "[=any integer 1 to 20]", season: winter }
    expect: [ { of: status, is: 200 } ]
"""


class Editing(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.app = cls.enterClassContext(Application())

    def setUp(self):
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        made = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "text": CASE}
        )[2]
        self.id, self.document, self.version = made["id"], made["document"], made["version"]

    def save(self, document):
        status, _, saved = self.app.ask(
            "PUT", f"/cases/{self.id}", {"document": document}, If_Match=f'"{self.version}"'
        )
        self.assertEqual(status, 200, saved)
        self.version = saved["version"]
        return saved

    def run_it(self):
        run = self.app.ask("POST", "/runs", {"project": self.app.project, "cases": [self.id]})[2]
        return self.app.finished(run["id"])

    def seen(self):
        return {step["name"]: step for step in self.app.get(f"/cases/{self.id}/evidence")["steps"]}

    def typed(self, text, step="rd0001"):
        return self.app.ask("POST", f"/cases/{self.id}/sentences", {"text": text, "step": step})[2]

    def test_an_edited_check_is_judged_on_the_kept_answer(self):
        self.assertEqual(self.run_it()["verdict"], "failed")
        sent = self.seen()["Read one"]["at"]
        self.document["steps"][1]["expect"] = [
            {"of": "status", "is": 200},
            {"of": "$.id", "is": "[=vesselId]"},
            {"of": "$.nmae", "present": True},
            {"of": "$..id", "present": True},
            {"of": "$[?length(@) > 3]", "present": True},
        ]
        self.save(self.document)
        step = self.seen()["Read one"]
        self.assertEqual(step["at"], sent)
        self.assertEqual(
            [(check["verdict"], check["again"]) for check in step["checks"]],
            [
                ("passed", True),
                ("passed", True),
                ("failed", True),
                ("passed", True),
                ("blocked", True),
            ],
        )
        self.assertIn("did you mean $.name?", step["checks"][2]["why"]["sentence"])
        self.assertIn("when the case runs next", step["checks"][4]["why"]["sentence"])
        self.assertEqual(step["verdict"], "failed")
        self.assertFalse(self.seen()["List the vessels"]["checks"][0]["again"])

    def test_a_keep_that_found_nothing_still_blocks(self):
        self.document["steps"][0]["keep"] = {"vesselId": "$.items[0].id", "lost": "$.nowhere"}
        self.save(self.document)
        self.run_it()
        self.assertEqual(self.seen()["List the vessels"]["why"]["code"], "keep-nothing")
        self.document["steps"][0]["expect"] = [
            {"of": "status", "is": 200},
            {"of": "$.items", "present": True},
        ]
        self.save(self.document)
        step = self.seen()["List the vessels"]
        self.assertEqual((step["verdict"], step["why"]["code"]), ("blocked", "keep-nothing"))
        self.assertEqual([check["verdict"] for check in step["checks"]], ["passed", "passed"])
        self.document["steps"][0]["expect"] = [{"of": "status", "is": 500}]
        self.save(self.document)
        step = self.seen()["List the vessels"]
        self.assertEqual(
            (step["verdict"], step["why"]["sentence"]), ("failed", "status was 200, expected 500")
        )

    def test_a_mended_keep_no_longer_blocks(self):
        self.document["steps"][0]["keep"] = {"vesselId": "$.items[0].idd"}
        self.save(self.document)
        self.run_it()
        step = self.seen()["List the vessels"]
        self.assertEqual(step["verdict"], "blocked")
        self.assertTrue(
            step["why"]["sentence"].endswith("did you mean $.items[0].id?"), step["why"]
        )
        self.document["steps"][0]["keep"] = {"vesselId": "$.items[0].id"}
        self.save(self.document)
        step = self.seen()["List the vessels"]
        self.assertEqual(
            (step["verdict"], step["why"], step["kept"][0]["value"]), ("passed", None, "“V-101”")
        )

    def test_what_a_new_keep_takes_is_known_at_once(self):
        self.run_it()
        self.document["steps"][0]["keep"] = {
            "vesselId": "$.items[1].id",
            "first": "$.items[0].name | upper",
            "lost": "$.no",
        }
        self.document["steps"][1]["expect"] = [{"of": "$.name", "is": "[=first]"}]
        self.save(self.document)
        seen = self.seen()
        self.assertEqual(
            [(kept["name"], kept["value"]) for kept in seen["List the vessels"]["kept"]],
            [("vesselId", "“V-102”"), ("first", "“MARROW FINCH”")],
        )
        self.assertEqual(seen["Read one"]["checks"][0]["expected"], "“MARROW FINCH”")

    def test_what_is_masked_is_not_judged_again(self):
        self.document["steps"] = [
            {
                "request": "Sign in",
                "key": "sgn001",
                "send": "POST [=harbour]/sessions",
                "json": '{ "user": "[=agent]", "password": "[=agentPassword]" }',
                "keep": {"token": {"of": "$.token", "secret": True}},
            }
        ]
        self.save(self.document)
        self.run_it()
        self.document["steps"][0]["expect"] = [
            {"of": "$.token", "matches": "^x"},
            {"of": "$", "is": {"token": "x"}},
            {"of": "size", "above": "1 B"},
            {"of": "status", "below": 300},
        ]
        self.save(self.document)
        reasons = [(c["why"] or {}).get("code") for c in self.seen()["Sign in"]["checks"]]
        self.assertEqual(reasons, ["masked", "masked", "masked", None])

    def test_evidence_stays_with_its_step(self):
        self.run_it()
        self.document["steps"].reverse()
        self.document["steps"].insert(0, {"request": "New", "send": "GET [=harbour]/pilots"})
        self.save(self.document)
        self.assertEqual(
            {name: step["index"] for name, step in self.seen().items()},
            {"List the vessels": 2, "Read one": 1},
        )

    def test_typed_sentences(self):
        before = self.typed("status 404")
        self.assertEqual((before["check"], before["outcome"]), ({"of": "status", "is": 404}, None))
        self.run_it()
        now = self.typed("status 404")
        self.assertEqual(
            (now["typed"], now["outcome"]["verdict"], now["outcome"]["actual"]),
            ("status is 404", "failed", "200"),
        )
        self.assertEqual(self.typed("name present")["check"], {"of": "$.name", "present": True})
        self.assertIn("did you mean status", self.typed("stauts is 3")["problem"])
        self.assertIn("$.name", self.typed("na")["suggestions"])
        self.assertEqual(self.typed("size below 3")["check"], None)  # a size needs a unit
        for bad in ({"text": 1, "step": "x"}, {"text": "status 1"}, {"step": "x"}):
            self.assertEqual(self.app.ask("POST", f"/cases/{self.id}/sentences", bad)[0], 422)

    def test_comments_go_along(self):
        steps = self.document["steps"]
        del steps[0]["expect"][0]
        self.document["steps"] = [steps[1], steps[0]]
        text = self.save(self.document)["text"]
        self.assertLess(text.index("# and one of them"), text.index("request: Read one"))
        self.assertLess(text.index("# who comes"), text.index("request: List the vessels"))
        self.assertRegex(text, r"# all of them\n +- \{ of: \$.items")
        self.document["steps"] = self.document["steps"][:1]
        self.assertNotIn("# who comes", self.save(self.document)["text"])

    def test_steps_and_what_was_left_out(self):
        status, _, found = self.app.ask(
            "POST", "/pasted", {"text": "curl -L 'http://h/a?b=[=c]' -b jar"}
        )
        self.assertEqual(status, 200)
        self.assertEqual(
            found["steps"],
            [{"request": "Read a", "send": "GET http://h/a", "query": {"b": "[='[=']c]"}}],
        )
        self.assertEqual(found["said"], ["The cookies in the file jar were left out."])

    def test_what_is_none_is_a_sentence(self):
        for text, words in (
            ("hello", "neither"),
            ("curl", "neither"),
            ("curl 'x", "never closed"),
            ("x" * 1_100_000, "1 MB"),
        ):
            status, _, problem = self.app.ask("POST", "/pasted", {"text": text})
            self.assertEqual(status, 422)
            self.assertIn(words, problem["title"])
        self.assertEqual(self.app.ask("POST", "/pasted", {"text": 7})[0], 422)
        status, _, problem = self.app.ask("POST", "/pasted", {"text": "curl 'http://h/\u0000'"})
        self.assertIn(status, (200, 422))

    def test_the_answers_propose_what_they_justify(self):
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        made = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "text": QUOTE}
        )[2]
        where = f"/cases/{made['id']}/steps/quo001/proposals"
        self.assertEqual(self.app.get(where)["answers"], 0)
        asked = [
            self.app.ask("POST", "/runs", {"project": self.app.project, "cases": [made["id"]]})[2]
            for _ in range(44)
        ]
        for run in asked[:6]:
            self.app.finished(run["id"])
        few = {item["check"]["of"]: item["check"] for item in self.app.get(where)["items"]}
        self.assertEqual(few["$.nights"], {"of": "$.nights", "is": "[=sent $.nights]"})
        for run in asked:
            self.app.finished(run["id"])
        found = self.app.get(where)
        self.assertEqual((found["answers"], found["needs"]["always"]), (44, 44))
        by = {item["check"]["of"]: item for item in found["items"]}
        self.assertEqual(by["$.currency"]["typed"], "$.currency is FHC")
        self.assertEqual(by["$.currency"]["evidence"]["sentence"], "the same in 44 of 44 answers")
        self.assertEqual(by["$.total"]["check"], {"of": "$.total", "kind": "number"})
        document = {
            **made["document"],
            "steps": [
                {
                    **made["document"]["steps"][0],
                    "expect": [item["check"] for item in found["items"]],
                }
            ],
        }
        saved = self.app.ask("PUT", f"/cases/{made['id']}", {"document": document}, If_Match='"1"')
        self.assertEqual(saved[0], 200, saved)
        self.assertEqual(self.app.run(cases=[made["id"]])["verdict"], "passed")
        self.assertEqual(self.app.get(where)["items"], [], "nothing is proposed twice")

    def test_a_sheet_is_read_row_by_row(self):
        self.run_it()
        row = {"step": "rd0001", "of": "$.name", "relation": "is", "expected": "Marrow Finch"}
        rows = [
            row,
            {**row, "of": "name"},
            {**row, "relation": "isnt", "expected": ""},
            {**row, "of": "status", "relation": ">=", "expected": "200"},
        ]

        def read(rows):
            return self.app.ask("POST", f"/cases/{self.id}/sheet", {"rows": rows})

        items = read(rows)[2]["items"]
        self.assertEqual(
            [item["check"] for item in items],
            [
                {"of": "$.name", "is": "Marrow Finch"},
                {"of": "$.name", "is": "Marrow Finch"},
                None,
                {"of": "status", "at least": 200},
            ],
        )
        self.assertEqual(items[2]["problem"], "'isnt' is no relation; did you mean 'is not'?")
        many = read([row] * 499 + [{**row, "of": "$.["}])[2]["items"]
        self.assertEqual([item["check"] is None for item in many].count(True), 1)
        for wrong in ("x", [1], [{"of": 7}], [row] * 5_001):
            self.assertEqual(read(wrong)[0], 422)
