"""Checks that can never hold, or never fail: by what their subject is in any answer, or has been in
each that was kept.

Nothing is decided by rules for each relation: the relation itself judges values that the subject
can have, among them those that are expected and their neighbours. Only where it says the same of
all of them is it told.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator
from decimal import Decimal
from typing import Any

from saltpath.core.cases.expectations import Check
from saltpath.core.checks.relations import TABLE, Setting
from saltpath.core.checks.relations.table import measured
from saltpath.core.values import plain
from saltpath.core.values.why import Blocked, Why, why

_STATUSES = (100, 101, 199, 200, 201, 204, 299, 301, 304, 400, 404, 422, 499, 500, 503, 599)
_AMOUNTS = (0, 1, 1_000, 1_000_000, 60_000_000, 86_400_000_000)
_ALWAYS: dict[str, tuple[str, tuple[Any, ...], str]] = {
    "status": ("a number from 100 to 599", _STATUSES, "json"),
    "time": ("a duration", _AMOUNTS, "duration"),
    "time to first byte": ("a duration", _AMOUNTS, "duration"),
    "size": ("a size in bytes", _AMOUNTS, "size"),
    "type": ("text", ("", "a", "0", "application/json"), "text"),
    "header": ("text", ("", "a", "0", "application/json"), "text"),
    "cookie": ("text", ("", "a", "0"), "text"),
    "match": ("text", ("", "a", "0"), "text"),
}
"""By subject what it is in any answer, examples of that, and where its values come from (relations'
Setting)."""
_EXAMPLES: dict[str, tuple[Any, ...]] = {
    "null": (None,),
    "boolean": (True, False),
    "integer": (0, 1, -1, 10**9),
    "number": (Decimal("0.5"), Decimal("-0.5"), 0, 1, 10**9),
    "text": ("", "a", "0"),
    "list": ([], [0], ["a"]),
    "object": ({}, {"a": 0}),
}
_OF_FORM = frozenset(
    (
        "contains",
        "does not contain",
        "starts with",
        "ends with",
        "matches",
        "does not match",
        "format",
        "before",
        "after",
        "near",
        "length",
        "count",
        "unique",
        "sorted",
    )
)
"""What these say of texts and lists hangs on more of them than their kind, so that a few examples
tell nothing."""
_NEVER_JUDGED = frozenset(("same as last pass", "schema"))
_UNLIKE = frozenset(("is not", "is none of"))


def doubt(check: Check, kinds: Collection[str] = (), always_there: bool = False) -> Why | None:
    """Why the check says nothing; None where it may hold and may fail. `kinds`: those that its
    place has had in each answer that was kept; `always_there`: it has been in each of them."""
    if not check.fixed or check.of.pipes or check.relation in _NEVER_JUDGED:
        return None
    known = _ALWAYS.get(check.of.kind)
    if known is not None:
        what, examples, source = known
        there = check.of.kind in ("status", "time", "time to first byte", "size")
        holds = _agreed(check, list(examples), source, there)
        code = "never-holds" if holds is False else "never-fails"
        return (
            None
            if holds is None
            else why(code, what=f"{check.of.text} is always {what}", check=check.sentence)
        )
    if check.relation == "absent" and always_there:
        return why(
            "seen-never-holds",
            what=f"{check.of.text} has been there in each answer that was kept",
            check=check.sentence,
        )
    if check.of.kind != "path" or not kinds:
        return None
    listed = " or ".join(plain.type_names[kind] for kind in kinds)
    what = f"{check.of.text} has been {listed} in each answer that was kept"
    holds = _agreed(check, [value for kind in kinds for value in _EXAMPLES[kind]], "json", False)
    if holds is None or (holds and check.relation not in _UNLIKE):
        return None  # what has always been so may be just what is to stay so
    return why("seen-never-fails" if holds else "seen-never-holds", what=what, check=check.sentence)


def _agreed(check: Check, examples: list[Any], source: str, there: bool) -> bool | None:
    """Whether the check holds of each example, or (False) of none; None where it depends, or that
    cannot be told."""
    if check.relation in ("present", "absent"):
        return check.relation == "present" if there else None
    has = {plain.kind_of(value) for value in examples}
    values = [
        value
        for value in _around(check.expected, source)
        if plain.kind_of(value) in has or _alike(value, has)
    ]
    if check.of.kind == "status":
        values = [value for value in values if 100 <= value <= 599]
    if check.relation in _OF_FORM and has & {"text", "list", "object"}:
        return None
    setting = Setting(source)
    try:
        held = {
            TABLE[check.relation].judge(value, check.expected, setting) is None
            for value in [*examples, *values]
        }
    except (Blocked, TypeError, ValueError, AttributeError, RecursionError):
        return None
    return held.pop() if len(held) == 1 else None


def _alike(value: Any, kinds: Collection[str]) -> bool:
    return plain.is_number(value) and bool({"integer", "number"} & set(kinds))


def _around(expected: Any, source: str) -> Iterator[Any]:
    """The expected values, and of numbers their neighbours; of durations and sizes as they are
    compared."""
    if source in ("duration", "size") and isinstance(expected, str):
        try:
            expected = measured(expected, Setting(source))
        except Blocked:
            return
    if plain.is_number(expected):
        near = (expected - 1, expected, expected + 1)
        yield from map(str, near) if source == "text" else near
        return
    yield expected
    if isinstance(expected, (list, tuple)):
        for item in expected:
            yield from _around(item, source)
    elif isinstance(expected, dict):
        for item in expected.values():
            yield from _around(item, source)
