"""What a schema asks of a value, in a sentence for each keyword; and against the library on schemas
at random."""

import json
import random
import sys
import unittest
from decimal import Decimal
from typing import Any

import jsonschema

from saltpath.core.checks.schema_check import SchemaAsked, check_schema
from saltpath.core.schemas import Dialect, Unusable, compile_schema
from saltpath.core.schemas.keywords import KEYWORDS
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable

FORMS = [
    {"required": ["kind"], "properties": {"kind": {"const": "tug"}}},
    {
        "required": ["kind", "power"],
        "properties": {"kind": {"const": "pilot"}, "power": {"type": "integer"}},
    },
]
SENTENCES: list[tuple[dict[str, Any], Any, list[str]]] = [
    ({"type": "number"}, "4", [" “4” is text, not a number"]),
    ({"type": ["integer", "null"]}, Decimal("4.5"), [" 4.5 is a number, not an integer or null"]),
    ({"enum": [1, 2, 3]}, 7, [" 7 is none of 1, 2 and 3"]),
    ({"const": [1, 2]}, [2, 1], [" [2,1] is not [1,2]"]),
    ({"minimum": 5}, 4, [" 4 is below 5"]),
    ({"maximum": 5}, 6, [" 6 is above 5"]),
    ({"exclusiveMinimum": 5}, 5, [" 5 is not above 5"]),
    ({"exclusiveMaximum": 5}, 5, [" 5 is not below 5"]),
    (
        {"multipleOf": Decimal("0.123456789")},
        Decimal("1e308"),
        [" 1E+308 is no multiple of 0.123456789"],
    ),
    ({"minLength": Decimal("2.0")}, "x", [" “x” has 1 character, at least 2 are wanted"]),
    ({"maxLength": 2}, "xyz", [" “xyz” has 3 characters, at most 2 are allowed"]),
    ({"pattern": r"^PC-\d+$"}, "PC-٣", [r" “PC-٣” does not match ^PC-\d+$"]),
    ({"format": "date"}, "today", [" “today” is no date (RFC 3339)"]),
    ({"minItems": Decimal("3.0")}, [1], [" it has 1 item, at least 3 are wanted"]),
    ({"maxItems": 1}, [1, 2], [" it has 2 items, at most 1 are allowed"]),
    ({"uniqueItems": True}, [1, True, Decimal("1.0")], ["[2] 1.0 is there twice, also at [0]"]),
    ({"prefixItems": [{"type": "string"}]}, [1], ["[0] 1 is an integer, not text"]),
    ({"prefixItems": [{}], "items": False}, [1, 2], ["[1] only 1 item is allowed"]),
    ({"items": {"type": "string"}}, ["a", 1], ["[1] 1 is an integer, not text"]),
    (
        {"contains": {"type": "string"}},
        [1],
        [" no item fits what at least 1 must; of the first: 1 is an integer, not text"],
    ),
    (
        {"contains": {"type": "string"}, "maxContains": 1},
        ["a", "b"],
        [" 2 items fit what at most 1 may"],
    ),
    (
        {"required": ["total", "id"]},
        {"totl": 1},
        [" “total” is missing; there is “totl”", " “id” is missing"],
    ),
    ({"minProperties": 2}, {"a": 1}, [" it has 1 field, at least 2 are wanted"]),
    ({"maxProperties": 0}, {"a": 1}, [" it has 1 field, at most 0 are allowed"]),
    ({"dependentRequired": {"a": ["b"]}}, {"a": 1}, [" “b” is missing, which goes with “a”"]),
    (
        {"dependentSchemas": {"a": {"required": ["b"]}}},
        {"a": 1},
        [" “b” is missing (asked where “a” is there)"],
    ),
    ({"dependencies": {"a": ["b"]}}, {"a": 1}, [" “b” is missing, which goes with “a”"]),
    (
        {"properties": {"fee": {"properties": {"net price": {"minimum": 0}}}}},
        {"fee": {"net price": -1}},
        [".fee['net price'] -1 is below 0"],
    ),
    ({"patternProperties": {"^x": {"type": "null"}}}, {"xa": 1}, [".xa 1 is an integer, not null"]),
    (
        {"properties": {"total": {}}, "additionalProperties": False},
        {"totl": 1},
        [".totl “totl” is not declared; did you mean “total”?"],
    ),
    (
        {"propertyNames": {"maxLength": 1}},
        {"ab": 1},
        [".ab the name itself does not fit: “ab” has 2 characters, at most 1 are allowed"],
    ),
    ({"$defs": {"n": {"type": "null"}}, "$ref": "#/$defs/n"}, 1, [" 1 is an integer, not null"]),
    (
        {"$dynamicAnchor": "n", "properties": {"a": {"$dynamicRef": "#n"}}, "type": "object"},
        {"a": 1},
        [".a 1 is an integer, not an object"],
    ),
    (
        {
            "$schema": "https://json-schema.org/draft/2019-09/schema",
            "type": "object",
            "properties": {"a": {"$recursiveRef": "#"}},
        },
        {"a": 1},
        [".a 1 is an integer, not an object"],
    ),
    (
        {"allOf": [{"minimum": 5}, {"multipleOf": 2}]},
        3,
        [" 3 is below 5", " 3 is no multiple of 2"],
    ),
    (
        {"anyOf": [{"type": "string"}, {"type": "null"}]},
        3,
        [" 3 fits none of 2 forms: 3 is an integer, not text; 3 is an integer, not null"],
    ),
    (
        {"anyOf": FORMS},
        {"kind": "pilot", "power": "x"},
        [".power “x” is text, not an integer (form 2 of 2 is the nearest)"],
    ),
    ({"oneOf": FORMS}, {"kind": "pilot"}, [" “power” is missing (form 2 of 2 is the nearest)"]),
    (
        {"oneOf": [{"minimum": 1}, {"maximum": 5}]},
        3,
        [" 3 fits forms 1 and 2, and must fit just one"],
    ),
    ({"not": {"type": "integer"}}, 3, [' 3 follows {"type":"integer"}, which it must not']),
    (
        {"if": {"required": ["a"]}, "then": {"required": ["b"]}},
        {"a": 1},
        [" “b” is missing (asked since “if” fits)"],
    ),
    (
        {"if": {"required": ["a"]}, "else": {"required": ["b"]}},
        {},
        [" “b” is missing (asked since “if” does not fit)"],
    ),
    ({"prefixItems": [{}], "unevaluatedItems": False}, [1, 2], ["[1] no item is declared here"]),
    (
        {"allOf": [{"properties": {"a": {}}}], "unevaluatedProperties": False},
        {"a": 1, "b": 2},
        [".b “b” is not declared"],
    ),
    ({"properties": {"a": False}}, {"a": 1}, [".a nothing is allowed here"]),
]
UNUSABLE = {
    "it refers to #/$defs/none, which is not there; nothing is fetched": {"$ref": "#/$defs/none"},
    "it refers to http://fernholm.example/x, which is not there; nothing is fetched": {
        "$ref": "http://fernholm.example/x"
    },
    "it refers to itself without end, or the value is nested too deeply": {"$ref": "#"},
}


class Sentences(unittest.TestCase):
    def test_each_keyword_says_what_is_wrong_and_where(self):
        for schema, value, told in SENTENCES:
            with self.subTest(schema=schema):
                asked = SchemaAsked(plain.write_json(schema), plain.write_json(value))
                self.assertEqual(
                    [f"{place} {sentence}" for place, sentence in asked.answer()], told
                )
        written = plain.write_json([schema for schema, _, _ in SENTENCES]).decode()
        self.assertEqual([name for name in KEYWORDS if f'"{name}":' not in written], [])

    def test_what_cannot_be_used_says_why(self):
        for sentence, schema in UNUSABLE.items():
            with self.subTest(sentence), self.assertRaises(Unusable) as raised:
                compile_schema(schema).holds({})
            self.assertEqual(str(raised.exception), sentence)
        with self.assertRaisesRegex(Unusable, "whether .* is a multiple of 3 is not worked out"):
            compile_schema({"multipleOf": 3}).holds(Decimal("1e401"))

    def test_what_is_no_schema_says_where(self):
        for schema, sentence in (
            (
                {"type": "strin"},
                "the schema is wrong at $.type: “strin” fits none of 2 forms: “strin” is none of",
            ),
            (
                {"items": {"required": "x"}},
                "the schema is wrong at $.items.required: “x” is text, not a list",
            ),
            ({"pattern": "(("}, "the schema is wrong at $.pattern: “((” is no regex (ECMA-262)"),
            (
                {"minItems": Decimal("3.5")},
                "the schema is wrong at $.minItems: 3.5 is a number, not an integer",
            ),
            (
                {"$schema": "http://json-schema.org/draft-04/schema#", "exclusiveMinimum": 3},
                "the schema is wrong at $",
            ),
        ):
            with self.subTest(schema), self.assertRaises(Unreadable) as raised:
                check_schema(schema)
            self.assertIn(sentence, str(raised.exception))


class AtRandom(unittest.TestCase):
    """Schemas and values drawn at random: we and the library say the same, and what we tell agrees
    with what we say."""

    ROUNDS = 1500

    def test_as_the_library(self):
        chance = random.Random(18)
        differing = []
        for _ in range(self.ROUNDS):
            draft = chance.choice((4, 7, 2019, 2020))
            schema = self.schema(chance, 3)
            # By its exact words: the library reads floats.
            value = self.value(chance, 3)
            library = {
                4: jsonschema.Draft4Validator,
                7: jsonschema.Draft7Validator,
                2019: jsonschema.Draft201909Validator,
                2020: jsonschema.Draft202012Validator,
            }[draft]
            ours = compile_schema(schema, dialect=Dialect(draft), formats=frozenset())
            held = ours.holds(value)
            self.assertEqual(held, not ours.faults(value, 20))
            if held != library(schema).is_valid(value):
                differing.append((draft, json.dumps(schema), json.dumps(value), held))
        self.assertEqual(differing, [])
        print(
            f"counted: {self.ROUNDS} schemas at random, judged as the library does",
            file=sys.__stdout__,
        )

    def value(self, chance: random.Random, depth: int) -> Any:
        kind = chance.randint(0, 9 if depth else 6)
        if kind > 7:
            return {name: self.value(chance, depth - 1) for name in "abc" if chance.random() < 0.5}
        if kind > 6:
            return [self.value(chance, depth - 1) for _ in range(chance.randint(0, 3))]
        return chance.choice((None, True, False, 0, 1, 2, 3, 7, "", "a", "ab", "1", [], {}))

    def schema(self, chance: random.Random, depth: int) -> Any:
        if chance.random() < 0.06:
            return {} if chance.random() < 0.5 else {"not": {}}
        drawn = chance.sample(sorted(self.WAYS), chance.randint(1, 3))
        found: dict[str, Any] = {}
        for name in drawn:
            if depth or name in self.LEAVES:
                found |= self.WAYS[name](self, chance, depth - 1)
        return found

    def several(self, chance: random.Random, depth: int) -> list[Any]:
        return [self.schema(chance, depth) for _ in range(chance.randint(1, 3))]

    def named(self, chance: random.Random, depth: int) -> dict[str, Any]:
        return {name: self.schema(chance, depth) for name in "abc" if chance.random() < 0.5}

    LEAVES = ("type", "enum", "const", "number", "text", "length", "required", "count", "unique")
    WAYS = {
        "type": lambda self, c, d: {
            "type": c.sample(
                ("null", "boolean", "integer", "number", "string", "array", "object"),
                c.randint(1, 3),
            )
        },
        "enum": lambda self, c, d: {"enum": [self.value(c, 1) for _ in range(3)]},
        "const": lambda self, c, d: {"const": self.value(c, 1)},
        "number": lambda self, c, d: {c.choice(("minimum", "maximum")): c.randint(0, 4)},
        "text": lambda self, c, d: {"pattern": c.choice(("a", "^a$", "[0-9]", "^$"))},
        "length": lambda self, c, d: {
            c.choice(("minLength", "maxLength", "minItems", "maxItems")): c.randint(0, 2)
        },
        "required": lambda self, c, d: {"required": c.sample("abc", c.randint(1, 2))},
        "count": lambda self, c, d: {c.choice(("minProperties", "maxProperties")): c.randint(0, 2)},
        "unique": lambda self, c, d: {"uniqueItems": True},
        "multiple": lambda self, c, d: {"multipleOf": c.randint(1, 3)},
        "all": lambda self, c, d: {"allOf": self.several(c, d)},
        "any": lambda self, c, d: {"anyOf": self.several(c, d)},
        "one": lambda self, c, d: {"oneOf": self.several(c, d)},
        "not": lambda self, c, d: {"not": self.schema(c, d)},
        "if": lambda self, c, d: {
            "if": self.schema(c, d),
            "then": self.schema(c, d),
            "else": self.schema(c, d),
        },
        "properties": lambda self, c, d: {"properties": self.named(c, d)},
        "patterns": lambda self, c, d: {
            "patternProperties": {c.choice(("a", "[bc]")): self.schema(c, d)}
        },
        "more": lambda self, c, d: {"additionalProperties": c.choice((False, self.schema(c, d)))},
        "names": lambda self, c, d: {"propertyNames": {"enum": c.sample("abc", 2)}},
        "items": lambda self, c, d: {"items": self.schema(c, d)},
        "contains": lambda self, c, d: {"contains": self.schema(c, d)},
        "unevaluated": lambda self, c, d: {
            c.choice(("unevaluatedItems", "unevaluatedProperties")): c.choice(
                (False, self.schema(c, d))
            )
        },
        "needs": lambda self, c, d: {"dependentSchemas": self.named(c, d)},
    }


if __name__ == "__main__":
    unittest.main()
