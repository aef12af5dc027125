"""Steps looked through: those of a document, before it is read (plain mappings, as the store keeps
them), and those of a case."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from saltpath.core.cases.case import PARTS, Answered, ForEach, LookUp, Step, UseShared


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


SAFE = frozenset(["GET", "HEAD", "OPTIONS", "TRACE"])
"""Methods that change nothing (RFC 9110, 9.2.1)."""


def may_change(step: Answered) -> bool:
    """Whether a step may change something where it is sent, or looks."""
    return step.changes if isinstance(step, LookUp) else step.method.upper() not in SAFE


def where_to(step: Answered) -> str:
    """Where a step goes, in a line: `POST [=harbour]/port-calls`, or the database and what is asked
    of it."""
    if isinstance(step, LookUp):
        return f"{step.database}: {step.asked.sql.text if step.asked.sql else step.asked.table}"
    return f"{step.method} {step.address.text}"


def changing(steps: Iterable[Step]) -> Iterator[Answered]:
    """The steps that may change something, those inside others too."""
    for step in steps:
        if isinstance(step, ForEach):
            yield from changing(step.steps)
        elif isinstance(step, UseShared) and step.shared is not None:
            yield from changing(step.shared.steps)
        elif isinstance(step, Answered) and may_change(step) and not step.off:
            yield step
