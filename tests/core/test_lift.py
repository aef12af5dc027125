"""What stands written out becomes a value, and values as the cells of a table."""

import unittest
from decimal import Decimal

from saltpath.core.format.reader import case_from_data
from saltpath.core.grammar import Unreadable
from saltpath.core.lift import lifted, offers
from saltpath.core.values import Wanted, read_value, wanted_by, with_value, with_value_in, write_value

HOST = "http://127.0.0.1:8429"
CASE = {
    "salt-path": 1,
    "case": "Weather and berths",
    "steps": [
        {"request": "Read", "send": f"GET {HOST}/now?vessel=V-101", "expect": [{"of": "$.id", "is": "V-101"}]},
        {
            "request": "Send",
            "send": "POST [=harbour]/vessels/V-101/berths",
            "headers": {"Origin": HOST, "X-Length": "23"},
            "json": '{ "V-101": "V-101",\n  "length": 23, "of": "V-1012" }\n',
            "expect": [{"when": {"of": "$.length", "is": 23}, "then": [{"of": "$.id", "is": "V-101"}]}],
        },
    ],
}


class Lifting(unittest.TestCase):
    def test_where_requests_go(self):
        document, places = lifted(CASE, HOST, "weather")
        self.assertEqual(document["steps"][0]["send"], "GET [=weather]/now?vessel=V-101")
        self.assertEqual(document["steps"][1]["headers"]["Origin"], "[=weather]")
        self.assertEqual([place.path for place in places], ["steps[0].send", "steps[1].headers.Origin"])

    def test_an_address_that_only_begins_alike_stays(self):
        self.assertEqual(lifted(CASE, "http://127.0.0.1:842", "weather"), (CASE, []))

    def test_a_text_as_a_whole(self):
        document, places = lifted(CASE, "V-101", "vessel")
        self.assertEqual(document["steps"][0]["send"], f"GET {HOST}/now?vessel=[=vessel]")
        self.assertEqual(document["steps"][1]["send"], "POST [=harbour]/vessels/[=vessel]/berths")
        self.assertEqual(document["steps"][1]["json"], '{ "V-101": "[=vessel]",\n  "length": 23, "of": "V-1012" }\n')
        self.assertEqual(document["steps"][0]["expect"], [{"of": "$.id", "is": "[=vessel]"}])
        self.assertEqual(document["steps"][1]["expect"][0]["then"][0]["is"], "[=vessel]")
        self.assertEqual(len(places), 5)
        case_from_data(document)

    def test_a_number_stays_a_number_and_as_a_text_a_text(self):
        document, _ = lifted(CASE, 23, "length")
        self.assertIn('"length": "[=length]"', document["steps"][1]["json"])
        self.assertEqual(document["steps"][1]["headers"]["X-Length"], "[=length | text]")
        self.assertEqual(document["steps"][1]["expect"][0]["when"]["is"], "[=length]")

    def test_what_is_left_stays(self):
        document, places = lifted(CASE, "V-101", "vessel", frozenset(["steps[0].send"]))
        self.assertEqual(document["steps"][0]["send"], CASE["steps"][0]["send"])
        self.assertEqual(len(places), 5)

    def test_what_is_offered(self):
        twice = {"steps": [{"request": "A", "send": f"GET {HOST}/a"}, {"request": "B", "send": f"GET {HOST}/b"}]}
        found = offers([CASE, twice], ["weather"])
        self.assertEqual([(offer.value, offer.steps, offer.cases) for offer in found], [(HOST, 4, 2)])
        self.assertEqual(found[0].name, "host")
        self.assertEqual(offers([twice, {"steps": twice["steps"][:1]}], ["host"])[0].name, "host2")


class Cells(unittest.TestCase):
    def test_a_value_comes_back_from_its_cell(self):
        for value in ("desk", "", "007", "1318.40", "true", " x ", 7, Decimal("1318.40"), True, None, [1, "a"], {"a": {}}, '"q"',
                      "[=now +2 days]", "two\nlines"):  # fmt: skip
            with self.subTest(value=value):
                self.assertEqual(read_value(write_value(value)), value)

    def test_a_reference_that_cannot_be_read_is_refused(self):
        with self.assertRaises(Unreadable):
            read_value("[=any nonsense")

    def test_values_keep_their_place(self):
        document = with_value({"project": "x", "values": {"a": 1, "b": 2}}, "a", 3)
        self.assertEqual(list(document["values"].items()), [("a", 3), ("b", 2)])
        self.assertNotIn("values", with_value({"values": {"a": 1}}, "a", ...))
        suite = with_value_in({"suite": "x"}, "Live", "fee", 3)
        self.assertEqual(suite["values in"], {"Live": {"fee": 3}})
        self.assertEqual(with_value_in(suite, "Live", "fee", ...), {"suite": "x"})

    def test_what_a_case_looks_for(self):
        case = case_from_data(
            {
                "salt-path": 1,
                "case": "x",
                "values": {"own": "[=fromProject]"},
                "steps": [
                    {"request": "A", "send": "GET [=harbour]/[=own]/[=suite.own]", "keep": {"id": "$.id"}},
                    {"request": "B", "send": "GET [=harbour]/[=id]", "headers": {"S": "[='x' | hmac-sha256 sign]"}},
                ],
            }
        )
        expected = {Wanted("harbour", None), Wanted("fromProject", None), Wanted("own", "suite"), Wanted("sign", None)}
        self.assertEqual(wanted_by(case), expected)
