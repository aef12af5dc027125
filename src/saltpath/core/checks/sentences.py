"""A check as a sentence: `$.berth.metres is at least 23.4`."""

from __future__ import annotations

from typing import Any

from saltpath.core import plain
from saltpath.core.checks.relations import TABLE


def sentence(of: str, relation: str, expected: Any, any_node: bool = False) -> str:
    """The check in words. `expected` is as the document writes it, references included."""
    subject = f"any of {of}" if any_node else of
    phrase = TABLE[relation].phrase
    if relation in ("present", "absent"):
        return f"{subject} is {relation}"
    if relation == "empty":
        return f"{subject} is empty" if expected else f"{subject} is not empty"
    if relation == "count":
        if isinstance(expected, dict):
            inner, wanted = next(iter(expected.items()))
            return f"{subject} counts {TABLE[inner].phrase.removeprefix('is ')} {_words(wanted, inner)}"
        return f"{subject} counts {_words(expected, 'is')}"
    return f"{subject} {phrase} {_words(expected, relation)}"


def _words(expected: Any, relation: str) -> str:
    if relation == "between":
        return f"{_word(expected[0])} and {_word(expected[1])}"
    if relation == "is one of":
        return ", ".join(map(_word, expected))
    return _word(expected)


def _word(value: Any) -> str:
    if isinstance(value, str):
        bare = value and value == value.strip() and "\n" not in value and plain.number_in(value) is None
        return value if bare else plain.show(value)
    return plain.show(value)
