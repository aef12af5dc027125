"""What the API takes: a body is taken if and only if our OpenAPI document says so, and one that is
not is answered with a sentence that says what is wanted, and where."""

from __future__ import annotations

import random
import unittest
from decimal import Decimal
from typing import Any

import jsonschema
import msgspec
from flask import Flask

from saltpath.core.values import plain
from saltpath.server.app import contract
from saltpath.server.bodies import Body, Tab, ValueChanges
from saltpath.server.declared import BODIES
from saltpath.server.problems import Refused
from saltpath.server.run_bodies import NewRun
from saltpath.server.shapes import gathered
from saltpath.server.taking import taken

SEED = 4711
BODIES_EACH = 80
ODD: tuple[Any, ...] = (
    None,
    True,
    0,
    -1,
    2**60,
    Decimal("1.5"),
    "",
    " ",
    "x",
    "a" * 70,
    "a" * 201,
    "put",
    "all",
    "trial",
    [],
    {},
    ["x"],
    [1],
    [[]],
    [{}],
    {"a": "x"},
    {"a": 1},
    {"a": ["x"]},
    {"": None},
)
CONTRACT = contract()


def refusal(kind: type[Body], data: Any) -> Refused | None:
    app = Flask(__name__)
    with app.test_request_context(method="POST", data=plain.write_json(data)):
        try:
            taken(kind)
        except Refused as refused:
            return refused
    return None


def made(kind: type[Body], chance: random.Random) -> dict[str, Any]:
    """A body with most of its properties, most of them as odd as can be."""
    shape = CONTRACT["components"]["schemas"][kind.__name__]
    names = [*shape["properties"], chance.choice(("odd", "Project", "job"))]
    kept = [
        name for name in names if chance.random() < (0.8 if name in shape["properties"] else 0.1)
    ]
    return {name: "x" if chance.random() < 0.5 else chance.choice(ODD) for name in kept}


class Taking(unittest.TestCase):
    def test_at_random_as_our_own_document_says(self):
        chance, sorts = random.Random(SEED), {True: 0, False: 0}
        for kind in BODIES.values():
            schema = {
                "$ref": f"#/components/schemas/{kind.__name__}",
                "components": CONTRACT["components"],
            }
            judge = jsonschema.Draft202012Validator(schema)
            for _ in range(BODIES_EACH):
                data = made(kind, chance)
                with self.subTest(kind=kind.__name__, data=data):
                    refused, right = refusal(kind, data), judge.is_valid(data)
                    self.assertEqual(refused is None, right)
                    sorts[right] += 1
                    if refused is not None:
                        self.assertEqual((refused.status, refused.code), (422, "not-as-declared"))
                        self.assertRegex(refused.sentence, r"^\S.*\S[.?]$")
                        self.assertTrue(refused.more["problems"][0]["path"].startswith("$"))
        self.assertGreater(min(sorts.values()), 300, sorts)

    def test_sentences(self):
        whole = {"project": "p"}
        for kind, data, sentence in (
            (NewRun, {}, "“project” is missing."),
            (NewRun, whole | {"job": 2}, "“job” is not declared; did you mean “jobs”?"),
            (NewRun, whole | {"jobs": 0}, "Give jobs as a whole number from 1 to 64."),
            (NewRun, whole | {"cases": [1]}, "Give a list of at least one case's id."),
            (NewRun, whole | {"seed": "x"}, "Give the seed as a whole number from 0 to 2^53."),
            (NewRun, whole | {"jobs": Decimal("2.0")}, "Write whole numbers without a point."),
            (Tab, {}, "Give the tab as a text of at most 64 characters."),
            (
                ValueChanges,
                whole | {"changes": [{"kind": "put", "name": 7}]},
                "Give a list of at most 20000 changes.",
            ),
        ):
            refused = refusal(kind, data)
            self.assertEqual(refused and refused.sentence, sentence, data)

    def test_what_is_no_object_is_refused(self):
        app = Flask(__name__)
        for octets in (b"[]", b"1", b"{", b"\xff", b'{"project": 1e999999999999}'):
            with (
                app.test_request_context(method="POST", data=octets),
                self.assertRaises(Refused) as refused,
            ):
                taken(NewRun)
            self.assertIn(refused.exception.status, (400, 422))

    def test_no_shape_hides_another_of_its_name(self):
        with self.assertRaisesRegex(ValueError, "there are two shapes Tab"):
            gathered({"Tab": {}}, {"Case": {}, "Tab": {}})

    def test_every_type_is_a_shape_of_the_document(self):
        for name, kind in BODIES.items():
            shape = CONTRACT["components"]["schemas"][name]
            self.assertEqual(shape["additionalProperties"], False)
            fields = [field.encode_name for field in msgspec.structs.fields(kind)]
            self.assertEqual(list(shape["properties"]), fields)


if __name__ == "__main__":
    unittest.main()
