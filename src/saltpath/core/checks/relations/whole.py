"""Relations of a whole body or a part of it: `fits` with loose values, `schema`."""

from __future__ import annotations

from typing import Any

from saltpath.core.answers.subjects import Subject
from saltpath.core.checks.loose import misfits
from saltpath.core.checks.relations.operand import BODY, TRUE, Operand
from saltpath.core.checks.relations.table import Setting, relation
from saltpath.core.paths import offloading
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.why import Blocked, Why, why

MOST_PLACES = 20


def _fitting(name: str, about: str, exactly: bool, example: tuple[Any, Any]) -> None:
    @relation(name, about, example, takes=BODY, of_document=True)
    def _judge(actual: Any, expected: Any, setting: Setting) -> Why | None:
        found = list(misfits(actual, expected, exactly, MOST_PLACES))
        if not found:
            return None
        place, reason = found[0]
        more = f"; and {len(found) - 1} more" if len(found) > 1 else ""
        return why(
            "unfit",
            where=place or "the top",
            problem=reason.sentence,
            more=more,
            at=[place for place, _ in found],
        )


_EXAMPLE = {"id": "PC-20931", "state": "quoted", "pilots": [1, 2]}
_fitting(
    "fits",
    "a body against an expected one with loose values; further fields are allowed",
    False,
    (_EXAMPLE, {"id": "[?matches ^PC-]", "pilots": ["[?every]", "[?integer]"]}),
)
_fitting(
    "fits exactly",
    "the same, and no further fields anywhere",
    True,
    (
        _EXAMPLE,
        {
            "id": "[?text]",
            "state": "[?one of quoted, requested]",
            "pilots": [1, 2],
            "remark?": "[?text]",
        },
    ),
)


@relation(
    "same as last pass",
    "against what it was when this step last passed",
    (5, True),
    "is the same as at the last pass",
    takes=TRUE,
    everyday=("same as last pass", "is as before", "unchanged"),
)
def _same_as_last_pass(actual: Any, expected: Any, setting: Setting) -> Why | None:
    return None  # judged by checks/check.py, which knows what it was


def _schema_fault(value: Any, subject: Subject) -> str:
    if value == "contract":
        return "a schema written out; what a contract declares comes with contracts"
    from saltpath.core.checks.schema_check import check_schema  # most cases have no schema

    try:
        check_schema(value)
    except Unreadable as problem:
        return f"a JSON Schema ({problem})"
    return ""


SCHEMA = Operand({"type": ["object", "boolean"]}, _schema_fault, compiled="as it is")


@relation(
    "schema",
    "JSON Schema (2020-12, or the draft that $schema names); formats are checked",
    ({"id": "PC-1"}, {"required": ["id"]}),
    "follows the schema",
    takes=SCHEMA,
    of_document=True,
)
def _schema(actual: Any, expected: Any, setting: Setting) -> Why | None:
    from saltpath.core.checks.schema_check import SchemaAsked  # most cases have no schema
    from saltpath.core.schemas import Unusable

    question = SchemaAsked(plain.write_json(expected), plain.write_json(actual))
    try:
        found = offloading.ask(question, glance=True)
    except Unusable as problem:
        raise Blocked(why("schema-unusable", problem=str(problem))) from None
    except offloading.TooSlow:
        raise Blocked(why("schema-timeout", ms=int(offloading.LIMIT_S * 1000))) from None
    if not found:
        return None
    place, fault = found[0]
    more = f"; and {len(found) - 1} more" if len(found) > 1 else ""
    return why(
        "unfit",
        where=place or "the top",
        problem=fault,
        more=more,
        at=[where for where, _ in found],
    )
