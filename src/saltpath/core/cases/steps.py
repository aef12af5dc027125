"""Steps looked through: those of a document, before it is read (plain mappings, as the store keeps
them), and those of a case."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from saltpath.core.cases.case import PARTS, Step


def steps_in(document: Mapping[str, Any]) -> Iterator[dict[str, Any]]:
    """Every step in the order of execution, those inside others right after the one that holds
    them."""
    for part in PARTS:
        yield from _with_inner(document.get(part) or ())


def _with_inner(steps: Iterable[dict[str, Any]]) -> Iterator[dict[str, Any]]:
    for step in steps:
        yield step
        yield from _with_inner(step.get("steps") or ())


def with_step(
    document: Mapping[str, Any], stored: dict[str, Any], made: dict[str, Any]
) -> dict[str, Any]:
    """The document with one of its steps, wherever it stands, replaced by another."""

    def within(steps: list[dict[str, Any]]) -> list[dict[str, Any]]:
        return [
            made
            if step is stored
            else {**step, "steps": within(step["steps"])}
            if step.get("steps")
            else step
            for step in steps
        ]

    return {**document, **{part: within(document[part]) for part in PARTS if document.get(part)}}


def changing(steps: Iterable[Step]) -> Iterator[Step]:
    """The steps that may change something, those inside others too."""
    for step in steps:
        yield from changing(step.carried_out)
        if step.may_change() and not step.off:
            yield step


def pairs_of(held: Any) -> list[tuple[str, Any]]:
    """Names and values of headers, queries and forms: a document has a mapping, or a list of pairs
    where a name repeats."""
    pairs = held.items() if isinstance(held, dict) else held or ()
    return [(name, value) for name, value in pairs]
