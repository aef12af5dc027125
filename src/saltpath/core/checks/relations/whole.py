"""Relations of a whole body or a part of it: `fits` with loose values, `schema`."""

from __future__ import annotations

from typing import Any

from saltpath.core.checks.loose import misfits
from saltpath.core.checks.relations.table import Setting, relation
from saltpath.core.paths import offloading
from saltpath.core.values import plain
from saltpath.core.values.why import Blocked, Why, why

MOST_PLACES = 20


def _fitting(name: str, about: str, exactly: bool, example: tuple[Any, Any]) -> None:
    @relation(name, about, example, takes="pattern tree", of_document=True)
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
    takes="true",
)
def _same_as_last_pass(actual: Any, expected: Any, setting: Setting) -> Why | None:
    return None  # judged by checks/one.py, which knows what it was


@relation(
    "schema",
    "JSON Schema (2020-12, or the draft that $schema names); formats are checked",
    ({"id": "PC-1"}, {"required": ["id"]}),
    "follows the schema",
    takes="schema",
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
