"""Cases written as rows: one for each check, with its request in the first row of a step, and what
a run saw beside it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from msgspec import Struct, field

from saltpath.core.cases.steps import steps_in
from saltpath.core.sheet.cells import as_cell, marks_of, write_cells, write_request

REQUEST_COLUMNS = ("method", "address", "headers", "body")
CHECK_COLUMNS = ("of", "relation", "expected", "note", "mark")
COLUMNS = ("case", "step", *REQUEST_COLUMNS, *CHECK_COLUMNS)
"""What a row says, in its order."""
SHOWN = ("verdict", "was", "seen")
"""What a run saw; read again, these columns say nothing."""
KEYS = ("case key", "step key")
"""By which a case and a step are found again when they were renamed."""
HEADINGS = (*COLUMNS, *SHOWN, *KEYS)


class Row(Struct, frozen=True):
    """One row: `cells` by column, empty ones left out; whose check it is (`index`: -1 in a step
    that has none)."""

    case_key: str
    step_key: str
    index: int
    cells: dict[str, str] = field(default_factory=dict)


def rows_of(document: Mapping[str, Any]) -> Iterator[Row]:
    """The rows of a case. A request without checks has one row without a check; other steps have
    none."""
    case_key, named = str(document.get("key", "")), False
    for step in requests_of(document):
        checks: list[Mapping[str, Any]] = step.get("expect") or []
        for index in range(max(1, len(checks))):
            cells: dict[str, str] = {}
            if index == 0:
                cells = (
                    {}
                    if named
                    else {"case": as_cell(str(document.get("case", document.get("shared", ""))))}
                )
                cells |= {"step": as_cell(str(step["request"])), **write_request(step)}
                named = True
            if checks:
                cells |= check_cells(checks[index])
            cells |= {"case key": case_key, "step key": str(step.get("key", ""))}
            row = {name: text for name, text in cells.items() if text}
            yield Row(case_key, str(step.get("key", "")), index if checks else -1, row)


def check_cells(check: Mapping[str, Any]) -> dict[str, str]:
    """A check's cells by column, empty ones too."""
    of, relation, expected = write_cells(check)
    note = as_cell(str(check.get("note", "")))
    return {
        "of": of,
        "relation": relation,
        "expected": expected,
        "note": note,
        "mark": marks_of(check),
    }


def requests_of(document: Mapping[str, Any]) -> list[dict[str, Any]]:
    """The request steps of a case, in the order of execution."""
    return [step for step in steps_in(document) if "request" in step]
