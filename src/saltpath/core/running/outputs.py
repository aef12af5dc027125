"""Rows of output tables: what a step writes of its answer, its values and its verdict."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from decimal import Decimal
from typing import Any

from saltpath.core.answers.answer import Answer
from saltpath.core.answers.subjects import Subject, find, taken
from saltpath.core.cases.case import Cell, Write
from saltpath.core.references.scopes import Scopes
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import Blocked

OF_STEP = ("verdict", "why")
"""What a column can say of the step itself."""


def written(
    write: Write, scopes: Scopes, verdict: Verdict, why: str, answer: Answer | None
) -> dict[str, Any]:
    """The row by column. A length of time is in milliseconds. What is not there, or has no answer
    to stand in, is null; the step is as it is."""
    return {name: _cell(cell, scopes, verdict, why, answer) for name, cell in write.columns}


def _cell(cell: Cell, scopes: Scopes, verdict: Verdict, why: str, answer: Answer | None) -> Any:
    if cell.of_step:
        return verdict if cell.of_step == "verdict" else why
    try:
        if not isinstance(cell.of, Subject):
            return scopes.fill(cell.of)
        if answer is None and cell.of.kind != "value":
            return None
        found = find(cell.of, answer or Answer(0, b"", b"", 0), scopes)
        if not found.nodes:
            return None
        value = taken(found)
        return (
            Decimal(value) / 1000
            if cell.of.unit == "duration" and isinstance(value, int)
            else value
        )
    except Blocked:
        return None


_PLACE = re.compile(r"\d+")


def place_in_table(part: str, row: int, step: int, inner: str) -> str:
    """Sorts the rows of a case's table as text: before all rows, row by row in the order of its
    steps and of the items inside, after all."""
    last = part == "at the end"
    rank = ("once", "steps", "afterwards", "at the end").index(part)
    inside = _PLACE.sub(lambda found: found[0].zfill(7), inner)
    return f"{last:d} {row:09d} {rank} {step:05d} {inside}"


def columns_of(rows: Iterable[Mapping[str, Any]]) -> list[str]:
    """The columns that rows of a table have, in the order in which they come up."""
    return list(dict.fromkeys(name for row in rows for name in row))
