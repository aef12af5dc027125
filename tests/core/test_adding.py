"""What docs/development/adding.md says: a made relation, by one entry alone, is read, judged, a
sentence, typed, in the schema, the documentation and the cells of a sheet."""

import unittest
from decimal import Decimal
from typing import Any

import jsonschema

from saltpath.core.answers.subjects import Subject
from saltpath.core.checks.relations import TABLE, Setting, opposites, phrases
from saltpath.core.checks.relations.operand import FIRST_WORDS, Operand, measure_fault
from saltpath.core.checks.relations.table import relation
from saltpath.core.checks.sentences import sentence
from saltpath.core.checks.typed import read_sentence, suggestions, write_sentence
from saltpath.core.format import schema, tables, words
from saltpath.core.format.nodes import FormatError
from saltpath.core.format.reader import case_from_data
from saltpath.core.sheet.cells import read_cells, write_cells
from saltpath.core.values import plain
from saltpath.core.values.why import Why, why
from tests.harbour import case, run_text


def add_multiple_of() -> None:
    """The recipe's example."""

    def fault(value: Any, subject: Subject) -> str:
        wrong = measure_fault(value, subject)
        return "a number above 0" if not wrong and value == 0 else wrong

    number = Operand({"type": ["number", "string"]}, fault)

    @relation(
        "multiple of",
        "a whole number of times another",
        (Decimal("1318.40"), Decimal("0.05")),
        "is a multiple of",
        number,
        everyday=("multiple of", "a whole number of"),
    )
    def _multiple_of(actual: Any, expected: Any, setting: Setting) -> Why | None:
        if plain.is_number(actual) and Decimal(actual) % Decimal(expected) == 0:
            return None
        return why("differs", actual=plain.show(actual), expected=f"a multiple of {expected}")


class ARelation(unittest.TestCase):
    def setUp(self):
        before, first = dict(TABLE), set(FIRST_WORDS)
        add_multiple_of()

        def put_back():
            TABLE.clear()
            TABLE.update(before)
            FIRST_WORDS.clear()
            FIRST_WORDS.update(first)
            phrases.cache_clear()
            opposites.cache_clear()

        self.addCleanup(put_back)
        self.check = {"of": "$.fee", "multiple of": Decimal("0.05")}

    def test_it_is_read_and_refused(self):
        step = {"request": "A", "send": "GET http://h", "expect": [self.check]}
        [made] = case_from_data({"salt-path": 1, "case": "A", "steps": [step]}).steps
        self.assertEqual(
            (made.expect[0].relation, made.expect[0].expected), ("multiple of", Decimal("0.05"))
        )
        step["expect"] = [{"of": "$.fee", "multiple of": 0}]
        with self.assertRaises(FormatError) as refused:
            case_from_data({"salt-path": 1, "case": "A", "steps": [step]})
        self.assertIn("multiple of needs a number above 0; found 0", str(refused.exception))

    def test_it_reads_as_a_sentence_and_is_typed(self):
        self.assertEqual(
            sentence("$.fee", "multiple of", Decimal("0.05")), "$.fee is a multiple of 0.05"
        )
        self.assertEqual(write_sentence(self.check), "$.fee is a multiple of 0.05")
        for typed in (
            "$.fee is a multiple of 0.05",
            "$.fee multiple of 0.05",
            "$.fee a whole number of 0.05",
        ):
            self.assertEqual(read_sentence(typed), self.check)
        self.assertEqual(suggestions("$.fee is a m", []), ["$.fee is a multiple of"])
        self.assertEqual(write_cells(self.check), ("$.fee", "is a multiple of", "0.05"))
        self.assertEqual(read_cells("$.fee", "multiple of", "0.05"), self.check)

    def test_it_is_described(self):
        described = schema.case_schema()["$defs"]["check"]
        jsonschema.validate({"of": "$.fee", "multiple of": 0.05}, described)
        self.assertIn("`multiple of`", tables.relation_table())
        self.assertIn("multiple of", [word["text"] for word in words.words()])

    def test_it_is_judged(self):
        step = (
            "  - request: A\n    send: GET [=harbour]/berths\n"
            "    expect: [ { of: $.total, multiple of: %s } ]\n"
        )
        self.assertEqual(run_text(case(step % 1)).verdict, "passed")
        results = run_text(case(step % 1000))
        self.assertEqual(results.verdict, "failed")
        [outcome] = results.cases[0].steps[0].outcomes
        self.assertIn("expected a multiple of 1000", outcome.why.sentence)


if __name__ == "__main__":
    unittest.main()
