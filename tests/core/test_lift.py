"""What stands written out becomes a value, and values as the cells of a table."""

import unittest
from collections.abc import Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any

from saltpath.core.assist.lift import lifted, offers
from saltpath.core.assist.value_cells import (
    Wanted,
    read_value,
    wanted_by,
    with_value,
    with_value_in,
    write_value,
)
from saltpath.core.format.reader import case_from_data
from saltpath.core.format.source import read_source
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.plain import is_number, write_json

DEMO = Path(__file__).resolve().parents[2] / "src/saltpath/demo"
HOST = "http://127.0.0.1:8429"
CASE = {
    "salt-path": 1,
    "case": "Weather and berths",
    "steps": [
        {
            "request": "Read",
            "send": f"GET {HOST}/now?vessel=V-101",
            "expect": [{"of": "$.id", "is": "V-101"}],
        },
        {
            "request": "Send",
            "send": "POST [=harbour]/vessels/V-101/berths",
            "headers": {"Origin": HOST, "X-Length": "23"},
            "json": '{ "V-101": "V-101",\n  "length": 23, "of": "V-1012" }\n',
            "expect": [
                {"when": {"of": "$.length", "is": 23}, "then": [{"of": "$.id", "is": "V-101"}]}
            ],
        },
    ],
}


def leaves(held: Any) -> Iterator[Any]:
    """Texts without references, and numbers."""
    if isinstance(held, dict | list):
        for inner in held.values() if isinstance(held, dict) else held:
            yield from leaves(inner)
    elif is_number(held) or (isinstance(held, str) and "[=" not in held):
        yield held


class Lifting(unittest.TestCase):
    def test_where_requests_go(self):
        document, places = lifted(CASE, HOST, "weather")
        self.assertEqual(document["steps"][0]["send"], "GET [=weather]/now?vessel=V-101")
        self.assertEqual(document["steps"][1]["headers"]["Origin"], "[=weather]")
        self.assertEqual(
            [place.path for place in places], ["steps[0].send", "steps[1].headers.Origin"]
        )

    def test_an_address_that_only_begins_alike_stays(self):
        self.assertEqual(lifted(CASE, "http://127.0.0.1:842", "weather"), (CASE, []))

    def test_a_text_as_a_whole(self):
        document, places = lifted(CASE, "V-101", "vessel")
        self.assertEqual(document["steps"][0]["send"], f"GET {HOST}/now?vessel=[=vessel]")
        self.assertEqual(document["steps"][1]["send"], "POST [=harbour]/vessels/[=vessel]/berths")
        self.assertEqual(
            document["steps"][1]["json"],
            '{ "V-101": "[=vessel]",\n  "length": 23, "of": "V-1012" }\n',
        )
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

    def test_only_where_a_value_can_stand(self):
        """Names, words of the format and subjects stay, though they read the same."""
        step = {
            "request": "v7",
            "send": "POST http://h/v7",
            "headers": [["v7", "v7"], ["a", "b"]],
            "json": {"type": "v7", "note": ["v7"], "v7": {"key": "v7"}},
            "auth": {"key": {"in": "header", "name": "v7", "value": "v7"}},
            "repeat": {"until": [{"of": "$.state", "is": "v7"}], "every": "1 s", "at most": "20 s"},
            "expect": [
                {"for each": "$.v7", "expect": [{"of": "$", "is": {"type": "v7"}, "note": "v7"}]},
                {"of": "$", "kind": "text"},
            ],
            "keep": {"v7": "$.v7"},
            "write": {"table": "v7", "columns": {"v7": "'v7'"}},
        }
        look_up = {
            "look up": "v7",
            "in": "v7",
            "rows of": "v7",
            "columns": ["v7"],
            "where": {"v7": "v7"},
            "order by": "v7",
        }
        each = {
            "for each": ["v7", "b"],
            "as": "v7",
            "steps": [{"set": {"v7": "v7"}}, {"wait": "1 s"}],
        }
        used = {"shared": "v7", "with": {"v7": "v7"}, "gives": {"v7": "v7"}}
        document, _ = lifted(
            {"salt-path": 1, "case": "v7", "steps": [step, look_up, each, used]}, "v7", "it"
        )
        self.assertEqual(
            document["steps"],
            [
                {
                    **step,
                    "send": "POST http://h/[=it]",
                    "headers": [["v7", "[=it]"], ["a", "b"]],
                    "json": {"type": "[=it]", "note": ["[=it]"], "v7": {"key": "[=it]"}},
                    "auth": {"key": {"in": "header", "name": "v7", "value": "[=it]"}},
                    "repeat": {**step["repeat"], "until": [{"of": "$.state", "is": "[=it]"}]},
                    "expect": [
                        {
                            "for each": "$.v7",
                            "expect": [{"of": "$", "is": {"type": "[=it]"}, "note": "v7"}],
                        },
                        {"of": "$", "kind": "text"},
                    ],
                },
                {**look_up, "where": {"v7": "[=it]"}},
                {
                    **each,
                    "for each": ["[=it]", "b"],
                    "steps": [{"set": {"v7": "[=it]"}}, {"wait": "1 s"}],
                },
                {**used, "with": {"v7": "[=it]"}},
            ],
        )
        case_from_data(document)
        for text in ("1 s", "20 s", "text", "$.v7", "header"):
            self.assertEqual(lifted(document, text, "other"), (document, []), text)

    def test_whatever_is_lifted_leaves_a_case(self):
        """Every text and number of the demonstration's cases; and what was put in can be taken out
        again."""
        done = 0
        for file in sorted(DEMO.rglob("*.case.yaml")):
            document = read_source(file.read_text(encoding="utf-8")).root.data()
            for value in set(leaves(document)):
                again, places = lifted(document, value, "liftedName")
                if not places:
                    self.assertEqual(again, document)
                    continue
                done += 1
                with self.subTest(file=file.name, value=value):
                    case_from_data(again)
                    if isinstance(value, str) and value.isalnum():
                        text = write_json(again).decode().replace("[=liftedName]", value)
                        self.assertEqual(text, write_json(document).decode())
        self.assertGreater(done, 100)

    def test_what_is_offered(self):
        twice = {
            "steps": [
                {"request": "A", "send": f"GET {HOST}/a"},
                {"request": "B", "send": f"GET {HOST}/b"},
            ]
        }
        found = offers([CASE, twice], ["weather"])
        self.assertEqual(
            [(offer.value, offer.steps, offer.cases) for offer in found], [(HOST, 4, 2)]
        )
        self.assertEqual(found[0].name, "host")
        self.assertEqual(offers([twice, {"steps": twice["steps"][:1]}], ["host"])[0].name, "host2")


class Cells(unittest.TestCase):
    def test_a_value_comes_back_from_its_cell(self):
        for value in (
            "desk",
            "",
            "007",
            "1318.40",
            "true",
            " x ",
            7,
            Decimal("1318.40"),
            True,
            None,
            [1, "a"],
            {"a": {}},
            '"q"',
            "[=now +2 days]",
            "two\nlines",
        ):
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
                    {
                        "request": "A",
                        "send": "GET [=harbour]/[=own]/[=suite.own]",
                        "keep": {"id": "$.id"},
                    },
                    {
                        "request": "B",
                        "send": "GET [=harbour]/[=id]",
                        "headers": {"S": "[='x' | hmac-sha256 sign]"},
                    },
                ],
            }
        )
        expected = {
            Wanted("harbour", None),
            Wanted("fromProject", None),
            Wanted("own", "suite"),
            Wanted("sign", None),
        }
        self.assertEqual(wanted_by(case), expected)
