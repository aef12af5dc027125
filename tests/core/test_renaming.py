"""A value called otherwise, where it is meant and nowhere else."""

import unittest

from saltpath.core.assist.renaming import means_another, renaming
from saltpath.core.format.reader import case_from_data


class Renaming(unittest.TestCase):
    def test_where_it_is_meant(self):
        renamed = renaming("pin", "agentPin", "project", bare=True)
        for before, after in (
            ("[=pin]", "[=agentPin]"),
            (
                "[=project.pin | trim]-[=pins]-[=kept.pin]",
                "[=project.agentPin | trim]-[=pins]-[=kept.pin]",
            ),
            ("[='x' | hmac-sha256 pin]", "[='x' | hmac-sha256 agentPin]"),
            ("[=pin|upper]", "[=agentPin|upper]"),
            ("pin", "pin"),
        ):
            self.assertEqual(renamed({"a": [before]}), {"a": [after]})
        self.assertEqual(
            renamed({"of": "value pin", "is": "pin"}), {"of": "value agentPin", "is": "pin"}
        )
        self.assertEqual(
            renamed(
                {"for each": "value pin | split ,", "expect": [{"of": "$", "is": "value pin"}]}
            ),
            {"for each": "value agentPin | split ,", "expect": [{"of": "$", "is": "value pin"}]},
        )
        self.assertEqual(
            renamed(
                {
                    "keep": {
                        "a": "value pin",
                        "pin": "$.pin",
                        "b": {"of": "value pin", "secret": True},
                    },
                    "for each": [{"a": "[=pin]"}],
                }
            ),
            {
                "keep": {
                    "a": "value agentPin",
                    "pin": "$.pin",
                    "b": {"of": "value agentPin", "secret": True},
                },
                "for each": [{"a": "[=agentPin]"}],
            },
        )
        self.assertEqual(
            renamed(
                {
                    "write": {"table": "t", "columns": {"pin": "value pin", "x": "pin"}},
                    "rows": {"make": 1, "columns": {"a": "value pin"}},
                }
            ),
            {
                "write": {"table": "t", "columns": {"pin": "value agentPin", "x": "pin"}},
                "rows": {"make": 1, "columns": {"a": "value pin"}},
            },
        )

    def test_what_a_tester_sends_or_expects_is_no_subject(self):
        renamed = renaming("pin", "agentPin", "project", bare=True)
        own = {
            "of": "value pin",
            "keep": {"a": "value pin"},
            "table": "t",
            "columns": {"a": "value pin"},
            "b": "[=pin]",
        }
        for key in ("json", "is", "fits", "with", "set"):
            self.assertEqual(renamed({key: own}), {key: {**own, "b": "[=agentPin]"}})

    def test_only_with_its_scope_where_the_name_means_another(self):
        renamed = renaming("pin", "agentPin", "project", bare=False)
        self.assertEqual(renamed("[=pin] [=project.pin]"), "[=pin] [=project.agentPin]")
        step = {"request": "A", "send": "GET [=x]", "keep": {"pin": "$.pin"}}
        self.assertTrue(
            means_another(case_from_data({"salt-path": 1, "case": "x", "steps": [step]}), "pin")
        )
