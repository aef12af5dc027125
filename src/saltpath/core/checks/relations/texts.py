"""Relations of text: `contains`, `starts with`, `ends with`, `matches` and their opposites."""

from __future__ import annotations

from typing import Any

from saltpath.core.answers.subjects import Subject
from saltpath.core.checks.relations.operand import Operand
from saltpath.core.checks.relations.table import TABLE, Setting, alike, relation, shown
from saltpath.core.paths import patterns
from saltpath.core.values import plain
from saltpath.core.values.why import Why, why


def _texts(actual: Any, expected: Any, setting: Setting, relation: str) -> tuple[str, str] | Why:
    if not isinstance(actual, str):
        return why(
            "no-text",
            actual=shown(actual, setting),
            actual_kind=plain.with_kind(actual),
            relation=relation,
        )
    return actual, plain.as_text(expected)


@relation(
    "contains", "a part of a text, or an item of a list", ("East 4", "East"), everyday=("has",)
)
def _contains(actual: Any, expected: Any, setting: Setting) -> Why | None:
    if isinstance(actual, list):
        holds = any(alike(item, expected, setting) for item in actual)
    else:
        pair = _texts(actual, expected, setting, "contains")
        if isinstance(pair, Why):
            return pair
        holds = pair[1] in pair[0]
    return (
        None
        if holds
        else why("lacks", actual=shown(actual, setting), expected=plain.show(expected))
    )


@relation("starts with", "how a text begins", ("PC-20931", "PC-"), everyday=("begins with",))
def _starts_with(actual: Any, expected: Any, setting: Setting) -> Why | None:
    pair = _texts(actual, expected, setting, "starts with")
    if isinstance(pair, Why):
        return pair
    if pair[0].startswith(pair[1]):
        return None
    return why("starts-otherwise", actual=shown(actual, setting), expected=plain.show(expected))


@relation("ends with", "how a text ends", ("PC-20931", "931"))
def _ends_with(actual: Any, expected: Any, setting: Setting) -> Why | None:
    pair = _texts(actual, expected, setting, "ends with")
    if isinstance(pair, Why):
        return pair
    if pair[0].endswith(pair[1]):
        return None
    return why("ends-otherwise", actual=shown(actual, setting), expected=plain.show(expected))


def _pattern_fault(value: Any, subject: Subject) -> str:
    if not isinstance(value, str):
        return "a pattern as text"
    try:
        patterns.compile_pattern(value)
    except patterns.PatternError as problem:
        return f"a pattern that can be read ({problem})"
    return ""


PATTERN = Operand({"type": "string"}, _pattern_fault)


@relation(
    "matches",
    "a pattern found anywhere in the text, unless it is anchored",
    ("PC-20931", r"^PC-\d+$"),
    takes=PATTERN,
)
def _matches(actual: Any, expected: Any, setting: Setting) -> Why | None:
    pair = _texts(actual, expected, setting, "matches")
    if isinstance(pair, Why):
        return pair
    if patterns.asked(patterns.Search(pair[1], pair[0])):
        return None
    return why("no-match", actual=shown(actual, setting), expected=pair[1])


@relation("does not contain", "the opposite of contains", ("East 4", "West"), everyday=("lacks",))
def _does_not_contain(actual: Any, expected: Any, setting: Setting) -> Why | None:
    problem = TABLE["contains"].judge(actual, expected, setting)
    if problem is None:
        return why("contains", actual=shown(actual, setting), expected=plain.show(expected))
    return None if problem.code == "lacks" else problem


@relation(
    "does not match", "a pattern found nowhere in the text", ("PC-20931", "^B-"), takes=PATTERN
)
def _does_not_match(actual: Any, expected: Any, setting: Setting) -> Why | None:
    problem = TABLE["matches"].judge(actual, expected, setting)
    if problem is None:
        return why("matches", actual=shown(actual, setting), expected=plain.as_text(expected))
    return None if problem.code == "no-match" else problem
