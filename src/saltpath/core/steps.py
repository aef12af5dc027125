"""The steps of a case's document, before it is read: plain mappings, as the store keeps them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from saltpath.core.case import PARTS


def steps_in(document: Mapping[str, Any]) -> Iterator[dict[str, Any]]:
    """Every step in the order of execution, those inside others right after the one that holds them."""
    for part in PARTS:
        yield from _with_inner(document.get(part) or ())


def _with_inner(steps: Iterable[dict[str, Any]]) -> Iterator[dict[str, Any]]:
    for step in steps:
        yield step
        yield from _with_inner(step.get("steps") or ())
