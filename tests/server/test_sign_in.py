"""The sign-in of a suite and of a project, as its address takes it: what is none is refused, and
nothing is lost."""

import unittest

from tests.application import Application

ODD = [
    "",
    {},
    [],
    0,
    False,
    True,
    7,
    "nobody",
    {"bearer": {}},
    {"bearer": [1]},
    {"basic": ["a"]},
    {"bearer": "x", "basic": ["a", "b"]},
    {"of": "x"},
    {"key": {"in": "body", "name": "n", "value": "v"}},
    {"bearer": "[=]"},
    {"": ""},
]


class SignIn(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.app = cls.enterClassContext(Application())

    def test_what_is_none_is_refused_and_null_takes_it_away(self):
        suite = self.app.ask("POST", "/suites", {"project": self.app.project, "name": "Berths"})[2][
            "id"
        ]
        made = self.app.ask(
            "POST",
            "/cases",
            {
                "project": self.app.project,
                "suite": suite,
                "document": {
                    "salt-path": 1,
                    "case": "Berths",
                    "steps": [{"request": "List", "send": "GET [=harbour]/berths"}],
                },
            },
        )[2]

        def level():
            return next(
                level
                for level in self.app.get(f"/cases/{made['id']}")["signIns"]
                if level["origin"] == "suite"
            )

        def put(auth):
            return self.app.ask(
                "PUT",
                f"/suites/{suite}/sign-in",
                {"auth": auth},
                If_Match=f'"{level()["version"]}"',
            )

        self.assertEqual(put({"bearer": "[=token]"})[0], 200)
        kept = level()
        for odd in ODD:
            with self.subTest(odd):
                self.assertIn(put(odd)[0], (400, 422))
                self.assertEqual(level(), kept)
        self.assertEqual(put(None)[0], 200)
        self.assertFalse(level().get("auth"))
