"""Relations: one entry a relation, one small function, one example that a test runs and the documentation shows.

A relation's function takes the actual value, the expected one and a `Setting`; it returns None if the relation holds,
else the reason.
"""

from __future__ import annotations

import operator
from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal
from functools import lru_cache
from typing import Any, NamedTuple

import regex

from saltpath.core import measures, plain
from saltpath.core.why import Blocked, Why, why

PATTERN_LIMIT_S = 0.2
VALUE_KINDS = ("text", "number", "integer", "boolean", "list", "object", "null")


class Setting(NamedTuple):
    """Where the actual value comes from: `json`, `text`, `duration` or `size` (see subjects.Found)."""

    source: str


Judge = Callable[[Any, Any, Setting], Why | None]
Test = Callable[[Any], bool]


@dataclass(frozen=True, slots=True)
class Relation:
    """`phrase` is the sentence's middle; `takes` says what kind of expected value it wants; `example` is
    (actual, expected) for which it holds. `of_list`: it judges the nodes together rather than each node.

    `quick` makes, from an expected value, a test for values from JSON that is sure when it says True, and otherwise
    leaves the question to `judge`; None where it cannot."""

    name: str
    phrase: str
    takes: str
    judge: Judge
    example: tuple[Any, Any]
    of_list: bool = False
    quick: Callable[[Any], Test | None] = lambda expected: None


TABLE: dict[str, Relation] = {}


def _relation(
    name: str,
    example: tuple[Any, Any],
    phrase: str = "",
    takes: str = "value",
    of_list: bool = False,
    quick: Callable[[Any], Test | None] = lambda expected: None,
) -> Callable[[Judge], Judge]:
    def register(judge: Judge) -> Judge:
        TABLE[name] = Relation(name, phrase or name, takes, judge, example, of_list, quick)
        return judge

    return register


# ---- equality


_SIMPLE = frozenset([str, bool, int, type(None)])
_NUMBERS = (int, Decimal)


def _alike(actual: Any, expected: Any, setting: Setting) -> bool:
    """Equal; from text sources a number as expected compares as a number if the whole text is one."""
    if setting.source in ("duration", "size"):
        return bool(actual == _measured(expected, setting))
    if setting.source == "text" and isinstance(actual, str) and plain.is_number(expected):
        number = plain.number_in(actual)
        return number is not None and number == _fit(expected)
    if plain.is_number(actual) and plain.is_number(expected):
        return bool(_fit(actual) == _fit(expected))
    return plain.same(actual, expected)


def _fit(value: Any) -> Any:
    if plain.too_long(value):
        raise Blocked(why("number-too-long"))
    return value


def _measured(expected: Any, setting: Setting) -> int:
    read = measures.duration if setting.source == "duration" else measures.size
    try:
        return read(expected)
    except ValueError as problem:
        raise Blocked(
            why("expected-unfit", relation="the comparison", expected=plain.show(expected), problem=str(problem))
        ) from None


def shown(value: Any, setting: Setting) -> str:
    """A value as the sentence shows it, in its unit."""
    if isinstance(value, int) and not isinstance(value, bool):
        if setting.source == "duration":
            return measures.show_duration(value)
        if setting.source == "size":
            return measures.show_size(value)
    if setting.source in ("duration", "size") and isinstance(value, str):
        return value
    return plain.show(value)


def _quick_is(expected: Any) -> Test | None:
    kind = type(expected)
    if kind in _NUMBERS and plain.too_long(expected):
        return None
    if kind in _SIMPLE:
        return lambda value: type(value) is kind and bool(value == expected)
    if kind is Decimal:
        return lambda value: type(value) is Decimal and value == expected and plain.is_short(value)
    return None


@_relation("is", (201, 201), quick=_quick_is)
def _is(actual: Any, expected: Any, setting: Setting) -> Why | None:
    if _alike(actual, expected, setting):
        return None
    if isinstance(actual, (list, dict)) and type(actual) is type(expected):
        where, left, right = _first_difference(actual, expected, "")
        return why("differs-at", where=where or "the top", actual=plain.show(left, 60), expected=plain.show(right, 60))
    if plain.show(actual).strip("“”") == plain.show(expected).strip("“”") and setting.source != "text":
        return why(
            "differs-in-kind",
            actual=plain.show(actual),
            actual_kind=plain.with_kind(actual),
            expected=plain.show(expected),
            expected_kind=plain.with_kind(expected),
        )
    return why("differs", actual=shown(actual, setting), expected=shown(expected, setting))


def _first_difference(actual: Any, expected: Any, place: str) -> tuple[str, Any, Any]:
    if isinstance(actual, dict) and isinstance(expected, dict):
        for key in [*expected, *actual]:
            if key not in actual:
                return f"{place}.{key}", "nothing", expected[key]
            if key not in expected:
                return f"{place}.{key}", actual[key], "nothing"
            if not plain.same(actual[key], expected[key]):
                return _first_difference(actual[key], expected[key], f"{place}.{key}")
    if isinstance(actual, list) and isinstance(expected, list):
        for index, (left, right) in enumerate(zip(actual, expected, strict=False)):
            if not plain.same(left, right):
                return _first_difference(left, right, f"{place}[{index}]")
        return place, f"{len(actual)} items", f"{len(expected)} items"
    return place, actual, expected


@_relation("is not", ("departed", "requested"))
def _is_not(actual: Any, expected: Any, setting: Setting) -> Why | None:
    return why("same", actual=shown(actual, setting)) if _alike(actual, expected, setting) else None


@_relation("is one of", ("quoted", ["requested", "quoted"]), takes="list")
def _is_one_of(actual: Any, expected: Any, setting: Setting) -> Why | None:
    if any(_alike(actual, item, setting) for item in expected):
        return None
    return why("not-one-of", actual=shown(actual, setting), expected=", ".join(shown(i, setting) for i in expected))


# ---- text


def _texts(actual: Any, expected: Any, relation: str) -> tuple[str, str] | Why:
    if not isinstance(actual, str):
        return why("no-text", actual=plain.show(actual), actual_kind=plain.with_kind(actual), relation=relation)
    return actual, plain.as_text(expected)


@_relation("contains", ("East 4", "East"))
def _contains(actual: Any, expected: Any, setting: Setting) -> Why | None:
    if isinstance(actual, list):
        holds = any(_alike(item, expected, setting) for item in actual)
    else:
        pair = _texts(actual, expected, "contains")
        if isinstance(pair, Why):
            return pair
        holds = pair[1] in pair[0]
    return None if holds else why("lacks", actual=plain.show(actual), expected=plain.show(expected))


@_relation("starts with", ("PC-20931", "PC-"))
def _starts_with(actual: Any, expected: Any, setting: Setting) -> Why | None:
    pair = _texts(actual, expected, "starts with")
    if isinstance(pair, Why):
        return pair
    if pair[0].startswith(pair[1]):
        return None
    return why("starts-otherwise", actual=plain.show(actual), expected=plain.show(expected))


@_relation("ends with", ("PC-20931", "931"))
def _ends_with(actual: Any, expected: Any, setting: Setting) -> Why | None:
    pair = _texts(actual, expected, "ends with")
    if isinstance(pair, Why):
        return pair
    if pair[0].endswith(pair[1]):
        return None
    return why("ends-otherwise", actual=plain.show(actual), expected=plain.show(expected))


@lru_cache(maxsize=1024)
def compile_pattern(pattern: str) -> Any:
    """A pattern with Python's syntax, as the `regex` package reads it. Raises regex.error."""
    return regex.compile(pattern)


@_relation("matches", ("PC-20931", r"^PC-\d+$"), takes="pattern")
def _matches(actual: Any, expected: Any, setting: Setting) -> Why | None:
    pair = _texts(actual, expected, "matches")
    if isinstance(pair, Why):
        return pair
    try:
        if compile_pattern(pair[1]).search(pair[0], timeout=PATTERN_LIMIT_S, concurrent=len(pair[0]) > 1000):
            return None
    except regex.error as problem:
        raise Blocked(why("pattern-unreadable", pattern=pair[1], problem=str(problem))) from None
    except TimeoutError:
        raise Blocked(why("pattern-timeout", pattern=pair[1], ms=int(PATTERN_LIMIT_S * 1000))) from None
    return why("no-match", actual=plain.show(actual), expected=pair[1])


# ---- order


def _numbers(actual: Any, expected: Any, setting: Setting, relation: str) -> tuple[Any, Any] | Why:
    if setting.source in ("duration", "size"):
        return actual, _measured(expected, setting)
    right = plain.number_in(expected) if isinstance(expected, str) and setting.source == "text" else expected
    if not plain.is_number(right):
        problem = why(
            "expected-no-number",
            expected=plain.show(expected),
            expected_kind=plain.with_kind(expected),
            relation=relation,
        )
        raise Blocked(problem)
    left = plain.number_in(actual) if isinstance(actual, str) and setting.source == "text" else actual
    if not plain.is_number(left):
        return why("no-number", actual=plain.show(actual), actual_kind=plain.with_kind(actual), expected=str(expected))
    return _fit(left), _fit(right)


def _quick_order(holds: Callable[[Any, Any], bool]) -> Callable[[Any], Test | None]:
    def quick(expected: Any) -> Test | None:
        if type(expected) not in _NUMBERS or plain.too_long(expected):
            return None
        return lambda value: (
            (type(value) is int or type(value) is Decimal) and plain.is_short(value) and bool(holds(value, expected))
        )

    return quick


def _order(name: str, code: str, holds: Callable[[Any, Any], bool], example: tuple[Any, Any]) -> None:
    def judge(actual: Any, expected: Any, setting: Setting) -> Why | None:
        pair = _numbers(actual, expected, setting, name)
        if isinstance(pair, Why):
            return pair
        if holds(*pair):
            return None
        return why(code, actual=shown(actual, setting), expected=shown(expected, setting))

    judge.__doc__ = f"Numbers, durations and sizes; exact decimals: {name}."
    _relation(name, example, f"is {name}", takes="measure", quick=_quick_order(holds))(judge)


_order("above", "not-above", operator.gt, (3, 2))
_order("below", "not-below", operator.lt, (2, 3))
_order("at least", "not-at-least", operator.ge, (3, 3))
_order("at most", "not-at-most", operator.le, (Decimal("0.30"), Decimal("0.3")))


@_relation("between", (5, [1, 5]), "is between", takes="pair")
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


# ---- shape


@_relation("empty", ([], True), takes="boolean")
def _empty(actual: Any, expected: Any, setting: Setting) -> Why | None:
    empty = actual is None or (isinstance(actual, (str, list, dict)) and not actual)
    if empty == expected:
        return None
    return why("not-empty", actual=plain.show(actual)) if expected else why("is-empty")


@_relation("kind", (15, "number"), "is of kind", takes="kind")
def _kind(actual: Any, expected: Any, setting: Setting) -> Why | None:
    kind = plain.kind_of(actual)
    if kind == expected or (kind == "integer" and expected == "number"):
        return None
    return why("wrong-kind", actual=plain.show(actual), actual_kind=plain.with_kind(actual), expected=expected)


# ---- these judge the nodes together; judge.py counts them and hands over what they need


@_relation("present", (True, True), "is present", takes="true", of_list=True)
def _present(actual: Any, expected: Any, setting: Setting) -> Why | None:
    return None if actual else why("nothing-there-bare", path="it")


@_relation("absent", (False, True), "is absent", takes="true", of_list=True)
def _absent(actual: Any, expected: Any, setting: Setting) -> Why | None:
    return why("is-there", path="it") if actual else None


@_relation("count", (3, 3), "counts", takes="count", of_list=True)
def _count(actual: Any, expected: Any, setting: Setting) -> Why | None:
    relation, wanted = next(iter(expected.items())) if isinstance(expected, dict) else ("is", expected)
    problem = TABLE[relation].judge(actual, wanted, Setting("json"))
    if problem is None:
        return None
    phrase = TABLE[relation].phrase.removeprefix("is ") if relation != "is" else ""
    return why("wrong-count", actual=actual, expected=f"{phrase} {plain.show(wanted)}".strip())
