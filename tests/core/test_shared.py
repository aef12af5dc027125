"""Shared steps and steps for each item: read and written, linked, inspected, taken out of a
case."""

import unittest

from saltpath.core.assist.extract import NotShareable, extracted, without
from saltpath.core.assist.inspect import inspect, surroundings
from saltpath.core.cases.case import ForEach, NamedValues, UseShared
from saltpath.core.cases.shared import linked, users, uses
from saltpath.core.cases.steps import steps_in, with_step
from saltpath.core.format.folder import Entry, Folder, read_folder, write_folder
from saltpath.core.format.nodes import FormatError
from saltpath.core.format.reader import case_from_data, read_case
from saltpath.core.format.source import read_source
from saltpath.core.format.writer import write_document
from saltpath.core.sheet.rows import rows_of

SIGN_IN = """\
salt-path: 1
shared: Sign in as harbour agent
key: 5h4r3d5t3p
inputs: { role: { kind: text, default: desk }, pin: {} }
outputs: { token: "[=kept.token]" }
steps:
  - request: Ask for a token
    key: askt0k
    send: POST [=harbour]/sessions
    json: { user: "[=role]", password: "[=pin]" }
    expect: [{ of: status, is: 201 }]
    keep: { token: { of: $.token, secret: true } }
"""
CASE = """\
salt-path: 1
case: A berth
steps:
  - shared: sign-in
    key: us3s1n
    with: { pin: "[=agentPassword]" }
    gives: { token: deskToken }
  - for each: "[=lines]"
    as: line
    key: each01
    steps:
      - request: Read a fee line
        key: readln
        send: GET [=harbour]/fees/[=line | at $.code]
        auth: { bearer: "[=deskToken]" }
        keep: { last: $.code }
  - request: Read the last
    key: rdlast
    send: GET [=harbour]/fees/[=last]/[=line]
"""
AROUND = surroundings(
    (), None, NamedValues({"harbour": "x", "lines": []}, frozenset(["agentPassword"])), []
)


def sentences(case):
    return [finding.sentence for finding in inspect(case, AROUND) if finding.weight == "error"]


class Reading(unittest.TestCase):
    def test_shared_steps_are_read_and_written(self):
        shared = read_case(SIGN_IN)
        self.assertTrue(shared.is_shared)
        self.assertEqual(
            [(item.name, item.kind, item.default is ...) for item in shared.inputs],
            [("role", "text", False), ("pin", "", True)],
        )
        self.assertEqual(write_document(read_source(SIGN_IN).root.data()), SIGN_IN)

    def test_a_case_that_uses_them(self):
        case = read_case(CASE)
        use, each = case.steps[:2]
        self.assertIsInstance(use, UseShared)
        self.assertEqual((use.of, use.gives), ("sign-in", (("token", "deskToken"),)))
        self.assertIsInstance(each, ForEach)
        self.assertEqual(each.name, "for each line of lines")
        self.assertEqual([number for number, _ in case.every_step()], ["1", "2", "2.1", "3"])
        self.assertEqual(write_document(read_source(CASE).root.data()), CASE)

    def test_what_is_wrong_is_said(self):
        for steps, sentence in (
            ("- { for each: lines, steps: [] }", "for each needs a list"),
            (
                "- { for each: '[=x]', as: row, steps: [] }",
                "a name begins with a letter and is no reserved word",
            ),
            ("- { for each: '[=x]' }", "a step for each item needs steps"),
            ("- { shared: x, with: [a] }", "with must be a mapping of names"),
            ("- { shared: x, gives: { token: 1a } }", "a name begins with a letter"),
            ("- { shared: x, inputs: {} }", "unknown key 'inputs'"),
        ):
            with self.subTest(steps), self.assertRaises(FormatError) as caught:
                read_case(f"salt-path: 1\ncase: x\nsteps:\n  {steps}\n")
            self.assertIn(sentence, str(caught.exception))
        with self.assertRaises(FormatError) as caught:
            read_case(
                "salt-path: 1\nshared: x\ninputs: { a: { kind: date } }\nonce: []\nsteps: []\n"
            )
        self.assertIn("kind is text", str(caught.exception))
        self.assertIn("unknown key 'once' in shared steps", str(caught.exception))

    def test_nesting_has_an_end(self):
        steps = "[]"
        for _ in range(25):
            steps = f"[{{ for each: '[=x]', steps: {steps} }}]"
        with self.assertRaises(FormatError) as caught:
            read_case(f"salt-path: 1\ncase: x\nsteps: {steps}\n")
        self.assertIn("at most 20 times", str(caught.exception))


class Linking(unittest.TestCase):
    def test_they_are_put_where_they_are_used(self):
        library = {"sign-in": read_case(SIGN_IN)}
        case = linked(read_case(CASE), library)
        self.assertEqual(case.steps[0].name, "Sign in as harbour agent")
        self.assertEqual(case.steps[0].shared.steps[0].name, "Ask for a token")
        self.assertEqual(sentences(case), ["there is no value line; did you mean lines?"])

    def test_what_cannot_be_linked_says_why(self):
        library = {"sign-in": read_case(SIGN_IN)}
        for use, sentence in (
            (
                {"shared": "sign-on", "with": {"pin": 1}},
                "there are no shared steps sign-on; did you mean sign-in?",
            ),
            ({"shared": "sign-in"}, "the shared steps sign-in need pin, which is not given"),
            (
                {"shared": "sign-in", "with": {"pin": 1, "rule": 2}},
                "have no input rule; they have pin and role",
            ),
            (
                {"shared": "sign-in", "with": {"pin": 1}, "gives": {"id": "x"}},
                "have no output id; they have token",
            ),
        ):
            case = linked(case_from_data({"salt-path": 1, "case": "x", "steps": [use]}), library)
            self.assertIn(sentence, sentences(case)[0])

    def test_a_circle_is_found(self):
        def shared(of):
            return case_from_data({"salt-path": 1, "shared": "x", "steps": [{"shared": of}]})

        library = {"a": shared("b"), "b": shared("c"), "c": shared("a")}
        case = linked(
            case_from_data({"salt-path": 1, "case": "x", "steps": [{"shared": "a"}]}), library
        )
        inner = case.steps[0].shared.steps[0].shared.steps[0].shared.steps[0]
        self.assertIn("a -> b -> c -> a", inner.problem.sentence)
        self.assertEqual(users("a", library), {"a", "b", "c"})
        self.assertEqual(uses(library["a"]), ["b"])


class Extracting(unittest.TestCase):
    DOCUMENT = {
        "salt-path": 1,
        "case": "A berth",
        "values": {"agent": "desk"},
        "steps": [
            {
                "request": "Place",
                "key": "place1",
                "send": "GET [=harbour]/places",
                "keep": {"pier": "$.pier"},
            },
            {
                "request": "Sign in",
                "key": "sign01",
                "send": "POST [=harbour]/sessions",
                "json": {
                    "user": "[=case.agent]",
                    "password": "[=agentPassword]",
                    "pier": "[=kept.pier]",
                },
                "keep": {"token": {"of": "$.token", "secret": True}},
            },
            {
                "request": "Look",
                "key": "look01",
                "send": "GET [=harbour]/me",
                "auth": {"bearer": "[=kept.token]"},
                "keep": {"who": "$.who"},
            },
            {
                "request": "Ask",
                "key": "ask001",
                "send": "POST [=harbour]/port-calls",
                "auth": {"bearer": "[=token]"},
            },
        ],
    }

    def test_inputs_and_outputs_are_found(self):
        found = extracted(
            case_from_data(self.DOCUMENT), self.DOCUMENT, ["sign01", "look01"], "Sign in"
        )
        self.assertEqual(found.shared["inputs"], {"agent": {"kind": "text"}, "pier": {}})
        self.assertEqual(found.shared["outputs"], {"token": "[=kept.token]"})
        first, second = found.shared["steps"]
        self.assertEqual(
            first["json"], {"user": "[=agent]", "password": "[=agentPassword]", "pier": "[=pier]"}
        )
        self.assertEqual(
            second["auth"], {"bearer": "[=kept.token]"}, "what is kept inside stays so"
        )
        self.assertEqual(found.use["with"], {"agent": "[=agent]", "pier": "[=pier]"})
        after = without(self.DOCUMENT, ["sign01", "look01"], {**found.use, "shared": "sign-in"})
        case = linked(case_from_data(after), {"sign-in": case_from_data(found.shared)})
        self.assertEqual([step.name for step in case.steps], ["Place", "Sign in", "Ask"])
        self.assertEqual(sentences(case), [])

    def test_what_cannot_be_taken_out_says_why(self):
        case = case_from_data(self.DOCUMENT)
        for keys, sentence in (
            (["look01", "nowhere"], "Choose steps of this case"),
            (["place1", "look01"], "keeps token, which they use"),
        ):
            with self.assertRaises(NotShareable) as caught:
                extracted(case, self.DOCUMENT, keys, "x")
            self.assertIn(sentence, str(caught.exception))


class Folders(unittest.TestCase):
    def test_shared_steps_and_environments_come_back_from_their_files(self):
        folder = Folder(Entry({"salt-path": 1, "project": "x"}))
        folder.shared["sign-in"] = Entry(read_source(SIGN_IN).root.data())
        for name in ("Live!", "Live?", "Prøve"):
            folder.environments[name] = Entry({"salt-path": 1, "environment": name})
        files = write_folder(folder)
        self.assertIn("shared/sign-in.steps.yaml", files)
        again = read_folder(files)
        self.assertEqual(set(again.environments), {"Live!", "Live?", "Prøve"})
        self.assertEqual(again.shared["sign-in"].document, folder.shared["sign-in"].document)
        with self.assertRaises(FormatError) as caught:
            read_folder({**files, "shared/x.steps.yaml": b"salt-path: 1\ncase: x\nsteps: []\n"})
        self.assertIn("these are no shared steps", str(caught.exception))


class Looking(unittest.TestCase):
    def test_steps_inside_others_are_steps_of_the_document(self):
        document = read_source(CASE).root.data()
        self.assertEqual(
            [step["key"] for step in steps_in(document)], ["us3s1n", "each01", "readln", "rdlast"]
        )
        inner = document["steps"][1]["steps"][0]
        changed = with_step(document, inner, {**inner, "expect": [{"of": "status", "is": 200}]})
        self.assertEqual(changed["steps"][1]["steps"][0]["expect"], [{"of": "status", "is": 200}])
        self.assertEqual(changed["steps"][2], document["steps"][2])
        rows = [row.cells for row in rows_of(changed)]
        self.assertIn(
            ("status", "is", "200"),
            [(cells.get("of"), cells.get("relation"), cells.get("expected")) for cells in rows],
        )
