"""Relations of shape: empty, kind, format; and those that look at the nodes, or into a list, as a
whole."""

from __future__ import annotations

from decimal import Decimal
from itertools import pairwise
from typing import Any

from saltpath.core.answers.subjects import Subject
from saltpath.core.checks.relations.operand import (
    FLAG,
    TRUE,
    Operand,
    literal,
    measure_fault,
    one_of,
    value_of,
    word,
)
from saltpath.core.checks.relations.table import TABLE, Setting, phrases, relation, shown, unfit
from saltpath.core.paths.jsonpath import MISSING
from saltpath.core.values import plain, text_formats
from saltpath.core.values.nearest import listed
from saltpath.core.values.why import Why, why

VALUE_KINDS = ("text", "number", "integer", "boolean", "list", "object", "null")


KIND = one_of(VALUE_KINDS, f"The kinds are {', '.join(VALUE_KINDS)}")
FORMAT = one_of(tuple(text_formats.FORMATS), f"The formats are {', '.join(text_formats.FORMATS)}")
DIRECTION = one_of(("up", "down"), "It is sorted up, or down")
COUNTABLE = ("is", "is not", "is one of", "above", "below", "at least", "at most", "between")
"""Relations that a number of things can be in."""


def _count_fault(value: Any, subject: Subject) -> str:
    if isinstance(value, dict):
        if len(value) != 1 or next(iter(value)) not in COUNTABLE:
            return f"a number, or one relation: {{ at least: 3 }}, of {listed(COUNTABLE)}"
        name, inner = next(iter(value.items()))
        if name == "between" or (name == "is one of" and isinstance(inner, list)):
            return TABLE[name].takes.fault(inner, subject)
        return measure_fault(inner, subject)
    whole = isinstance(value, int) and not isinstance(value, bool) and value >= 0
    return "" if whole else "a whole number"


def _say_count(expected: Any) -> str:
    if not isinstance(expected, dict):
        return word(expected)
    inner, wanted = next(iter(expected.items()))
    return f"{TABLE[inner].phrase.removeprefix('is ')} {TABLE[inner].takes.say(wanted)}"


def _write_count(expected: Any) -> str:
    if not isinstance(expected, dict) or len(expected) != 1:
        return literal(expected)
    inner, wanted = next(iter(expected.items()))
    if inner not in COUNTABLE:
        return "is"
    return f"{TABLE[inner].phrase.removeprefix('is ')} {TABLE[inner].takes.write(wanted)}"


def _read_count(text: str, phrase: str) -> Any:
    lower = text.lower()
    for words, name in phrases():
        if name in COUNTABLE and lower.startswith(words + " "):
            return {name: TABLE[name].takes.read(text[len(words) :].strip(), TABLE[name].phrase)}
    return value_of(text)


COUNT = Operand(
    {"type": ["integer", "object", "string"]}, _count_fault, _say_count, _write_count, _read_count
)
"""A number, or a relation that the number is in."""


@relation(
    "empty",
    "no characters, items or fields, or null",
    ([], True),
    "is empty",
    FLAG,
    everyday=("empty",),
    opposite=("is not empty", "not empty"),
)
def _empty(actual: Any, expected: Any, setting: Setting) -> Why | None:
    empty = actual is None or (isinstance(actual, (str, list, dict)) and not actual)
    if empty == expected:
        return None
    return why("not-empty", actual=shown(actual, setting)) if expected else why("is-empty")


@relation(
    "kind",
    "text, number, integer, boolean, list, object or null; an integer is a number too",
    (15, "number"),
    "is of kind",
    takes=KIND,
    of_document=True,
    everyday=("of kind", "is any"),
)
def _kind(actual: Any, expected: Any, setting: Setting) -> Why | None:
    kind = plain.kind_of(actual)
    if kind == expected or (kind == "integer" and expected == "number"):
        return None
    return why(
        "wrong-kind",
        actual=shown(actual, setting),
        actual_kind=plain.with_kind(actual),
        expected=expected,
    )


@relation(
    "format",
    "text of a known form: date, date-time, uuid, email, uri, ipv4 and others",
    ("2026-11-23", "date"),
    "has the format",
    takes=FORMAT,
    everyday=("is of format", "format"),
)
def _format(actual: Any, expected: Any, setting: Setting) -> Why | None:
    if not isinstance(actual, str):
        return why(
            "no-text",
            actual=shown(actual, setting),
            actual_kind=plain.with_kind(actual),
            relation="format",
        )
    if expected not in text_formats.FORMATS:
        raise unfit("format", expected, "there is no such format")
    if text_formats.FORMATS[expected].holds(actual):
        return None
    return why("not-of-format", actual=shown(actual, setting), expected=expected)


# ---- these look at the nodes together: at the list of them, or at the value of a singular path


@relation(
    "present",
    "there is such a place; null is present",
    (True, True),
    "is present",
    takes=TRUE,
    of_list=True,
    quick=lambda expected: lambda value: value is not MISSING,
    everyday=("present", "exists", "is there"),
)
def _present(actual: Any, expected: Any, setting: Setting) -> Why | None:
    return None if actual else why("nothing-there-bare", path="it")


@relation(
    "absent",
    "there is no such place",
    (False, True),
    "is absent",
    takes=TRUE,
    of_list=True,
    everyday=("absent", "is missing", "is gone"),
)
def _absent(actual: Any, expected: Any, setting: Setting) -> Why | None:
    return why("is-there", path="it") if actual else None


def _size(actual: Any, expected: Any, setting: Setting, what: str) -> Why | None:
    if not isinstance(actual, (list, dict, str)):
        return why(
            "not-countable", actual=shown(actual, setting), actual_kind=plain.with_kind(actual)
        )
    relation, wanted = (
        next(iter(expected.items())) if isinstance(expected, dict) else ("is", expected)
    )
    problem = TABLE[relation].judge(len(actual), wanted, Setting("json"))
    if problem is None:
        return None
    phrase = TABLE[relation].phrase.removeprefix("is ") if relation != "is" else ""
    wanted = " and ".join(map(plain.show, wanted)) if relation == "between" else plain.show(wanted)
    return why(what, actual=len(actual), expected=f"{phrase} {wanted}".strip())


@relation(
    "count",
    "how many nodes, or items, fields or characters of the one value",
    ([5, 6, 7], 3),
    "counts",
    takes=COUNT,
    of_list=True,
    of_document=True,
    everyday=("count",),
)
def _count(actual: Any, expected: Any, setting: Setting) -> Why | None:
    return _size(actual, expected, setting, "wrong-count")


@relation(
    "length",
    "how many characters, items or fields it has",
    ("East 4", {"at most": 10}),
    "has the length",
    takes=COUNT,
    of_list=True,
    everyday=("length",),
)
def _length(actual: Any, expected: Any, setting: Setting) -> Why | None:
    return _size(actual, expected, setting, "wrong-length")


def _items(actual: Any, setting: Setting) -> list[Any] | Why:
    if isinstance(actual, list):
        return actual
    return why("not-a-list", actual=shown(actual, setting), actual_kind=plain.with_kind(actual))


@relation(
    "unique",
    "no item twice",
    ([5, 6, 7], True),
    "holds nothing twice",
    takes=TRUE,
    of_list=True,
    of_document=True,
    everyday=("is unique", "unique"),
)
def _unique(actual: Any, expected: Any, setting: Setting) -> Why | None:
    items = _items(actual, setting)
    if isinstance(items, Why):
        return items
    seen: dict[bytes, int] = {}
    for index, item in enumerate(items):
        key = plain.write_json(_canonical(item))
        if key in seen:
            first = seen[key]
            return why(
                "twice",
                value=plain.show(item, 60),
                first=first + 1,
                second=index + 1,
                at=[f"[{index}]"],
            )
        seen[key] = index
    return None


def _canonical(value: Any) -> Any:
    """Equal values as equal JSON."""
    if isinstance(value, Decimal):
        return int(value) if plain.kind_of(value) == "integer" else value.normalize()
    if isinstance(value, list):
        return [_canonical(item) for item in value]
    if isinstance(value, dict):
        return {key: _canonical(value[key]) for key in sorted(value)}
    return value


@relation(
    "sorted",
    "in order, up or down: numbers by value, text by code point",
    ([1, 2, 2], "up"),
    "is sorted",
    takes=DIRECTION,
    of_list=True,
    of_document=True,
    everyday=("sorted",),
)
def _sorted(actual: Any, expected: Any, setting: Setting) -> Why | None:
    items = _items(actual, setting)
    if isinstance(items, Why):
        return items
    if setting.source == "text" and all(isinstance(item, str) for item in items):
        numbers = [plain.number_in(item) for item in items]
        items = numbers if numbers and None not in numbers else items
    if not all(map(plain.is_number, items)) and not all(isinstance(item, str) for item in items):
        return why("not-sortable")
    for index, (left, right) in enumerate(pairwise(items), 1):
        if left > right if expected == "up" else left < right:
            words = {
                "left": plain.show(left, 60),
                "right": plain.show(right, 60),
                "direction": expected,
            }
            return why("not-sorted", first=index, second=index + 1, at=[f"[{index}]"], **words)
    return None
