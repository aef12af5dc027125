"""How a case reads: its steps as sentences in pieces, the threads between them, and what of it a
person types again."""

import unittest

from saltpath.core.assist.difference import differences
from saltpath.core.assist.outline import document_of, outline, pieces
from saltpath.core.checks.relations import TABLE
from saltpath.core.checks.typed import read_sentence
from saltpath.core.format.project import read_project, read_suite
from saltpath.core.format.reader import case_from_data
from saltpath.core.running.inherited import inheriting
from saltpath.core.values.plain import read_json, write_json


def case(*steps: dict, **more):
    return case_from_data({"salt-path": 1, "case": "x", "steps": list(steps), **more})


def request(send: str, **more) -> dict:
    return {"request": "Ask", "send": send, **more}


def text(of: list[dict]) -> str:
    return "".join(piece["text"] for piece in of)


class Pieces(unittest.TestCase):
    def test_text_and_references(self):
        found = pieces("[=harbour]/vessels/[=row.'Gross tonnage' | trim]?x=[=any digits 6]")
        self.assertEqual(
            [piece.get("name") for piece in found],
            ["harbour", None, "row.Gross tonnage", None, "quoted"],
        )
        self.assertEqual(
            text(found), "[=harbour]/vessels/[=row.'Gross tonnage' | trim]?x=[=any digits 6]"
        )
        self.assertEqual(
            pieces("[=not closed"), [{"text": "[=not closed"}], "what cannot be read stays text"
        )
        self.assertEqual(pieces(""), [])


class Sentences(unittest.TestCase):
    def test_the_parts_of_a_checks_sentence_are_what_was_written(self):
        """Every relation, of subjects that hold the words of relations."""
        subjects = (
            "$.distance",
            "$.isActive",
            "$['is not is']",
            "header X-Contains",
            "cookie fish",
            "$.count",
            "value matches",
        )
        for name, relation in TABLE.items():
            for of in subjects:
                check = {"of": of, name: relation.example[1]}
                with self.subTest(check):
                    made = case(request("GET http://h/", expect=[check]))
                    [found] = outline(made)["steps"][0]["expect"]
                    self.assertEqual(found["of"], of)
                    phrases = (
                        ("is empty", "is not empty") if name == "empty" else (relation.phrase,)
                    )
                    self.assertIn(found["phrase"], phrases)
                    whole = " ".join(filter(None, (of, found["phrase"], text(found["expected"]))))
                    self.assertEqual(whole, found["sentence"])


class Steps(unittest.TestCase):
    def described(self, *steps: dict, **more) -> list[dict]:
        return outline(case(*steps, **more))["steps"]

    def test_numbers_run_through_all_parts(self):
        found = self.described(
            request("GET http://h/b"),
            {"wait": "200 ms"},
            once=[request("GET http://h/a")],
            afterwards=[request("GET http://h/c")],
        )
        self.assertEqual(
            [(s["number"], s["part"], s["index"], s["kind"]) for s in found],
            [
                (1, "once", 0, "request"),
                (2, "steps", 0, "request"),
                (3, "steps", 1, "wait"),
                (4, "afterwards", 0, "request"),
            ],
        )
        self.assertEqual(found[2]["wait"], "200 ms")

    def test_what_is_sent(self):
        send = self.described(
            request(
                "POST [=h]/a",
                query={"a": "[=b]"},
                headers=[["X", "1"], ["x", "2"]],
                auth={"bearer": "[=token]"},
                json='{"a": "[=b]", "n": 1.50}',
                options={
                    "timeout": "5 s",
                    "retries": 1,
                    "verify tls": False,
                    "follow redirects": False,
                    "cookies": False,
                    "largest body": "10 MB",
                },
            )
        )[0]["send"]
        self.assertEqual((send["method"], text(send["address"])), ("POST", "[=h]/a"))
        self.assertEqual(
            [(pair["name"], text(pair["value"])) for pair in send["query"] + send["headers"]],
            [("a", "[=b]"), ("X", "1"), ("x", "2")],
        )
        self.assertEqual(
            (send["auth"]["kind"], text(send["auth"]["value"])), ("bearer", "[=token]")
        )
        self.assertEqual(text(send["body"]["text"]), '{"a": "[=b]", "n": 1.50}')
        self.assertEqual(
            send["options"],
            [
                "at most 5 s",
                "at most 10 MB",
                "1 retry",
                "redirects not followed",
                "certificate not verified",
                "cookies not kept",
            ],
        )

    def test_every_body_reads_as_it_is_typed(self):
        for given, kind, wanted in [
            ({"json": {"a": ["[=b]", 1.5]}}, "json", '{\n  "a": [\n    "[=b]",\n    1.5\n  ]\n}'),
            ({"xml": "<a>[=b]</a>"}, "xml", "<a>[=b]</a>"),
            ({"text": "fog [=b]", "type": "text/plain"}, "text", "fog [=b]"),
            ({"form": [["a", "1"], ["a", "[=b]"]]}, "form", "a = 1\na = [=b]"),
            ({"file": "data/x.pdf"}, "file", "data/x.pdf"),
            (
                {
                    "multipart": [
                        {"name": "a", "text": "b"},
                        {"name": "f", "file": "data/x", "type": "text/csv"},
                    ]
                },
                "multipart",
                "a = b\nf = file data/x, text/csv",
            ),
            (
                {
                    "multipart": [
                        {"name": "a", "text": "two\nlines"},
                        {"name": "b", "text": "x", "type": "text/html"},
                    ]
                },
                "multipart",
                'a = "two\\nlines"\nb = "x", text/html',
            ),
            (
                {"multipart": [{"name": "a", "text": "file x"}, {"name": "b", "text": " x "}]},
                "multipart",
                'a = "file x"\nb = " x "',
            ),
        ]:
            with self.subTest(kind=kind, given=given):
                body = self.described(request("POST http://h/", **given))[0]["send"]["body"]
                self.assertEqual((body["kind"], text(body["text"])), (kind, wanted))

    def test_ways_to_sign_in(self):
        for auth, wanted in [
            ({"basic": ["[=user]", "x"]}, "[=user]"),
            ({"digest": ["desk", "x"]}, "desk"),
            ({"key": {"in": "header", "name": "X-Key", "value": "x"}}, "the header X-Key"),
            (
                {
                    "oauth2": {
                        "token url": "http://h/t",
                        "client id": "[=client]",
                        "client secret": "x",
                    }
                },
                "a token for [=client]",
            ),
        ]:
            with self.subTest(auth):
                send = self.described(request("GET http://h/", auth=auth))[0]["send"]
                self.assertEqual(text(send["auth"]["value"]), wanted)
                self.assertNotIn(
                    "x", text(send["auth"]["value"]).replace("X-Key", ""), "never the password"
                )

    def test_conditions_and_waiting(self):
        until = {"until": [{"of": "$.state", "is": "quoted"}], "every": "1 s", "at most": "20 s"}
        found = self.described(
            request(
                "GET http://h/", **{"only if": {"of": "value a", "present": True}, "repeat": until}
            )
        )[0]
        self.assertEqual(found["onlyIf"], "value a is present")
        self.assertEqual(
            found["repeat"], {"until": "$.state is quoted", "every": "1 s", "at most": "20 s"}
        )

    def test_checks_are_typed_again_as_the_same(self):
        checks = [
            {"of": "status", "is": 201},
            {"of": "$.fee.total", "is": "[=answer $.fee.lines[*].amount | sum]"},
            {"of": "$.items[*].id", "is not": "E1", "any": True},
            {"of": "$.fee.total", "between": [1, 2.5]},
            {"of": "$.lines", "count": {"at least": 2}},
            {"of": "$.eta", "near": {"time": "[=now]", "within": "5 min"}},
            {"of": "$.x", "absent": True},
            {"of": "$.x", "empty": False},
            {"of": "header Location", "matches": "^/port-calls/"},
            {"of": "$", "fits": {"id": "[?text]", "items": ["[?every]", {"n?": 1}]}},
            {
                "when": [{"of": "status", "is": 200}],
                "then": [{"of": "$.id", "present": True}],
                "otherwise": [{"of": "$.error", "present": True}],
            },
            {"any of": [{"of": "$.a", "is": 1}, {"none of": [{"of": "$.b", "is": "x y"}]}]},
            {
                "for each": "$.lines[*]",
                "expect": [{"of": "$.amount", "above": 0}],
                "may be empty": True,
            },
        ]
        read = case(request("GET http://h/", expect=checks))
        shown = outline(read)["steps"][0]["expect"]
        for item, check, given in zip(read.steps[0].expect, shown, checks, strict=True):
            with self.subTest(check["typed"]):
                self.assertEqual(
                    read_json(write_json(document_of(item))), read_json(write_json(given))
                )
                again = (
                    case(request("GET http://h/", expect=[read_sentence(check["typed"])]))
                    .steps[0]
                    .expect[0]
                )
                self.assertEqual(document_of(again), document_of(item))

    def test_marks_and_exceptions(self):
        found = self.described(
            request(
                "GET http://h/",
                expect=[{"of": "status", "is": 200, "advice": True, "off": True, "note": "well"}],
                without=["quick"],
                off=True,
            )
        )[0]
        check = found["expect"][0]
        self.assertEqual((check["advice"], check["off"], check["note"]), (True, True, "well"))
        self.assertEqual((found["without"], found["off"]), (["quick"], True))


class Threads(unittest.TestCase):
    def threads(self, *steps: dict) -> list[tuple]:
        return [
            (t["name"], t["from"], t["to"], t["broken"]) for t in outline(case(*steps))["threads"]
        ]

    def test_from_the_nearest_keep_before(self):
        keep = request("GET http://h/", keep={"id": "$.id"})
        use = request("GET http://h/[=id]")
        self.assertEqual(self.threads(keep, use, use), [("id", 1, [2, 3], False)])
        self.assertEqual(
            self.threads(keep, use, keep, use), [("id", 1, [2], False), ("id", 3, [4], False)]
        )
        self.assertEqual(self.threads(use, keep), [("id", 2, [1], True)])
        self.assertEqual(self.threads({"set": {"id": "7"}}, use), [("id", 1, [2], False)])
        self.assertEqual(self.threads(use), [])

    def test_uses_wherever_they_stand(self):
        keep = request("GET http://h/", keep={"id": "$.id"})
        for use in (
            request("GET http://h/", query={"a": "[=id]"}),
            request("GET http://h/", headers={"A": "x [=kept.id]"}),
            request("POST http://h/", json='{"a": ["[=id | upper]"]}'),
            request("POST http://h/", multipart=[{"name": "[=id]", "text": "x"}]),
            request("GET http://h/", auth={"bearer": "[=id]"}),
            request("GET http://h/", expect=[{"of": "$.a", "is": "[=id]"}]),
            request(
                "GET http://h/", expect=[{"any of": [{"of": "$.a['[=id]']", "present": True}]}]
            ),
            request("GET http://h/", **{"only if": {"of": "value id", "present": True}}),
            {"set": {"x": "[=id]-1"}},
        ):
            with self.subTest(use):
                self.assertEqual(
                    [thread[:3] for thread in self.threads(keep, use)], [("id", 1, [2])]
                )


class EveryAnswer(unittest.TestCase):
    def test_what_reaches_a_step_and_in_which_order(self):
        project = read_project(
            {
                "salt-path": 1,
                "project": "P",
                "every answer": [{"of": "status", "below": 500, "note": "up"}],
            }
        )
        suite = read_suite(
            {"salt-path": 1, "suite": "S", "every answer": [{"of": "time", "below": "1 s"}]}
        )
        own = case(
            request("GET http://h/"),
            request("GET http://h/", without=["up"]),
            **{"every answer": [{"of": "size", "below": "1 MB"}]},
        )
        first, second = inheriting(own, suite, project).steps
        self.assertEqual(
            [(origin, item.sentence) for origin, item in first.inherited],
            [
                ("project", "status is below 500"),
                ("suite", "time is below 1 s"),
                ("case", "size is below 1 MB"),
            ],
        )
        self.assertEqual([origin for origin, _ in second.inherited], ["suite", "case"])
        self.assertIs(inheriting(case(request("GET http://h/")), None, None).steps[0].inherited, ())

    def test_their_changes_are_said(self):
        before = {"case": "x", "steps": [], "every answer": [{"of": "status", "below": 500}]}
        after = {**before, "every answer": [{"of": "status", "below": 400}]}
        self.assertEqual(
            differences(before, after),
            [
                "every answer no longer expects status is below 500",
                "every answer expects status is below 400",
            ],
        )
        self.assertEqual(
            differences({"case": "x", "steps": []}, before),
            ["every answer expects status is below 500"],
        )
