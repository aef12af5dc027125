"""A check or a group as a sentence: `$.berth.metres is at least 23.4`, `when status is 201: $.id is
present`."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from saltpath.core.checks.relations import TABLE
from saltpath.core.values import plain

HEADS = {"any of": "at least one of", "all of": "all of", "none of": "none of"}


def sentence(of: str, relation: str, expected: Any, any_node: bool = False) -> str:
    """The check in words. `expected` is as the document writes it, references included."""
    return " ".join(filter(None, parts_of_sentence(of, relation, expected, any_node)))


def parts_of_sentence(
    of: str, relation: str, expected: Any, any_node: bool = False
) -> tuple[str, str, str]:
    """The subject, the relation, and what is expected; empty where the relation says it all."""
    subject = f"any of {of}" if any_node else of
    phrase = TABLE[relation].phrase
    if TABLE[relation].takes == "true":
        return subject, phrase, ""
    if relation == "empty":
        return subject, "is empty" if expected else "is not empty", ""
    if TABLE[relation].takes == "count" and isinstance(expected, dict):
        inner, wanted = next(iter(expected.items()))
        return subject, phrase, f"{TABLE[inner].phrase.removeprefix('is ')} {_words(wanted, inner)}"
    return subject, phrase, _words(expected, relation)


def group_sentence(
    kind: str, of: str, when: Sequence[str], parts: Sequence[str], otherwise: Sequence[str]
) -> str:
    """The group in words, from the sentences of what stands in it."""
    held = "; ".join(parts)
    if kind == "when":
        tail = f", otherwise {'; '.join(otherwise)}" if otherwise else ""
        return f"when {' and '.join(when)}: {held}{tail}"
    if kind == "for each":
        return f"for each of {of}: {held}"
    return f"{HEADS[kind]}: {held}"


def _words(expected: Any, relation: str) -> str:
    if relation == "between":
        return f"{_word(expected[0])} and {_word(expected[1])}"
    if relation in ("is one of", "is none of"):
        return ", ".join(map(_word, expected)) if isinstance(expected, list) else _word(expected)
    if relation == "close to":
        return f"{_word(expected['value'])} within {_word(expected['within'])}"
    if relation == "near":
        return f"{_word(expected['time'])} within {_word(expected['within'])}"
    return _word(expected)


def _word(value: Any) -> str:
    if isinstance(value, str):
        bare = (
            value
            and value == value.strip()
            and "\n" not in value
            and plain.number_in(value) is None
        )
        return value if bare else plain.show(value)
    return plain.show(value)
