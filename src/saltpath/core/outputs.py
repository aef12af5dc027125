"""Rows of output tables: what a step writes of its answer, its values and its verdict."""

from __future__ import annotations

from typing import Any

from saltpath.core.answer import Answer
from saltpath.core.case import Cell, Write
from saltpath.core.scopes import Scopes
from saltpath.core.subjects import Subject, find, taken
from saltpath.core.verdicts import Verdict
from saltpath.core.why import Blocked

OF_STEP = ("verdict", "why")
"""What a column can say of the step itself."""


def written(write: Write, scopes: Scopes, verdict: Verdict, why: str, answer: Answer | None) -> dict[str, Any]:
    """The row by column. What is not there, or has no answer to stand in, is null; the step is as it is."""
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
        return taken(found) if found.nodes else None
    except Blocked:
        return None
