"""Equality: `is`, `is not`, `is one of`, `is none of`."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from saltpath.core.checks.relations.operand import Operand, literal, split, value_of, word
from saltpath.core.checks.relations.table import Setting, Test, alike, relation, shown
from saltpath.core.values import plain
from saltpath.core.values.why import Why, why

_SIMPLE = frozenset([str, bool, int, type(None)])
_NUMBERS = (int, Decimal)


def _quick_is(expected: Any) -> Test | None:
    kind = type(expected)
    if kind in _NUMBERS and plain.too_long(expected):
        return None
    if kind in _SIMPLE:
        return lambda value: type(value) is kind and bool(value == expected)
    if kind is Decimal:
        if not expected:
            return None  # a zero may have any exponent
        return lambda value: (
            type(value) is Decimal and value == expected and value.__sizeof__() <= plain.SHORT_BYTES
        )
    return None


@relation(
    "is",
    "equal; JSON kinds are strict, the number 15 is not the text 15",
    (201, 201),
    quick=_quick_is,
    everyday=("equals", "=", "=="),
)
def _is(actual: Any, expected: Any, setting: Setting) -> Why | None:
    if alike(actual, expected, setting):
        return None
    if isinstance(actual, (list, dict)) and type(actual) is type(expected):
        where, left, right = first_difference(actual, expected, "")
        return why(
            "differs-at",
            where=where or "the top",
            actual=plain.show(left, 60),
            expected=plain.show(right, 60),
        )
    if (
        plain.show(actual).strip("“”") == plain.show(expected).strip("“”")
        and setting.source != "text"
    ):
        return why(
            "differs-in-kind",
            actual=plain.show(actual),
            actual_kind=plain.with_kind(actual),
            expected=plain.show(expected),
            expected_kind=plain.with_kind(expected),
        )
    return why("differs", actual=shown(actual, setting), expected=shown(expected, setting))


def first_difference(actual: Any, expected: Any, place: str) -> tuple[str, Any, Any]:
    if isinstance(actual, dict) and isinstance(expected, dict):
        for key in [*expected, *actual]:
            if key not in actual:
                return f"{place}.{key}", "nothing", expected[key]
            if key not in expected:
                return f"{place}.{key}", actual[key], "nothing"
            if not plain.same(actual[key], expected[key]):
                return first_difference(actual[key], expected[key], f"{place}.{key}")
    if isinstance(actual, list) and isinstance(expected, list):
        for index, (left, right) in enumerate(zip(actual, expected, strict=False)):
            if not plain.same(left, right):
                return first_difference(left, right, f"{place}[{index}]")
        return place, f"{len(actual)} items", f"{len(expected)} items"
    return place, actual, expected


@relation(
    "is not",
    "anything else",
    ("departed", "requested"),
    everyday=("is no", "isn't", "differs from", "!="),
)
def _is_not(actual: Any, expected: Any, setting: Setting) -> Why | None:
    return why("same", actual=shown(actual, setting)) if alike(actual, expected, setting) else None


def _write_items(expected: Any) -> str:
    if not isinstance(expected, list) or not expected:
        return literal(expected)
    return ", ".join(map(literal, expected))


LIST = Operand(
    {"type": ["array", "string"]},
    lambda value, subject: "" if isinstance(value, list) else "a list",
    lambda expected: (
        ", ".join(map(word, expected)) if isinstance(expected, list) else word(expected)
    ),
    _write_items,
    lambda text, phrase: [value_of(item) for item in split(text, ",")],
    in_unit=True,
)
"""Several values."""


@relation(
    "is one of",
    "equal to one of a list",
    ("quoted", ["requested", "quoted"]),
    takes=LIST,
    everyday=("one of", "is either"),
)
def _is_one_of(actual: Any, expected: Any, setting: Setting) -> Why | None:
    if any(alike(actual, item, setting) for item in expected):
        return None
    return why(
        "not-one-of",
        actual=shown(actual, setting),
        expected=", ".join(shown(i, setting) for i in expected),
    )


@relation(
    "is none of",
    "equal to none of a list",
    ("departed", ["requested", "quoted"]),
    takes=LIST,
    everyday=("none of", "is neither"),
)
def _is_none_of(actual: Any, expected: Any, setting: Setting) -> Why | None:
    if any(alike(actual, item, setting) for item in expected):
        return why("same", actual=shown(actual, setting))
    return None
