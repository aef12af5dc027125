"""Relations of numbers, durations and sizes, as exact decimals."""

from __future__ import annotations

import operator
from collections.abc import Callable
from decimal import Decimal
from typing import Any

from saltpath.core.answers.subjects import Subject
from saltpath.core.checks.relations.operand import (
    Operand,
    literal,
    measure_fault,
    pair_of,
    split,
    value_of,
    word,
)
from saltpath.core.checks.relations.table import Setting, Test, fit, measured, relation, shown
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.why import Blocked, Why, why

MEASURE = Operand({"type": ["number", "string"]}, measure_fault, in_unit=True)
"""A number, a duration or a size."""


def _numbers(actual: Any, expected: Any, setting: Setting, relation: str) -> tuple[Any, Any] | Why:
    if setting.source in ("duration", "size"):
        return actual, measured(expected, setting)
    right = (
        plain.number_in(expected)
        if isinstance(expected, str) and setting.source == "text"
        else expected
    )
    if not plain.is_number(right):
        problem = why(
            "expected-no-number",
            expected=plain.show(expected),
            expected_kind=plain.with_kind(expected),
            relation=relation,
        )
        raise Blocked(problem)
    left = (
        plain.number_in(actual) if isinstance(actual, str) and setting.source == "text" else actual
    )
    if not plain.is_number(left):
        return why(
            "no-number",
            actual=shown(actual, setting),
            actual_kind=plain.with_kind(actual),
            expected=str(expected),
        )
    return fit(left), fit(right)


def _quick_order(holds: Callable[[Any, Any], bool]) -> Callable[[Any], Test | None]:
    def quick(expected: Any) -> Test | None:
        if type(expected) not in (int, Decimal) or plain.too_long(expected):
            return None

        def test(value: Any) -> bool:
            kind = type(value)
            if kind is int:
                return value.bit_length() <= plain.SHORT_BITS and holds(value, expected)
            return kind is Decimal and plain.is_short(value) and holds(value, expected)

        return test

    return quick


def _order(
    name: str,
    about: str,
    code: str,
    holds: Callable[[Any, Any], bool],
    example: tuple[Any, Any],
    everyday: tuple[str, ...],
) -> None:
    def judge(actual: Any, expected: Any, setting: Setting) -> Why | None:
        pair = _numbers(actual, expected, setting, name)
        if isinstance(pair, Why):
            return pair
        if holds(*pair):
            return None
        return why(code, actual=shown(actual, setting), expected=shown(expected, setting))

    quick = _quick_order(holds)
    relation(name, about, example, f"is {name}", MEASURE, quick=quick, everyday=everyday)(judge)


_order(
    "above",
    "more than a number, a duration or a size",
    "not-above",
    operator.gt,
    (3, 2),
    ("above", "over", "is over", "is more than", "more than", ">"),
)
_order(
    "below",
    "less",
    "not-below",
    operator.lt,
    (2, 3),
    ("below", "under", "is under", "is less than", "less than", "<"),
)
_order("at least", "that much or more", "not-at-least", operator.ge, (3, 3), ("at least", ">="))
_order(
    "at most",
    "that much or less; exact, 0.30 is 0.3",
    "not-at-most",
    operator.le,
    (Decimal("0.30"), Decimal("0.3")),
    ("at most", "<="),
)


def _ends_fault(value: Any, subject: Subject) -> str:
    if not isinstance(value, list) or len(value) != 2:
        return "two numbers: [from, to]"
    return next((fault for item in value if (fault := measure_fault(item, subject))), "")


def _say_ends(expected: Any) -> str:
    return f"{word(expected[0])} and {word(expected[1])}"


def _write_ends(expected: Any) -> str:
    if not isinstance(expected, list) or len(expected) != 2:
        return literal(expected)
    return f"{literal(expected[0])} and {literal(expected[1])}"


def _read_ends(text: str, phrase: str) -> Any:
    ends = list(split(text, " and "))
    if len(ends) != 2:
        raise Unreadable("Say between what and what, such as: between 1 and 5")
    return [value_of(end) for end in ends]


PAIR = Operand(
    {"type": ["array", "string"], "minItems": 2, "maxItems": 2},
    _ends_fault,
    _say_ends,
    _write_ends,
    _read_ends,
    in_unit=True,
)
"""From one to another."""


@relation(
    "between",
    "from one to another, both included",
    (5, [1, 5]),
    "is between",
    takes=PAIR,
    everyday=("between",),
)
def _between(actual: Any, expected: Any, setting: Setting) -> Why | None:
    low = _numbers(actual, expected[0], setting, "between")
    high = _numbers(actual, expected[1], setting, "between")
    if isinstance(low, Why) or isinstance(high, Why):
        return low if isinstance(low, Why) else high if isinstance(high, Why) else None
    if low[1] <= low[0] <= high[1]:
        return None
    return why(
        "not-between",
        actual=shown(actual, setting),
        low=shown(expected[0], setting),
        high=shown(expected[1], setting),
    )


def _close_fault(value: Any, subject: Subject) -> str:
    if not isinstance(value, dict) or set(value) != {"value", "within"}:
        return "a value and how far from it: { value: 0.333, within: 0.001 }"
    return measure_fault(value["value"], subject) or measure_fault(value["within"], subject)


CLOSE = pair_of(
    ("value", "within"),
    "0.33 within 0.01",
    {
        "type": "object",
        "required": ["value", "within"],
        "additionalProperties": False,
        "properties": {"value": {}, "within": {}},
    },
    _close_fault,
    in_unit=True,
)


@relation(
    "close to",
    "no further from a value than a distance",
    (Decimal("0.3333"), {"value": Decimal("0.333"), "within": Decimal("0.001")}),
    "is close to",
    takes=CLOSE,
    everyday=("close to", "is about", "about"),
)
def _close_to(actual: Any, expected: Any, setting: Setting) -> Why | None:
    pair = _numbers(actual, expected["value"], setting, "close to")
    if isinstance(pair, Why):
        return pair
    _, within = _numbers(actual, expected["within"], setting, "close to")  # type: ignore[misc]
    distance = abs(Decimal(pair[0]) - Decimal(pair[1]))
    if distance <= within:
        return None
    away = (
        shown(int(distance), setting)
        if setting.source in ("duration", "size")
        else plain.show(distance)
    )
    ends = {key: shown(expected[key], setting) for key in ("value", "within")}
    return why("not-close", actual=shown(actual, setting), away=away, **ends)
