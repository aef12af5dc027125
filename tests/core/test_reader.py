"""Cases, projects and environments: what is read, and how mistakes are answered."""

import unittest

from saltpath.core.cases.case import JsonText, Request, SetValues, Wait
from saltpath.core.format.nodes import FormatError
from saltpath.core.format.project import read_environment, read_project, read_suite
from saltpath.core.format.reader import read_case
from saltpath.core.format.source import read_source
from saltpath.core.format.writer import write_document

CASE = """\
salt-path: 1
# what the desk does all day
case: A visiting vessel is given a berth
key: 7q2m4x9dka
register: BERTH-7
tags: [arrivals, smoke]
values: { currency: FHC, total: 1318.40 }
on failure: go on
steps:
  # the question
  - request: Ask for a berth
    key: askbth
    send: POST [=harbour]/port-calls
    query: { draft: "false" }
    headers: [[Accept, application/json], [Accept, text/plain]]
    auth: { bearer: "[=deskToken]" }
    json: |
      { "vessel": "[=vessel]", "lengthMetres": 1.50, "[=key]": "a [=b] c" }
    options: { timeout: 500 ms, follow redirects: false, verify tls: false, largest body: 2 MB }
    expect:
      - { of: status, is: 201 }
      - { of: $.fee.total | text, starts with: "13", note: the fee, advice: true }
      - { of: time, below: 500 ms }
      - { of: "$.lines[*].amount", above: 0, any: true }
      - { of: $.pilots, count: { at least: 2 }, off: true }
    keep:
      portCallId: $.id
      token: { of: $.token, secret: true }
  - set: { reference: "[=portCallId]-1" }
  - wait: 200 ms
afterwards:
  - request: Cancel
    send: DELETE [=harbour]/port-calls/[=portCallId]
"""


class Reading(unittest.TestCase):
    def test_what_is_empty_is_nothing_forgotten(self):
        """An empty mapping where something has to stand is refused, and not left out."""
        step = "salt-path: 1\ncase: x\nsteps:\n  - request: A\n    send: GET http://h/\n    "
        check = "a check is missing here"
        for text, words in (
            (step + "expect: [ {} ]", check),
            (step + "expect: [ { any of: [ {} ] } ]", check),
            (step + "expect: [ { any of: [] } ]", check),
            (step + "expect: [ { when: {}, then: { of: status, is: 200 } } ]", check),
            (step + "expect: [ { when: { of: status, is: 200 }, then: {} } ]", check),
            (step + "expect: [ { for each: $.items, expect: [ {} ] } ]", check),
            (step + "only if: [ {} ]", check),
            (step + "repeat: {}", "repeat needs until"),
            (step + "auth: {}", "auth takes one kind"),
            (step + "multipart: [ {} ]", "a part needs a name"),
            ("salt-path: 1\ncase: x\nevery answer: [ {} ]\nsteps: []", check),
            ("salt-path: 1\ncase: x\nsteps: [ {} ]", "this step has no kind"),
            ("salt-path: 1\ncase: x\nrows: [ {} ]\nsteps: []", "found an empty one"),
            ("salt-path: 1\ncase: x\nrows: {}\nsteps: []", "rows come from one of"),
        ):
            with self.subTest(text=text), self.assertRaises(FormatError) as refused:
                read_case(text + "\n")
            self.assertIn(words, str(refused.exception))

    def test_a_case_with_everything(self):
        case = read_case(CASE)
        ask, reference, wait = case.steps
        assert (
            isinstance(ask, Request) and isinstance(reference, SetValues) and isinstance(wait, Wait)
        )
        self.assertEqual(
            (case.key, case.register, case.tags, case.stop_on_failure),
            ("7q2m4x9dka", "BERTH-7", ("arrivals", "smoke"), False),
        )
        self.assertEqual((ask.method, ask.address.text), ("POST", "[=harbour]/port-calls"))
        self.assertEqual([name for name, _ in ask.headers], ["Accept", "Accept"])
        self.assertEqual(ask.options.timeout_us, 500_000)
        self.assertEqual(ask.options.largest_body, 2_000_000)
        self.assertIs(ask.options.follow_redirects, False)
        assert ask.body is not None and isinstance(ask.body.content, JsonText)
        self.assertEqual(
            [piece[1] for piece in ask.body.content.pieces if not isinstance(piece, str)],
            [False, True, False],
        )
        self.assertEqual(
            [check.sentence for check in ask.expect],
            [
                "status is 201",
                "$.fee.total | text starts with “13”",
                "time is below 500 ms",
                "any of $.lines[*].amount is above 0",
                "$.pilots counts at least 2",
            ],
        )
        self.assertEqual(
            [(keep.name, keep.secret) for keep in ask.keep],
            [("portCallId", False), ("token", True)],
        )
        self.assertEqual(wait.us, 200_000)
        self.assertEqual(case.afterwards[0].place.path, "afterwards[0]")

    def rewritten(self, text: str) -> str:
        source = read_source(text)
        return write_document(source.root.data(), source.comments)

    def test_writing_gives_the_same_document_and_keeps_comments(self):
        written = self.rewritten(CASE)
        self.assertEqual(read_source(written).root.data(), read_source(CASE).root.data())
        self.assertIn("# what the desk does all day\ncase:", written)
        self.assertIn("  # the question\n  - request:", written)
        self.assertIn("total: 1318.40", written)
        self.assertEqual(self.rewritten(written), written)

    def test_writing_texts_that_could_be_read_as_something_else(self):
        hard = {
            "a": [
                "no",
                "12",
                "1.0",
                "null",
                "true",
                "",
                " x",
                "a: b",
                "x #y",
                "[=x]",
                "- a",
                "é",
                "a\nb\n",
                "a\r\nb",
                "\t",
                "=x",
                "~",
                "\x85",
            ]
        }
        hard["b"] = {
            "text": "one\n two\n\nthree",
            "list": [],
            "map": {},
            "deep": [[1, [2, {"k": [3]}]]],
        }
        for text in hard["a"]:
            hard["b"][f"key {text!r}"] = text
        self.assertEqual(read_source(write_document(hard)).root.data(), hard)


class Mistakes(unittest.TestCase):
    def problems(self, text: str) -> list[str]:
        with self.assertRaises(FormatError) as caught:
            read_case(text, "x.case.yaml")
        return [str(problem) for problem in caught.exception.problems]

    def step(self, *lines: str) -> str:
        return "salt-path: 1\ncase: x\nsteps:\n  - request: a\n" + "".join(
            f"    {line}\n" for line in lines
        )

    def one(self, text: str, words: str):
        found = self.problems(text)
        self.assertTrue(any(words in sentence for sentence in found), found)

    def test_the_nearest_known_key_and_the_line(self):
        found = self.problems(self.step("send: GET http://h/", "expct: []"))
        self.assertEqual(
            found, ["x.case.yaml:6: unknown key 'expct' in a request step; did you mean 'expect'?"]
        )

    def test_all_problems_of_a_file_are_told_together(self):
        found = self.problems(
            self.step("send: GET", "keep: { 1x: $.a }", "expect: [ { of: stats, is: 1 } ]")
        )
        self.assertEqual(len(found), 3, found)

    def test_what_comes_later_is_named(self):
        self.one(
            self.step("send: GET http://h/", "operation: a/b"),
            "this version cannot carry it out yet",
        )

    def test_checks(self):
        for check, words in [
            ("{ of: time, below: 500 }", "duration with its unit"),
            ("{ of: size, above: 5 }", "size with its unit"),
            ("{ of: $.a }", "exactly one relation"),
            ("{ of: $.a, is: 1, above: 0 }", "exactly one relation"),
            ("{ is: 1 }", "needs of"),
            ('{ of: "$.a[", is: 1 }', "cannot be read"),
            ("{ of: $.a, matches: '(' }", "pattern"),
            ("{ of: $.a, above: many }", "a number"),
            ("{ of: $.a, between: [1] }", "two numbers"),
            ("{ of: $.a, kind: string }", "one of"),
            ("{ of: $.a, present: false }", "needs true"),
            ("{ of: $.a | trimm, is: x }", "did you mean trim?"),
            ("{ of: header, is: x }", "needs a name"),
            ("{ of: $.a, count: { biggest: 3 } }", "one relation"),
        ]:
            with self.subTest(check):
                self.one(self.step("send: GET http://h/", f"expect: [ {check} ]"), words)

    def test_bodies(self):
        self.one(
            self.step("send: POST http://h/", "json: '{ \"a\": [=x] }'"),
            "a reference stands inside quotes",
        )
        self.one(self.step("send: POST http://h/", "json: {}", "text: x"), "one body")
        self.one(
            self.step("send: POST http://h/", "type: text/csv"), "type belongs to a body that is"
        )

    def test_versions_names_and_steps(self):
        self.one("case: x\nsteps: []", "salt-path: 1")
        self.one("salt-path: 2\ncase: x\nsteps: []", "version 2")
        self.one("salt-path: 1\nsteps: []", "needs a name")
        self.one("salt-path: 1\ncase: x", "needs steps")
        self.one("salt-path: 1\ncase: x\nsteps: [ { reqest: a } ]", "did you mean 'request'?")
        self.one("salt-path: 1\ncase: x\nvalues: { row: 1 }\nsteps: []", "reserved")


class ProjectFiles(unittest.TestCase):
    def test_project_suite_environment(self):
        project = read_project(
            "salt-path: 1\nproject: Harbour\nzone: Europe/Oslo\nvalues: { pin: { secret: true }, "
            "a: 1 }"
        )
        self.assertEqual(
            (project.name, project.values.secret, project.values.values),
            ("Harbour", {"pin"}, {"a": 1}),
        )
        self.assertEqual(read_suite("salt-path: 1\nsuite: S\norder: [a, b]").order, ("a", "b"))
        self.assertTrue(read_environment("salt-path: 1\nenvironment: Live\nguarded: true").guarded)

    def test_their_mistakes(self):
        for read, text, words in [
            (read_project, "salt-path: 1\nproject: x\nzone: Mars/North", "no time zone"),
            (read_project, "salt-path: 1\nprojekt: x", "did you mean 'project'?"),
            (read_environment, "salt-path: 1\nenvironment: x\nguarded: maybe", "true or false"),
            (read_suite, "salt-path: 1\nsuite: x\norder: a", "must be a list"),
        ]:
            with self.subTest(text), self.assertRaises(FormatError) as caught:
                read(text)
            self.assertIn(words, str(caught.exception))
