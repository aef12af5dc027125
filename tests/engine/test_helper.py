"""The process that answers slow questions: what its limit counts, and what it leaves."""

import time
import unittest

from msgspec import Struct

from saltpath.core.checks.schema_check import SchemaAsked
from saltpath.core.paths import offloading
from saltpath.engine.helper import Helper
from tests.engine.late import Late


class Endless(Struct, frozen=True):
    def answer(self) -> None:
        while True:
            pass


class Waiting(Struct, frozen=True):
    """It has no core for a while, as on a machine that is busy with others."""

    def answer(self) -> str:
        time.sleep(0.3)
        return "late"


class Asked(unittest.TestCase):
    def setUp(self) -> None:
        self.helper = Helper()
        self.addCleanup(self.helper.close)

    def test_the_first_of_a_kind_is_not_held_up_by_reading_its_modules(self):
        self.assertEqual(self.helper.ask(Late()), "here")

    def test_a_first_schema(self):
        self.assertEqual(
            self.helper.ask(SchemaAsked(b'{"type": "string"}', b"5")),
            [("", "5 is an integer, not text")],
        )

    def test_what_takes_too_long_is_ended_and_the_next_is_answered(self):
        self.assertIsInstance(self.helper.ask(Endless()), offloading.TooSlow)
        self.assertEqual(self.helper.ask(Late()), "here")

    def test_only_the_time_that_it_had_a_core_counts(self):
        helper = Helper(0.1)
        self.addCleanup(helper.close)
        self.assertEqual(helper.ask(Waiting()), "late")
        self.assertIsInstance(helper.ask(Endless()), offloading.TooSlow)


if __name__ == "__main__":
    unittest.main()
