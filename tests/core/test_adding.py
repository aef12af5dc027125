"""What docs/development/adding.md says: a made relation, by one entry alone, is read, judged, a
sentence, typed, in the schema, the documentation and the cells of a sheet; so is a made source of
rows, and a made kind of step, read, carried out, told about and in the schema."""

import unittest
from collections.abc import Iterator
from decimal import Decimal
from typing import Any, ClassVar

import jsonschema

from saltpath.core.answers.subjects import Subject
from saltpath.core.assist.inspect import inspect, surroundings
from saltpath.core.assist.outline import ENTRIES, outline
from saltpath.core.assist.single_step import needs
from saltpath.core.cases.case import NamedValues, Step
from saltpath.core.cases.expectations import NOWHERE, Expectation, Place
from saltpath.core.cases.options import Options
from saltpath.core.cases.row_sources import Row, Source
from saltpath.core.checks.relations import TABLE, Setting, opposites, phrases
from saltpath.core.checks.relations.operand import FIRST_WORDS, Operand, measure_fault
from saltpath.core.checks.relations.table import relation
from saltpath.core.checks.sentences import sentence
from saltpath.core.checks.typed import read_sentence, suggestions, write_sentence
from saltpath.core.format import schema, tables, words
from saltpath.core.format.json_shapes import object_of
from saltpath.core.format.nodes import FormatError, Node
from saltpath.core.format.reader import STEP_READERS, case_from_data, own_keys, read_case
from saltpath.core.format.reading import Reading
from saltpath.core.format.request_reader import read_condition
from saltpath.core.format.row_kinds import BY_KEY, BY_KIND, Given, RowKind
from saltpath.core.format.row_kinds.kind import Keys, add, shape_of
from saltpath.core.references.templates import references_in
from saltpath.core.running.step_references import OWN
from saltpath.core.sheet.cells import read_cells, write_cells
from saltpath.core.values import plain
from saltpath.core.values.why import Why, why
from saltpath.engine.judging import Done
from saltpath.engine.position import Position
from saltpath.engine.session import Session
from saltpath.engine.walk import CARRY_OUT, Walk
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


class TideRows(Source, frozen=True):
    """The recipe's example: so many tides, high and low in turn."""

    number: int
    kind: ClassVar[str] = "tides"

    def title(self) -> str:
        return "the tides"

    def columns_said(self) -> list[str] | None:
        return ["height"]


def add_tides() -> None:
    def read(reading: Reading, said: Keys) -> TideRows | None:
        node = said.keys["tides"]
        if isinstance(node.value, int) and node.value > 0:
            return TideRows(node.value, pick=said.pick)
        reading.wrong("tides is how many", said.path, node.line)
        return None

    def rows(source: TideRows, given: Given) -> Iterator[Row]:
        heights = (Decimal("1.8"), Decimal("0.3"))
        for number in range(1, source.number + 1):
            yield Row(number, {"height": heights[number % 2]})

    add(TideRows, RowKind("tides", (), read, rows, shape_of("tides", {"type": "integer"})))


class ASource(unittest.TestCase):
    def setUp(self):
        add_tides()
        self.addCleanup(BY_KIND.pop, "tides")
        self.addCleanup(BY_KEY.pop, "tides")

    def document(self, rows: Any) -> dict[str, Any]:
        return {"salt-path": 1, "case": "A", "rows": rows, "steps": []}

    def test_it_is_read_and_refused(self):
        made = case_from_data(self.document({"tides": 4, "pick": "2 to 3"})).rows
        self.assertEqual(made, TideRows(4, pick="2 to 3"))
        for rows, told in (
            ({"tides": "x"}, "tides is how many"),
            ({"tides": 1, "columns": {}}, "'columns' has no meaning for rows with 'tides'"),
            ({"tides": 1, "make": 2}, "found make and tides"),
        ):
            with self.assertRaises(FormatError) as refused:
                case_from_data(self.document(rows))
            self.assertIn(told, str(refused.exception))

    def test_it_is_carried_out(self):
        step = "  - set: { seen: '[=row.height]' }\n"
        text = f"salt-path: 1\ncase: A\nrows: {{ tides: 5, pick: 2 to 4 }}\nsteps:\n{step}"
        [result] = run_text(text).cases
        self.assertEqual(
            [step.kept["seen"] for step in result.steps],
            [Decimal("1.8"), Decimal("0.3"), Decimal("1.8")],
        )
        nothing = run_text(text.replace("2 to 4", "9")).cases[0]
        self.assertIn("the tides", nothing.why.sentence)

    def test_its_columns_are_known_while_editing(self):
        text = (
            "salt-path: 1\ncase: A\nrows: { tides: 2 }\nsteps:\n"
            "  - { request: A, send: 'GET http://h/[=row.heigth]' }\n"
        )
        found = inspect(read_case(text), surroundings((), None, NamedValues(), []))
        self.assertTrue([f for f in found if "heigth" in f.sentence and f.weight == "error"], found)

    def test_it_is_in_the_schema(self):
        judge = jsonschema.Draft202012Validator(schema.case_schema())
        for rows, right in (({"tides": 4}, True), ({"tides": "x"}, False)):
            self.assertEqual(judge.is_valid(self.document(rows)), right)


class Tide(Step, frozen=True, eq=False):
    """The recipe's example: the height of the tide at an hour, kept as `height`."""

    name: str
    key: str
    hour: Any
    only_if: tuple[Expectation, ...] = ()
    off: bool = False
    place: Place = NOWHERE
    kind: ClassVar[str] = "tide"
    only_sets: ClassVar[bool] = True

    def keeps(self) -> tuple[str, ...]:
        return ("height",)


def read_tide(reading: Reading, node: Node, path: str, level: int) -> Step:
    keys = reading.mapping(node, path, ("tide", "key", "only if", "off"), (), "a tide step")
    hour = reading.tree(keys["tide"], f"{path}.tide")
    only_if = read_condition(reading, keys.get("only if"), f"{path}.only if")
    key, off = own_keys(reading, keys, path)
    return Tide("the tide", key, hour, only_if, off, Place(path, node.line))


async def carry_out_tide(
    walk: Walk, position: Position, step: Tide, session: Session, options: Options
) -> Done:
    height = Decimal("0.2") * (session.scopes.fill(step.hour) % 12)
    session.scopes.keep("height", height)
    return Done("passed", None, 0, 0, kept={"height": height}, counts=False)


def tide_shape(own: dict[str, Any]) -> dict[str, Any]:
    return object_of(("tide",), {"tide": {"type": ["integer", "string"]}, **own})


class AKindOfStep(unittest.TestCase):
    def setUp(self):
        for table, key, entry in (
            (STEP_READERS, "tide", read_tide),
            (schema.STEPS, "tide", tide_shape),
            (OWN, "tide", lambda step: references_in(step.hour)),
            (ENTRIES, "tide", lambda step, to: {"tide": {"to": to["height"]}}),
            (CARRY_OUT, "tide", carry_out_tide),
        ):
            table[key] = entry
            self.addCleanup(table.pop, key)

    def test_it_is_read_and_refused(self):
        [made] = case_from_data({"salt-path": 1, "case": "A", "steps": [{"tide": 3}]}).steps
        self.assertEqual((made.kind, made.hour, made.keeps()), ("tide", 3, ("height",)))
        with self.assertRaises(FormatError) as refused:
            case_from_data({"salt-path": 1, "case": "A", "steps": [{"tide": 3, "x": 1}]})
        self.assertIn("'x'", str(refused.exception))

    def test_it_is_carried_out_also_inside_others(self):
        steps = (
            "  - set: { hour: 15 }\n  - tide: '[=hour]'\n"
            "  - { for each: [1, 2], as: at, steps: [ { tide: '[=at]' } ] }\n"
            "  - { tide: 1, only if: { of: value height, is: 0.4 } }\n"
            "  - { tide: '[=gone]' }\n"
        )
        [result] = run_text(case(steps, "on failure: go on\n")).cases
        seen = [(step.kind, step.verdict, step.kept.get("height")) for step in result.steps]
        self.assertEqual(seen[1], ("tide", "passed", Decimal("0.6")))
        self.assertIn(("tide", "passed", Decimal("0.2")), seen)
        self.assertEqual(seen[-1][:2], ("tide", "blocked"))

    def test_its_values_and_references_are_told_while_editing(self):
        steps = "  - { tide: '[=houre]' }\n  - { set: { seen: '[=height]' } }\n"
        read = read_case(case(steps, "values: { hour: 3 }\n"))
        found = [f.sentence for f in inspect(read, surroundings((), None, NamedValues(), []))]
        self.assertTrue([one for one in found if "houre" in one and "hour?" in one], found)
        first, _ = outline(read)["steps"]
        self.assertEqual((first["kind"], first["tide"]), ("tide", {"to": [2]}))
        self.assertEqual(list(needs(read, [1], []).set), [0], "a step sent alone takes it along")

    def test_it_is_in_the_schema(self):
        judge = jsonschema.Draft202012Validator(schema.case_schema())
        for step, right in (({"tide": 3}, True), ({"tide": []}, False), ({"tyde": 3}, False)):
            document = {"salt-path": 1, "case": "A", "steps": [step]}
            self.assertEqual(judge.is_valid(document), right, step)


if __name__ == "__main__":
    unittest.main()
