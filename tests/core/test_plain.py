"""Plain values and measures: kinds, equality, how they are shown."""

import unittest
from decimal import Decimal

from saltpath.core.values import measures, plain
from saltpath.core.values.nearest import listed, nearest
from saltpath.core.values.verdicts import worst
from saltpath.core.values.why import TEMPLATES, Why, why


class Kinds(unittest.TestCase):
    def test_one_number_that_only_the_patient_reader_takes_leaves_the_others_as_they_are(self):
        rest = '[1, -7, 1.50, true, null, 12345678901234567890, {"a": 3}]'
        patiently = plain.read_json(f"[{rest}, {'9' * 5_000}]")[0]
        self.assertEqual(list(map(type, patiently)), list(map(type, plain.read_json(rest))))
        self.assertEqual(patiently, plain.read_json(rest))

    def test_kinds(self):
        for value, kind in [
            (None, "null"),
            (True, "boolean"),
            (0, "integer"),
            (Decimal("15.0"), "integer"),
            (Decimal("15.5"), "number"),
            (Decimal("1e9999"), "number"),
            ("", "text"),
            ([], "list"),
            ({}, "object"),
        ]:
            with self.subTest(value=value):
                self.assertEqual(plain.kind_of(value), kind)

    def test_equality_is_strict_in_kind_and_free_in_notation(self):
        for left, right, equal in [
            (1, Decimal("1.0"), True),
            (Decimal("1e0"), 1, True),
            (1, True, False),
            (0, False, False),
            (None, False, False),
            ("1", 1, False),
            ({"a": [1, {"b": None}]}, {"a": [Decimal("1.00"), {"b": None}]}, True),
            ({"a": 1, "b": 2}, {"b": 2, "a": 1}, True),
            ([1, 2], [2, 1], False),
            ([True], [1], False),
            ({"a": 1}, {"a": 1, "b": None}, False),
        ]:
            with self.subTest(left=left, right=right):
                self.assertEqual(plain.same(left, right), equal)
                self.assertEqual(plain.same(right, left), equal)

    def test_numbers_in_text(self):
        for text, number in [
            ("15", 15),
            (" 15 ", 15),
            ("-0.50", Decimal("-0.50")),
            ("1e3", Decimal("1e3")),
            ("+7", 7),
            ("", None),
            ("15 m", None),
            ("1_000", None),
            ("NaN", None),
            ("Infinity", None),
            ("0x10", None),
            ("٣", None),
        ]:
            with self.subTest(text):
                self.assertEqual(plain.number_in(text), number)

    def test_too_long_numbers(self):
        for value, too_long in [
            (Decimal("1e400"), False),
            (Decimal("1e401"), True),
            (Decimal("1e-401"), True),
            (Decimal("1" * 1000), True),
            (Decimal("0." + "1" * 399), False),
            (10**1001, True),
            (10**300, False),
        ]:
            self.assertEqual(plain.too_long(value), too_long, str(value)[:12])

    def test_json_in_and_out_is_exact(self):
        text = b'{"a":1318.40,"b":9007199254740993,"c":[0.30,1E+3,null,true],"d":"\xc3\xa9"}'
        self.assertEqual(plain.write_json(plain.read_json(text)), text)
        for bad in [b"", b"{", b'{"a":1}x', b"nul", b"[1,]", b'"\xff"', b"[" * 100_000]:
            with self.subTest(bad[:10]), self.assertRaises(plain.NotPlain):
                plain.read_json(bad)

    def test_shown_and_cut(self):
        self.assertEqual(plain.show("a" * 300, 10), "“aaaaaaaa…")
        self.assertEqual(plain.show(None), "null")
        self.assertEqual(plain.show([Decimal("0.30"), True]), "[0.30,true]")


class Measures(unittest.TestCase):
    def test_durations_and_sizes(self):
        self.assertEqual(measures.duration("1.5 s"), 1_500_000)
        self.assertEqual(measures.duration("2 days"), 172_800_000_000)
        self.assertEqual(measures.duration("500us"), 500)
        self.assertEqual(measures.size("10 kB"), 10_000)
        for bad in ["5", 5, "5 m", "-1 s", "1,5 s", None, "s", "٣ s"]:
            with self.subTest(bad), self.assertRaises(ValueError):
                measures.duration(bad)
        for bad in ["5", "5 KB", "5 kb", []]:
            with self.subTest(bad), self.assertRaises(ValueError):
                measures.size(bad)

    def test_shown(self):
        shown = [measures.show_duration(us) for us in (900, 4_200, 41_300, 1_000_000, 1_234_000)]
        self.assertEqual(shown, ["0.9 ms", "4.2 ms", "41 ms", "1 s", "1.23 s"])
        self.assertEqual(
            [measures.show_size(size) for size in (11, 1_200, 5_000_000)],
            ["11 B", "1.2 kB", "5 MB"],
        )


class Words(unittest.TestCase):
    def test_nearest(self):
        names = ["total", "currency", "lines", "portCallId"]
        for wrong, right in [
            ("totl", "total"),
            ("Currency", "currency"),
            ("port_call_id", "portCallId"),
            ("xyz", None),
        ]:
            self.assertEqual(nearest(wrong, names), right)

    def test_lists_in_sentences(self):
        self.assertEqual(
            [listed([]), listed("a"), listed("ab"), listed("abc")],
            ["nothing", "a", "a and b", "a, b and c"],
        )
        self.assertEqual(listed("abcdefgh"), "a, b, c, d, e, f and 2 more")

    def test_the_worst_verdict(self):
        self.assertEqual(worst(["passed", "unchecked", "blocked", "failed"]), "failed")
        self.assertEqual(worst(["passed", "skipped"]), "passed")
        self.assertEqual(worst(["skipped"]), "skipped")
        self.assertEqual(worst([]), "skipped")

    def test_reasons_are_codes_with_parameters(self):
        reason = why("differs", actual="1", expected="2")
        self.assertEqual(reason.sentence, "was 1, expected 2")
        self.assertEqual(reason.about("$.a").sentence, "$.a was 1, expected 2")
        self.assertEqual(Why("differs", {"actual": "1"}).sentence, "was 1, expected (expected)")
        self.assertEqual(Why("of a later version", {}).sentence, "of a later version")
        for code, template in TEMPLATES.items():
            self.assertFalse(template.endswith((".", "!")), code)
