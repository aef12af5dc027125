"""Cases that have the steps of shared ones written out."""

import unittest

from saltpath.core.assist.inspect import inspect, surroundings
from saltpath.core.assist.shared_matches import alike
from saltpath.core.cases.shared import linked
from saltpath.core.format.reader import case_from_data

SHARED = {
    "salt-path": 1,
    "shared": "Sign in",
    "inputs": {"who": {"kind": "text", "default": "pilot"}, "spare": {"default": 7}},
    "outputs": {"token": "[=kept.token]", "both": "[=kept.token]-x"},
    "steps": [
        {
            "request": "Ask",
            "key": "askt0k",
            "send": "POST [=harbour]/sessions",
            "json": {"user": "[=who]"},
            "expect": [{"of": "status", "is": 201}],
            "keep": {"token": {"of": "$.token", "secret": True}},
        },
        {
            "request": "Look",
            "key": "l00kat",
            "send": "GET [=harbour]/me",
            "auth": {"bearer": "[=token]"},
            "keep": {"me": "$.id"},
        },
    ],
}


def case(**change):
    steps = [
        {"request": "First", "key": "first1", "send": "GET [=harbour]/berths"},
        {
            "request": "Please",
            "key": "pl3ase",
            "send": "POST [=harbour]/sessions",
            "json": {"user": "[=case.who]"},
            "expect": [{"of": "status", "is": 201, "note": "in"}],
            "keep": {"desk": {"of": "$.token", "secret": True}},
        },
        {
            "request": "See",
            "key": "s33it1",
            "send": "GET [=harbour]/me",
            "auth": {"bearer": "[=kept.desk]"},
            "keep": {"id": "$.id"},
        },
        {
            "request": "Go on",
            "key": "g00n01",
            "send": "GET [=harbour]/calls",
            "auth": {"bearer": "[=desk]"},
            **change,
        },
    ]
    return {"salt-path": 1, "case": "x", "values": {"who": "desk"}, "steps": steps}


class Alike(unittest.TestCase):
    def found(self, document):
        return alike(SHARED, "sign-in", case_from_data(document), document)

    def test_they_are_found_whatever_they_are_called(self):
        found = self.found(case())
        self.assertEqual(found.keys, ("pl3ase", "s33it1"))
        first, use, last = found.document["steps"]
        self.assertEqual(
            use, {"shared": "sign-in", "with": {"who": "[=who]"}, "gives": {"token": "desk"}}
        )
        self.assertEqual((first["key"], last["key"]), ("first1", "g00n01"))
        after = linked(case_from_data(found.document), {"sign-in": case_from_data(SHARED)})
        around = surroundings(["harbour"], None, after.values, [])
        self.assertEqual(
            [finding.sentence for finding in inspect(after, around) if finding.weight == "error"],
            [],
        )

    def test_what_does_something_else_is_another(self):
        for number, field, value in (
            (1, "expect", []),
            (1, "send", "PUT [=harbour]/sessions"),
            (2, "auth", {"bearer": "[=other]"}),
            (2, "keep", {}),
        ):
            document = case()
            document["steps"][number] = {**document["steps"][number], field: value}
            self.assertIsNone(self.found(document), field)

    def test_what_is_not_given_keeps_them_where_they_are(self):
        self.assertIsNone(
            self.found(case(headers={"X-Id": "[=id]"})), "the shared steps do not give it"
        )
        self.assertIsNone(alike({**SHARED, "steps": []}, "x", case_from_data(case()), case()))
