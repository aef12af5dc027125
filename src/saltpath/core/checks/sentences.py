"""A check or a group as a sentence: `$.berth.metres is at least 23.4`, `when status is 201: $.id is
present`."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from saltpath.core.checks.relations import TABLE

HEADS = {"any of": "at least one of", "all of": "all of", "none of": "none of"}


def sentence(of: str, relation: str, expected: Any, any_node: bool = False) -> str:
    """The check in words. `expected` is as the document writes it, references included."""
    return " ".join(filter(None, parts_of_sentence(of, relation, expected, any_node)))


def parts_of_sentence(
    of: str, relation: str, expected: Any, any_node: bool = False
) -> tuple[str, str, str]:
    """The subject, the relation, and what is expected; empty where the relation says it all."""
    subject = f"any of {of}" if any_node else of
    entry = TABLE[relation]
    return subject, entry.said(expected), entry.takes.say(expected) if entry.takes.said else ""


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
