"""A sign-in said once: at a case, a suite or a project, the nearest wins, steps except themselves;
and everything that looks at references, names and secrets looks there, too."""

import itertools
import unittest

from saltpath.core.assist.difference import differences
from saltpath.core.assist.extract import extracted
from saltpath.core.assist.inspect import Surroundings, inspect
from saltpath.core.assist.lift import lifted
from saltpath.core.assist.renaming import renaming
from saltpath.core.assist.single_step import needs
from saltpath.core.assist.value_cells import Wanted, wanted_by
from saltpath.core.cases.case import Auth
from saltpath.core.format.nodes import FormatError
from saltpath.core.format.project import read_project, read_suite
from saltpath.core.format.reader import case_from_data, read_case
from saltpath.core.format.writer import write_document
from saltpath.core.running.compiled import compiled
from saltpath.core.running.inherited import signed_in
from tests.harbour import harbour, run_text

STEP = {"request": "A", "send": "GET http://h/a", "expect": [{"of": "status", "is": 200}]}
SIGN_INS = {None: None, "none": "none", "bearer": {"bearer": "[=t]"}}


def case_with(auth, *steps):
    return case_from_data(
        {"salt-path": 1, "case": "C", **({"auth": auth} if auth else {}), "steps": list(steps)}
    )


def said(auth: Auth | None) -> str:
    return auth.parts[0].text if auth else ""


class Nearest(unittest.TestCase):
    def test_the_nearest_that_says_anything_wins(self):
        kinds = (None, "none", "bearer")
        for project, suite, case, step in itertools.product(kinds, repeat=4):
            texts = {
                level: {"bearer": f"of {level}"} if kind == "bearer" else kind
                for level, kind in (
                    ("project", project),
                    ("suite", suite),
                    ("case", case),
                    ("", step),
                )
            }
            around = [
                read_project(
                    {
                        "salt-path": 1,
                        "project": "P",
                        **({"auth": texts["project"]} if project else {}),
                    }
                ),
                read_suite(
                    {"salt-path": 1, "suite": "S", **({"auth": texts["suite"]} if suite else {})}
                ),
            ]
            made = case_with(texts["case"], {**STEP, **({"auth": texts[""]} if step else {})})
            [found] = compiled(made, around[1], project=around[0]).case.steps
            nearest = next(
                (level for level in ("", "case", "suite", "project") if texts[level]), ""
            )
            wanted = f"of {nearest}" if isinstance(texts[nearest], dict) else ""
            with self.subTest(texts):
                self.assertEqual(
                    (said(found.auth), found.signed_by if found.auth else ""),
                    (wanted, nearest if wanted else ""),
                )

    def test_shared_steps_see_nothing_of_the_case(self):
        shared = read_case(
            "salt-path: 1\nshared: sign-in\nsteps: [ { request: B, send: GET http://h/b } ]\n",
            "x.steps.yaml",
        )
        made = case_with({"bearer": "of the case"}, {"shared": "sign-in"}, STEP)
        for project, wanted in (
            (None, ""),
            (
                read_project(
                    {"salt-path": 1, "project": "P", "auth": {"bearer": "of the project"}}
                ),
                "of the project",
            ),
        ):
            use, own = compiled(made, None, project=project, library={"sign-in": shared}).case.steps
            self.assertEqual(
                (said(use.shared.steps[0].auth), said(own.auth)), (wanted, "of the case")
            )

    def test_steps_inside_others_sign_in(self):
        made = signed_in(
            case_with({"bearer": "x"}, {"for each": [1], "as": "n", "steps": [STEP]}), None, None
        )
        self.assertEqual(said(made.steps[0].steps[0].auth), "x")

    def test_what_is_none_is_refused(self):
        for wrong in (
            "bearer",
            "",
            [],
            {},
            {"bearer": "x", "basic": ["a", "b"]},
            {"basic": ["a"]},
            {"name": "x"},
            7,
            True,
        ):
            for read in (
                lambda auth: case_from_data(
                    {"salt-path": 1, "case": "C", "auth": auth, "steps": [STEP]}
                ),
                lambda auth: read_suite({"salt-path": 1, "suite": "S", "auth": auth}),
                lambda auth: read_project({"salt-path": 1, "project": "P", "auth": auth}),
            ):
                with self.subTest(wrong), self.assertRaises(FormatError):
                    read(wrong)


class AllThatLooks(unittest.TestCase):
    SIGNS = {**STEP, "request": "Sign in", "send": "POST http://h/in", "keep": {"token": "$.token"}}

    def found(self, made):
        return [
            (item.why.code, item.step)
            for item in inspect(signed_in(made, None, None), Surroundings())
            if item.why.code != "hard-coded-address"
        ]

    def test_the_step_that_signs_in_is_told_to_except_itself(self):
        made = case_with({"bearer": "[=token]"}, self.SIGNS, STEP)
        self.assertEqual(self.found(made), [("signs-in-early", "Sign in")])
        self.assertEqual(
            self.found(case_with({"bearer": "[=token]"}, {**self.SIGNS, "auth": "none"}, STEP)), []
        )
        self.assertEqual(
            self.found(case_with({"bearer": "[=tokn]"}, {**self.SIGNS, "auth": "none"}, STEP)),
            [("kept-nowhere", "A"), ("unused-keep", "Sign in")],
        )

    def test_a_step_that_goes_elsewhere_is_told(self):
        """The project's token would be sent to somebody else."""
        steps = [
            {**STEP, "send": f"GET {to}/a", "request": to}
            for to in ("[=harbour]", "[=harbour]", "[=weather]", "https://elsewhere.example")
        ]
        made = case_with({"basic": ["desk", "[=pin]"]}, *steps)
        told = [item for item in self.found(made) if item[0] == "signed-elsewhere"]
        self.assertEqual(
            told,
            [("signed-elsewhere", "[=weather]"), ("signed-elsewhere", "https://elsewhere.example")],
        )
        for own in ("none", {"bearer": "x"}):
            apart = case_with(
                {"basic": ["desk", "[=pin]"]},
                *steps[:2],
                *({**step, "auth": own} for step in steps[2:]),
            )
            self.assertNotIn("signed-elsewhere", [code for code, _ in self.found(apart)])

    def test_a_secret_that_is_written_out_is_told_once(self):
        self.assertEqual(
            self.found(case_with({"basic": ["desk", "salt-and-tar"]}, STEP, STEP)),
            [("secret-in-text", "")],
        )

    def test_its_values_are_wanted_renamed_lifted_and_told_apart(self):
        document = {
            "salt-path": 1,
            "case": "C",
            "auth": {"basic": ["desk", "[=pin]"]},
            "steps": [STEP],
        }
        self.assertEqual(wanted_by(case_from_data(document)), {Wanted("pin", None)})
        self.assertEqual(
            renaming("pin", "code", "project", True)(document)["auth"],
            {"basic": ["desk", "[=code]"]},
        )
        changed, places = lifted(document, "desk", "who")
        self.assertEqual(
            (changed["auth"], [place.path for place in places]),
            ({"basic": ["[=who]", "[=pin]"]}, ["auth.basic[0]"]),
        )
        self.assertEqual(len(differences({**document, "auth": "none"}, document)), 1)
        for auth in ("none", document["auth"]):
            self.assertEqual(
                read_case(write_document({**document, "auth": auth})),
                case_from_data({**document, "auth": auth}),
            )


class Sent(unittest.TestCase):
    def test_over_the_wire(self):
        """The desk's log asks who one is: every step signs in but the one that excepts itself."""
        steps = f"""salt-path: 1
case: Who is there
auth: {{ bearer: "[=token]" }}
steps:
  - {{ request: Sign in, send: POST {harbour()}/sessions, auth: none, json: {{ user: desk,
      password: salt-and-tar }}, keep: {{ token: $.token }} }}
  - {{ request: Ask, send: POST {harbour()}/port-calls, json: {{ vessel: Marrow Finch,
      lengthMetres: 23.4, nights: 2 }}, expect: [ {{ of: status, is: 201 }} ] }}
  - {{ request: Without, send: POST {harbour()}/port-calls, auth: none,
      json: {{ vessel: Marrow Finch, lengthMetres: 23.4, nights: 2 }}, expect: [ {{ of: status,
      is: 401 }} ] }}
"""
        found = run_text(steps).cases[0].steps
        self.assertEqual([step.verdict for step in found], ["unchecked", "passed", "passed"])
        heads = [step.exchanges[0].sent_head for step in found]
        self.assertEqual([b"Authorization: Bearer" in head for head in heads], [False, True, False])


class TakenApart(unittest.TestCase):
    """What leaves the case takes its sign-in along; what a step needs includes what signs it."""

    TOKEN = {"bearer": "[=token]"}

    def document(self) -> dict:
        steps = [
            {**AllThatLooks.SIGNS, "key": "aaaaaa", "auth": "none"},
            {**STEP, "key": "bbbbbb"},
            {"for each": [1], "as": "n", "key": "cccccc", "steps": [STEP]},
        ]
        return {"salt-path": 1, "case": "C", "auth": self.TOKEN, "steps": steps}

    def test_shared_steps_made_of_them_sign_in_by_themselves(self):
        document = self.document()
        found = extracted(case_from_data(document), document, ["bbbbbb", "cccccc"], "Berths")
        self.assertEqual(list(found.shared["inputs"]), ["token"])
        self.assertEqual(found.use["with"], {"token": "[=token]"})
        read, each = found.shared["steps"]
        self.assertEqual((read["auth"], each["steps"][0]["auth"]), (self.TOKEN, self.TOKEN))
        found = extracted(case_from_data(document), document, ["aaaaaa"], "In")
        self.assertEqual(
            (found.shared["steps"][0]["auth"], found.shared.get("inputs")), ("none", None)
        )

    def test_a_step_alone_needs_what_signs_it(self):
        case = signed_in(case_from_data(self.document()), None, None)
        self.assertEqual(
            (needs(case, [1], []).sent, needs(case, [1], []).names), ((0,), ("token",))
        )
        self.assertEqual(needs(case, [1], ["token"]).sent, ())
