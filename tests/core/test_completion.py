"""What a reference that is being typed could be: pipes on the real value, generators from the
seed."""

import unittest

from saltpath.core.assist.completion import fit, offered
from saltpath.core.references.scopes import Scope, Scopes


def scopes(**values):
    made = Scopes(Scope(values))
    made.seeded = (4711, "case", 1)
    made.begin_step("step01")
    return made


class Offers(unittest.TestCase):
    def texts(self, typed, **values):
        return {item.text: item.value for item in offered(typed, scopes(**values))}

    def test_pipes_that_fit_the_value(self):
        found = self.texts("name | ", name="  Marrow Finch ", lines=[1, 2])
        self.assertEqual(found["name | trim"], "“Marrow Finch”")
        self.assertEqual(found["name | upper"], "“  MARROW FINCH ”")
        self.assertNotIn("name | sum", found)
        self.assertEqual(self.texts("lines | su", lines=[1, 2]), {"lines | sum": "3"})

    def test_places_by_what_is_typed_of_their_path_their_name_or_their_value(self):
        send = "GET [=harbour]/entries?limit=2"
        ranks = {
            "coun": 0,
            "": 0,
            " COUNT ": 0,
            "meta.co": 1,
            "$.meta": 1,
            "metaCount": 2,
            "entryCount": 2,
            "entryCo": 2,
            "entryCount2": 2,
            "17": 3,
            "vesselCount": None,
            "entryName": None,
            "18": None,
            "()": None,
        }
        for typed, rank in ranks.items():
            with self.subTest(typed):
                self.assertEqual(fit(typed, "$.meta.count", "17", send), rank)
        self.assertEqual(fit("fee", "$['fee total']", "3", send), 1)
        self.assertEqual(fit("id", "$.items[0].id", "7", send), 0)
        self.assertEqual(fit("PC-", "$.items[0].id", "“PC-20931”", send), 3)

    def test_one_after_another_and_as_it_is_typed(self):
        found = self.texts("name | trim | cut 0 to 6", name="  Marrow Finch ")
        self.assertEqual(found["name | trim | cut 0 to 6"], "“Marrow”")

    def test_generators_are_drawn_from_the_seed(self):
        found = self.texts("any dig")
        self.assertEqual(list(found), ["any digits 6"])
        self.assertEqual(found, self.texts("any dig"), "the same seed, the same example")
        self.assertRegex(self.texts("any letters 3")["any letters 3"], r"^“[A-Za-z]{3}”$")
        self.assertGreater(len(self.texts("")), 10)

    def test_nothing_for_what_is_not_there(self):
        self.assertEqual(list(self.texts("nowhere | ")), ['nowhere | default "none"'])
        self.assertEqual(
            self.texts('name | replace /(a|a)*$/ with ""', name="a" * 40).get("name | upper"), None
        )
