"""References, scopes and pipes: what a name stands for, and how it is inserted."""

import unittest
from decimal import Decimal

from saltpath.core.format.reader import read_case
from saltpath.core.references.pipes import KINDS, apply_pipes, read_pipe
from saltpath.core.references.scopes import Scope, Scopes
from saltpath.core.references.templates import compile_tree, read_template
from saltpath.core.running.prepare import prepare
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.plain import same
from saltpath.core.values.why import Blocked


def scopes(**values) -> Scopes:
    return Scopes(Scope({}), case=Scope(values))


def fill(text: str, **values):
    template = read_template(text)
    return scopes(**values).fill(template)


class Grammar(unittest.TestCase):
    def test_parts(self):
        template = read_template("a [=b] c [=row.'Gross tonnage' | trim | cut 0 to 5]")
        names = [
            (ref.scope, ref.name, [pipe.name for pipe in ref.pipes])
            for ref in template.references()
        ]
        self.assertEqual(names, [(None, "b", []), ("row", "Gross tonnage", ["trim", "cut"])])

    def test_a_quoted_source_is_a_literal(self):
        self.assertEqual(fill("[='[=']x]"), "[=x]")
        self.assertEqual(fill("""[="a \\"b\\""]"""), 'a "b"')

    def test_names_of_any_script(self):
        self.assertEqual(fill("[=høyde]", høyde=3), 3)

    def test_refusals(self):
        for text, words in [
            ("[=]", "name is missing"),
            ("[=a", "not closed"),
            ("[=1a]", "not a name"),
            ("[=port.x]", "no scope 'port'"),
            ("[=a | shout]", "no pipe 'shout'"),
            ("[=row]", "reserved"),
            ("[=a | cut one]", "cut is written"),
        ]:
            with self.subTest(text), self.assertRaises(Unreadable) as caught:
                read_template(text)
            self.assertIn(words, str(caught.exception))


class Resolving(unittest.TestCase):
    def test_exactly_one_reference_keeps_its_type(self):
        self.assertEqual(fill("[=a]", a=Decimal("23.4")), Decimal("23.4"))
        self.assertEqual(fill("[=a | text]", a=Decimal("1318.40")), "1318.40")
        self.assertEqual(fill("x[=a]", a=[1, Decimal("0.30")]), "x[1,0.30]")

    def test_the_nearest_scope_wins(self):
        every = Scopes(
            Scope({"a": "project"}),
            Scope({"a": "suite"}),
            Scope({"a": "case"}),
            run=Scope({"a": "run"}),
        )
        every.kept.put("a", "kept")
        self.assertEqual(
            every.fill(read_template("[=a] [=case.a] [=project.a]")), "run case project"
        )

    def test_a_value_is_known_until_another_is_kept(self):
        scopes = Scopes(Scope({"a": "1", "b": "[=a]2"}))
        self.assertEqual(
            [scopes.fill(compile_tree(text)) for text in ("[=a]", "[=b]", "[=a | number]")],
            ["1", "12", 1],
        )
        scopes.begin_step()
        self.assertEqual(scopes.fill(compile_tree("[=a]")), "1")
        self.assertEqual(scopes.used, {"[=a]": {"from": "project.a", "value": "1"}})
        scopes.keep("a", "9")
        self.assertEqual(
            [scopes.fill(compile_tree(text)) for text in ("[=a]", "[=b]", "[=project.a]")],
            ["9", "12", "1"],
        )

    def test_values_hold_references_and_circles_are_refused(self):
        both = Scopes(
            Scope({"base": "http://h", "address": "[=base]/x"}),
            case=Scope({"p": "[=q]", "q": "[=p]"}),
        )
        self.assertEqual(both.fill(read_template("[=address]")), "http://h/x")
        with self.assertRaises(Blocked) as caught:
            both.fill(read_template("[=p]"))
        self.assertEqual(caught.exception.reason.code, "value-circle")

    def test_what_was_inserted_is_never_read_again(self):
        one = scopes(a=1)
        one.kept.put("sly", "[=a] [?]")
        self.assertEqual(one.fill(read_template("[=sly]")), "[=a] [?]")
        self.assertEqual(one.fill(read_template("x [=sly]")), "x [=a] [?]")

    def test_a_missing_value_says_where_it_looked_and_what_is_near(self):
        with self.assertRaises(Blocked) as caught:
            fill("[=portCalId]", portCallId=1)
        self.assertEqual(
            str(caught.exception),
            "there is no value portCalId; looked in run, kept, row, case, suite and project; did "
            "you mean portCallId?",
        )

    def test_default(self):
        self.assertEqual(fill('[=none | default "x"]'), "x")
        self.assertEqual(fill("[=none | default 0]", none=None), 0)

    def test_null_only_in_json(self):
        with self.assertRaises(Blocked):
            fill("a[=n]", n=None)


class Pipes(unittest.TestCase):
    def test_every_example_holds(self):
        for name, kind in KINDS.items():
            value, written, wanted = kind.example
            with self.subTest(name):
                value = Decimal(str(value)) if isinstance(value, float) else value
                wanted = Decimal(str(wanted)) if isinstance(wanted, float) else wanted
                pipe = read_pipe(written, read_template)
                self.assertTrue(same(apply_pipes(value, (pipe,), Scopes(Scope())), wanted))

    def test_lists_item_by_item(self):
        self.assertEqual(apply_pipes([" a", "b "], (read_pipe("trim"),)), ["a", "b"])

    def test_patterns(self):
        self.assertEqual(
            apply_pipes("PC-20931", (read_pipe('replace /[A-Z]+-(\\d)/ with "$1."'),)), "2.0931"
        )
        self.assertEqual(fill('[=a | replace /a|b]/ with "x"]', a="b]"), "x")

    def test_what_does_not_fit_blocks(self):
        for value, pipe in [
            (5, "trim"),
            ("x", "number"),
            ([1], "item 2"),
            ({"a": 1}, "at $.b"),
            ("a" * 60 + "!", 'replace /^(a|aa)+$/ with ""'),
        ]:
            with self.subTest(pipe), self.assertRaises(Blocked):
                apply_pipes(value, (read_pipe(pipe),))


class Encoding(unittest.TestCase):
    def prepared(self, step: str, **values):
        case = read_case(f"salt-path: 1\ncase: x\nsteps:\n  - {{ request: a, {step} }}")
        return prepare(case.steps[0], scopes(**values))

    def test_addresses(self):
        def address(text: str, **values: object) -> str:
            return self.prepared(f'send: "GET {text}"', **values).address

        self.assertEqual(
            address("[=h]/a/[=x]?q=[=x]", h="http://h:1/api", x="a/b ?&é"),
            "http://h:1/api/a/a%2Fb%20%3F%26%C3%A9?q=a%2Fb%20%3F%26%C3%A9",
        )
        self.assertEqual(address("http://[=x].example/", x="east"), "http://east.example/")
        self.assertEqual(address("http://h/[=x]/y", x=".."), "http://h/%2E%2E/y")
        self.assertEqual(address("http://h/[=x | raw]", x="a/b"), "http://h/a/b")
        for text, values in [
            ("http://[=x]/", {"x": "a/b"}),
            ("ftp://h/", {}),
            ("/only/a/path", {}),
            ("http://h:99999/", {}),
        ]:
            with self.subTest(text), self.assertRaises(Blocked):
                address(text, **values)

    def test_query_and_form(self):
        sent = self.prepared('send: "GET http://h/?a=1", query: { b: "[=x]", c: 1.50 }', x="1&2")
        self.assertEqual(sent.address, "http://h/?a=1&b=1%262&c=1.50")
        sent = self.prepared(
            "send: GET http://h/, query: { name: East 4, q: '1+1=2 & 50% #é', at: '12:00/[=x]' }",
            x="a/b",
        )
        self.assertEqual(
            sent.address,
            "http://h/?name=East%204&q=1%2B1%3D2%20%26%2050%25%20%23%C3%A9&at=12:00/a%2Fb",
        )
        sent = self.prepared('send: POST http://h/, form: { "a b": "[=x]" }', x="1 &é")
        self.assertEqual(sent.body, b"a+b=1+%26%C3%A9")

    def test_headers_refuse_line_breaks(self):
        with self.assertRaises(Blocked) as caught:
            self.prepared('send: GET http://h/, headers: { X-A: "[=x]" }', x="a\r\nB: c")
        self.assertEqual(caught.exception.reason.code, "header-break")

    def test_json_texts_stay_byte_for_byte(self):
        sent = self.prepared(
            """send: POST http://h/, json: '{ "a" : "[=x]",  "n": 1.50, "[=k]": "s [=t]" }'""",
            x=Decimal("0.30"),
            k='k"',
            t='"\n',
        )
        self.assertEqual(sent.body, b'{ "a" : 0.30,  "n": 1.50, "k\\"": "s \\"\\n" }')
        self.assertIn(("Content-Type", "application/json"), sent.headers)

    def test_json_written_as_yaml(self):
        sent = self.prepared('send: POST http://h/, json: { a: "[=x]", n: 1.50, t: no }', x=None)
        self.assertEqual(sent.body, b'{"a":null,"n":1.50,"t":"no"}')

    def test_auth(self):
        sent = self.prepared('send: GET http://h/, auth: { basic: ["[=u]", pass] }', u="desk")
        self.assertIn(("Authorization", "Basic ZGVzazpwYXNz"), sent.headers)
        self.assertIsNone(sent.body)
