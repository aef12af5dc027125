"""XML read safely, places that are exact, XPath as testers write it, and what is told where it
finds nothing."""

import random
import unittest
from decimal import Decimal

from saltpath.core.paths.xml_tree import (
    NotXml,
    XPathError,
    as_xpath_literal,
    check_xpath,
    evaluate,
    is_quick,
    place_of,
    read_xml,
)
from saltpath.core.values.why import Blocked

CARGO = b"""<?xml version="1.0"?>
<cargo xmlns="urn:fernholm:cargo" xmlns:q="urn:fernholm:quays" number="C-7">
  <item kind="dry"><name>kelp meal</name><tonnes>12.50</tonnes></item>
  <item kind="dry"><name>salt</name><tonnes>3.40</tonnes><q:quay>East 4</q:quay></item>
  <note lang="en">no <b>naked</b> flame</note>
  <empty/>
  <other xmlns:r="urn:fernholm:rails"><r:track>2</r:track></other>
</cargo>"""


def values(expression: str, octets: bytes = CARGO, **namespaces: str) -> list:
    return [node.value for node in evaluate(read_xml(octets), expression, namespaces)]


class Reading(unittest.TestCase):
    def test_charsets(self):
        text = '<?xml version="1.0" encoding="{}"?><a>Nattbølge</a>'
        for charset, given in (
            ("utf-8", ""),
            ("utf-16", ""),
            ("iso-8859-1", ""),
            ("iso-8859-1", "latin-1"),
            ("windows-1252", "cp1252"),
        ):
            with self.subTest(charset):
                octets = text.format(charset).encode(charset)
                self.assertEqual(read_xml(octets, given).root.text, "Nattbølge")
        self.assertEqual(
            read_xml("<a>ø</a>".encode("latin-1"), "iso-8859-1").root.text,
            "ø",
            "the header says it",
        )
        self.assertEqual(read_xml(b"\n  <a/>").root.tag, "a")
        with self.assertRaisesRegex(NotXml, "klingon"):
            read_xml(b"<a/>", "klingon")

    def test_what_is_none(self):
        for octets, words in [
            (b"", ""),
            (b"plain text", "line 1"),
            (b"<a>\n<b>\n</a>", "line 3"),
            (b"<a/><b/>", "line 1"),
            (b"<a b=1/>", "line 1"),
            (b"<a>&nbsp;</a>", "nbsp"),
            (b"<a>\x01</a>", "line 1"),
            (b"<a>\xff</a>", "line 1"),
            (b'{"a": 1}', "line 1"),
        ]:
            with self.subTest(octets), self.assertRaisesRegex(NotXml, words):
                read_xml(octets)

    def test_entities_are_not_read(self):
        for octets in (
            b'<!DOCTYPE a [<!ENTITY x SYSTEM "file:///etc/passwd">]><a>&x;</a>',
            b'<!DOCTYPE a [<!ENTITY x SYSTEM "http://127.0.0.1:1/x">]><a>&x;</a>',
            b'<!DOCTYPE a [<!ENTITY x "y">]><a>&x;</a>',
            b'<!DOCTYPE a [<!ENTITY % p SYSTEM "file:///etc/passwd">%p;]><a/>',
            b"<!DOCTYPE a ["
            + b"".join(
                b'<!ENTITY e%d "%s">' % (n, b"&e%d;" % (n - 1) * 10 if n else b"ha")
                for n in range(12)
            )
            + b"]><a>&e11;</a>",
        ):
            with self.subTest(octets[:60]), self.assertRaisesRegex(NotXml, "entities"):
                read_xml(octets)
        self.assertEqual(
            read_xml(b"<a>&lt;&#228;&amp;</a>").root.text, "<ä&", "its own five and numbers are"
        )

    def test_too_deep(self):
        self.assertIsNotNone(read_xml(b"<a>" * 200 + b"</a>" * 200))
        for levels in (300, 100_000):
            with self.subTest(levels), self.assertRaises(Blocked) as raised:
                read_xml(b"<a>" * levels + b"</a>" * levels)
            self.assertEqual(raised.exception.reason.code, "too-deep")


class Finding(unittest.TestCase):
    def test_expressions(self):
        for expression, wanted in [
            ("/_:cargo/@number", ["C-7"]),
            ("//_:name", ["kelp meal", "salt"]),
            ("/_:cargo/_:item[2]/q:quay", ["East 4"]),
            ("//_:item[_:name='salt']/_:tonnes", ["3.40"]),
            ("//_:item[last()]/_:name", ["salt"]),
            ("//_:note", ["no naked flame"]),
            ("//_:note/text()", ["no ", " flame"]),
            ("//_:empty", [""]),
            ("//r:track", ["2"]),
            ("//*[local-name()='quay']", ["East 4"]),
            ("count(//_:item)", [2]),
            ("sum(//_:tonnes)", [Decimal("15.9")]),
            ("string(//_:item/@kind)", ["dry"]),
            ("boolean(//_:gone)", [False]),
            ("count(//_:item) = 2", [True]),
            ("1 div 0", ["inf"]),
            ("//_:gone", []),
            ("//_:name | //q:quay", ["kelp meal", "salt", "East 4"]),
        ]:
            with self.subTest(expression):
                self.assertEqual(values(expression), wanted)

    def test_prefixes_of_the_steps_own(self):
        self.assertEqual(values("//c:name", c="urn:fernholm:cargo"), ["kelp meal", "salt"])
        self.assertEqual(
            values("//q:name", q="urn:fernholm:cargo"), ["kelp meal", "salt"], "they win"
        )
        with self.assertRaisesRegex(XPathError, "the prefixes are _, q, r"):
            values("//nobody:name")

    def test_what_is_no_xpath(self):
        for expression in ("//[", "/a[", "//a[@", "a b", "//a]", "f(", "'", ""):
            with self.subTest(expression), self.assertRaises(XPathError):
                check_xpath(expression)
                values(expression)
        with self.assertRaises(XPathError):
            values("nobody-knows(//_:item)")

    def test_a_place_leads_back_to_its_node(self):
        chance = random.Random(5)
        names = ["a", "b", "q:c"]

        def element(levels: int) -> str:
            name = chance.choice(names)
            inner = (
                "".join(element(levels - 1) for _ in range(chance.randint(0, 3))) if levels else "x"
            )
            return f'<{name} n="{chance.randint(0, 9)}">{inner}</{name}>'

        for _ in range(60):
            octets = f'<a xmlns="urn:one" xmlns:q="urn:two">{element(4)}{element(3)}</a>'.encode()
            document = read_xml(octets)
            for node in document.root.iter():
                found = document.root.getroottree().xpath(
                    place_of(node, document), namespaces=document.names
                )
                self.assertEqual(found, [node])
            for node in evaluate(document, "//@n", {}):
                self.assertEqual(len(evaluate(document, node.place, {})), 1)

    def test_what_is_surely_quick(self):
        for expression in (
            "/a/b",
            "//a[2]/@b",
            "count(//x:item)",
            "//a[@k='v']/b",
            "/a/b[last()]/text()",
            "string(/a)",
        ):
            self.assertTrue(is_quick(expression, 1000), expression)
        for expression in (
            "//a//b",
            "//a[.//b]",
            "//*[count(//*) > 1]",
            "//a[b[c[d]]]",
            "/a/ancestor::b",
            "//a | //b",
        ):
            self.assertFalse(is_quick(expression, 1000), expression)
        self.assertFalse(is_quick("/a/b", 10_000_000))

    def test_literals(self):
        for text in ("plain", "it's", 'say "so"', "both ' and \"", "''\"\"'", ""):
            literal = as_xpath_literal(text)
            check_xpath(f"//a[. = {literal}]")
            self.assertEqual(values(f"string({literal})"), [text])
        self.assertEqual(
            [as_xpath_literal(value) for value in (True, False, 12, Decimal("1.50"))],
            ["true()", "false()", "12", "1.50"],
        )
