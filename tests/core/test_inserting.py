"""Property tests, seeded: what is inserted never changes the structure of what it is inserted into;
writer and reader are inverse."""

import random
import unittest
from decimal import Decimal
from typing import Any
from urllib.parse import parse_qsl, unquote, urlsplit

from lxml import etree

from saltpath.core.answers.subjects import find, read_subject
from saltpath.core.format.nodes import FormatError
from saltpath.core.format.reader import case_from_data, read_case
from saltpath.core.format.source import read_source
from saltpath.core.format.writer import write_document
from saltpath.core.references.scopes import Scope, Scopes
from saltpath.core.references.templates import compile_tree
from saltpath.core.running.bodies import body_of
from saltpath.core.running.prepare import prepare
from saltpath.core.values import plain
from saltpath.core.values.why import Blocked
from tests.core.test_checks import answer

HOSTILE = [
    "",
    "a",
    "a b",
    "a/b",
    "../..",
    "..",
    ".",
    "%2e",
    "a?b=c&d#e",
    "a&b=c",
    'say "x"',
    "it's",
    "\\",
    "\\u0041",
    "]]>",
    "</a>",
    "<!--",
    "<![CDATA[x]]>",
    "&amp;",
    "&#0;",
    "\n",
    "\r\nX-Evil: 1",
    "\t",
    "[=x]",
    "[?]",
    "${x}",
    "{{x}}",
    "ø€😀",
    "\u2028",
    "a\x00b",
    "'])|//*[('",
    "$..*",
    "x' or '1'='1",
    '"},{"a":"',
    "=1+1",
    "@host",
    ":8080",
    "http://evil/",
    "a\\",
    "a;b,c",
    "%",
    "+",
    " ",
]
OTHERS: list[Any] = [0, -1, Decimal("1318.40"), True, False, [1, "a"], {"k": "v]"}, 10**30]


def scopes(value: Any) -> Scopes:
    made = Scopes(Scope({"base": "http://127.0.0.1:1/api"}))
    made.kept.put("x", value)
    return made


def step(**fields: Any):
    data = {"request": "a", "send": "GET [=base]/v", **fields}
    return case_from_data({"salt-path": 1, "case": "x", "steps": [data]}).steps[0]


class Structure(unittest.TestCase):
    def each(self, values=(*HOSTILE, *OTHERS)):
        return [(value, plain.as_text(value), scopes(value)) for value in values]

    def test_json(self):
        text = '{ "a": "[=x]", "b": "<[=x]>", "[=x]": 1, "c": [ "[=x | text]" ] }'
        for value, shown, known in self.each():
            octets, _ = body_of(step(json=text).body, known)
            read = plain.read_json(octets)
            self.assertEqual(
                set(read),
                {"a", "b", shown, "c"} if shown not in ("a", "b", "c") else {"a", "b", "c"},
            )
            if shown not in ("a", "b", "c"):
                self.assertTrue(plain.same(read["a"], value))
                self.assertEqual(read["b"], f"<{shown}>", value)
                if not isinstance(value, list):  # whose items each become text
                    self.assertEqual(read["c"], [shown])

    def test_xml(self):
        text = "<r a='[=x]' b=\"[=x]\"><t>[=x]</t><c><![CDATA[[=x]]]></c></r>"
        for _value, shown, known in self.each():
            try:
                octets, _ = body_of(step(xml=text).body, known)
            except Blocked as problem:
                self.assertEqual(problem.reason.code, "not-in-xml")
                continue
            root = etree.fromstring(octets)
            self.assertEqual([child.tag for child in root], ["t", "c"])
            self.assertEqual((root.get("a"), root.get("b")), (shown, shown))
            self.assertEqual(root[0].text or "", shown)
            self.assertEqual(
                (root[1].text or "").replace("\r\n", "\n"), shown.replace("\r\n", "\n")
            )
            self.assertEqual(sum(len(child) for child in root), 0)

    def test_address_and_query(self):
        one = step(send="GET [=base]/v/[=x]/w?p=[=x]&q=1", query={"r": "[=x]"})
        for _value, shown, known in self.each():
            address = prepare(one, known).address
            parts = urlsplit(address)
            self.assertEqual(
                (parts.scheme, parts.netloc, parts.fragment), ("http", "127.0.0.1:1", "")
            )
            segments = parts.path.split("/")
            self.assertEqual(
                (segments[:3], segments[-1], len(segments)), (["", "api", "v"], "w", 5)
            )
            self.assertEqual(unquote(segments[3]), shown)
            self.assertNotIn(segments[3], (".", ".."))
            pairs = parse_qsl(parts.query, keep_blank_values=True)
            self.assertEqual(pairs, [("p", shown), ("q", "1"), ("r", shown)])

    def test_header_form_and_parts(self):
        one = step(headers={"X-One": "<[=x]>"}, form={"f": "[=x]", "g": "2"})
        for _value, shown, known in self.each():
            try:
                made = prepare(one, known)
            except Blocked as problem:
                self.assertEqual(problem.reason.code, "header-break")
                self.assertRegex(shown, r"[\x00-\x08\x0a-\x1f\x7f]")
                continue
            self.assertIn(("X-One", f"<{shown}>"), made.headers)
            self.assertEqual(
                parse_qsl((made.body or b"").decode(), keep_blank_values=True),
                [("f", shown), ("g", "2")],
            )
            octets, media = body_of(
                step(
                    multipart=[{"name": "n [=x]", "text": "[=x]"}, {"name": "m", "text": "2"}]
                ).body,
                known,
            )
            boundary = media.partition("boundary=")[2].encode()
            self.assertEqual(octets.count(b"--" + boundary), 3)
            self.assertIn(
                b"\r\n\r\n" + shown.encode("utf-8", "surrogatepass") + b"\r\n--" + boundary, octets
            )

    def test_path_and_xpath(self):
        for value in HOSTILE:
            with self.subTest(value=value):
                body = plain.write_json(
                    {"items": [{"name": value, "n": 1}, {"name": "other", "n": 2}], value: "here"}
                )
                by_name = find(
                    read_subject("$.items[?@.name == [=x]].n"), answer(body), scopes(value)
                )
                self.assertEqual([n for _, n in by_name.nodes], [1] if value != "other" else [1, 2])
                self.assertEqual(
                    [n for _, n in find(read_subject("$.[=x]"), answer(body), scopes(value)).nodes],
                    ["here"],
                )
                if not any(ord(char) < 32 for char in value):
                    xml = etree.tostring(_tree(value))
                    found = find(read_subject("//i[@name = [=x]]/n"), answer(xml), scopes(value))
                    self.assertEqual([n for _, n in found.nodes], ["1"])

    def test_pipes_and_patterns(self):
        for value, shown, known in self.each(HOSTILE):
            filled = known.fill(compile_tree('[="abc" | replace "b" with [=x]]'))
            self.assertEqual(filled, f"a{value}c")
            found = find(read_subject("body ~ <([=x])>"), answer(f"<{shown}>".encode()), known)
            self.assertEqual([n for _, n in found.nodes], [shown])


def _tree(name: str):
    root = etree.Element("r")
    for text, number in ((name, "1"), ("no such name at all", "2")):
        item = etree.SubElement(root, "i", name=text)
        etree.SubElement(item, "n").text = number
    return root


class Inverse(unittest.TestCase):
    """Documents made from a seed, with everything the format has: written, read, the same."""

    def document(self, chance: random.Random) -> dict[str, Any]:
        odd = [*HOSTILE[1:], "GET", "no", "12:30", "1e3", "~", "- a", "a: b", "# c"]
        plain_ones = [
            "East 4",
            "it's",
            "a: b",
            '"',
            "ø",
            "[=x | trim]",
            "[=any digits 6]",
            "1",
            "true",
        ]

        def text() -> str:
            return chance.choice(odd).replace("\x00", "")

        def safe() -> str:
            return chance.choice(plain_ones)

        checks = [
            {
                "of": "$.a",
                "is": chance.choice(
                    [1, Decimal("1.50"), None, True, safe(), [safe()], {"k": safe()}]
                ),
            },
            {
                "of": "$.b",
                "fits": {"a?": "[?text]", "l": ["[?any order]", {"n": safe()}, "[?more]"]},
            },
            {
                "when": {"of": "status", "is": 200},
                "then": [{"of": "$.c", "between": [1, 2]}],
                "note": safe(),
            },
            {"for each": "$.l[*]", "expect": [{"none of": [{"of": "$", "is": safe()}]}]},
            {"of": "$.t", "near": {"time": "now", "within": "5 min"}, "advice": True},
            {
                "of": "$",
                "schema": {
                    "type": "object",
                    "required": ["a"],
                    "properties": {"of": {"type": "string"}},
                },
            },
        ]
        bodies = [
            {"json": {"b": safe(), "a": [1, {"z": None}]}},
            {"json": '{ "a": "[=x]" }\n'},
            {"xml": "<a b='[=x]'>\n  c</a>\n"},
            {"text": safe() + "\nx\n", "type": "text/csv"},
            {"form": [["a", safe()], ["a", "2"]]},
            {"multipart": [{"name": "n", "file": "data/a.b"}]},
            {},
        ]
        one = {
            "request": safe(),
            "send": "POST [=base]/x",
            "headers": {"X-A": safe()},
            **chance.choice(bodies),
            "auth": chance.choice(
                [{"digest": ["u", safe()]}, {"key": {"in": "query", "name": "k", "value": safe()}}]
            ),
            "options": {
                "retries": {"times": 2, "also after sending": True},
                "timeout": "5 s",
                "namespaces": {"c": "urn:x"},
            },
            "repeat": {"until": {"of": "$.a", "is": 1}, "every": "1 s", "at most": "5 s"},
            "only if": [{"of": "value x", "present": True}],
            "expect": chance.sample(checks, chance.randrange(1, len(checks))),
            "keep": {"a": "$.a | trim", "b": {"of": "$.b", "secret": True}},
        }
        steps = [
            one,
            {"set": {"v": text(), "w": [1, safe()]}, "only if": {"of": "value v", "absent": True}},
            {"wait": "1 s"},
        ]
        return {
            "salt-path": 1,
            "case": safe(),
            "about": safe(),
            "values": {"v": text()},
            "once": [one],
            "steps": steps,
            "afterwards": [one],
            "at the end": [{"wait": "2 s"}],
            "every answer": [{"of": "time", "below": "1 s"}],
        }

    def test_what_is_written_reads_back(self):
        chance = random.Random(4)
        for turn in range(60):
            document = self.document(chance)
            text = write_document(document)
            again = read_source(text).root.data()
            self.assertTrue(plain.same(again, document), f"turn {turn}\n{text}")
            self.assertEqual(write_document(again), text)
            read_case(text)

    def test_hostile_files_end_in_a_sentence_with_a_line(self):
        good = write_document(self.document(random.Random(1)))
        deep = "salt-path: 1\ncase: x\nsteps:\n" + "".join("  " * n + "- \n" for n in range(1, 3))
        files = [
            *(good[: len(good) * part // 12] for part in range(1, 12)),
            good.replace("\n", "\r\n\x00", 1),
            "\ufeff" + good + "\ufffe",
            "a: " + "[" * 100_000,
            "- " * 50_000,
            "{" * 20_000,
            "salt-path: 1\ncase: &a [*a]\nsteps: []",
            "salt-path: 1\ncase: !!python/object:os.system x\nsteps: []",
            deep,
            "salt-path: 1\ncase: x\nsteps: " + "[" * 500 + "]" * 500,
            '{"salt-path": 1, "case": ' + "[" * 50_000,
            "salt-path: 1\ncase: x\nsteps:\n  - request: a\n    send: GET http://h/\n    xml: |\n "
            '     <!DOCTYPE a [<!ENTITY b "c">]><a>&b;</a>\n',
            "salt-path: 1\ncase: x\nvalues: { a: " + "9" * 5000 + " }\nsteps: []",
            "x" * 1_000_000,
        ]
        for number, text in enumerate(files):
            with self.subTest(number):
                try:
                    read_case(text, "x.case.yaml")
                except FormatError as problem:
                    self.assertTrue(all(p.sentence for p in problem.problems))
                    self.assertTrue(
                        any(p.line or p.path for p in problem.problems) or "steps" in str(problem),
                        str(problem)[:200],
                    )
