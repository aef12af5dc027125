"""Which column of a table is which: our own headings, everyday ones, and those of a team's workbook
as it was mapped before."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from saltpath.core.answers.subjects import read_subject
from saltpath.core.sheet.rows import COLUMNS, HEADINGS, KEYS
from saltpath.core.values.grammar import Unreadable

EXPECTED_OF = "expected of "
"""A column of a team's own may hold what one subject is expected to be: `expected of
$.fee.total`."""
LOOKED_AT = 20
BESIDE = {"verdict": "verdict (Salt Path)", "was": "was (Salt Path)", "at": "at (Salt Path)"}
"""What is written beside the rows of a team's own workbook, and the headings that it gets there."""
_EVERYDAY = {
    "test case": "case",
    "test": "case",
    "scenario": "case",
    "case name": "case",
    "request": "step",
    "step name": "step",
    "action": "step",
    "verb": "method",
    "http method": "method",
    "url": "address",
    "uri": "address",
    "endpoint": "address",
    "path": "address",
    "header": "headers",
    "request headers": "headers",
    "payload": "body",
    "request body": "body",
    "field": "of",
    "subject": "of",
    "json path": "of",
    "jsonpath": "of",
    "xpath": "of",
    "element": "of",
    "check": "of",
    "operator": "relation",
    "comparison": "relation",
    "condition": "relation",
    "expected value": "expected",
    "expectation": "expected",
    "expected result": "expected",
    "should be": "expected",
    "comment": "note",
    "remark": "note",
    "description": "note",
    "expected status": "expected of status",
    "expected status code": "expected of status",
    "status code": "expected of status",
    "expected body": "expected of $",
    "expected response": "expected of $",
    "max time": "expected of time",
    "verdict (salt path)": "verdict",
    "was (salt path)": "was",
    "actual": "was",
    "actual value": "was",
    "result": "verdict",
    "outcome": "verdict",
}


def heading_row(table: Sequence[Sequence[str]], known: Mapping[str, str]) -> int:
    """Where the headings stand: the row of the first 20 that names the most columns; the first that
    is not empty if none names any."""
    scores = [sum(bool(column_of(cell, known)) for cell in row) for row in table[:LOOKED_AT]]
    if any(scores):
        return scores.index(max(scores))
    return next(
        (at for at, row in enumerate(table[:LOOKED_AT]) if any(cell.strip() for cell in row)), 0
    )


def columns_of(headings: Sequence[str], known: Mapping[str, str]) -> list[str]:
    """What each column is, "" for one that says nothing here; of two that are the same the first
    counts."""
    found: list[str] = []
    for heading in headings:
        column = column_of(heading, known)
        found.append("" if column in found else column)
    return found


def column_of(heading: str, known: Mapping[str, str]) -> str:
    """The column that a heading means. `known`: a team's own headings, by `plain_heading`, and what
    they were mapped to."""
    name = plain_heading(heading)
    if name in known:
        return known[name]
    return name if name in HEADINGS else _EVERYDAY.get(name, "")


def plain_heading(heading: str) -> str:
    return " ".join(heading.lower().replace("_", " ").strip(" :*").split())


def is_column(name: str) -> bool:
    """Whether a column can be mapped to this."""
    if name in HEADINGS or name == "":
        return True
    if not name.startswith(EXPECTED_OF):
        return False
    try:
        read_subject(name.removeprefix(EXPECTED_OF))
    except Unreadable:
        return False
    return True


def is_own(columns: Sequence[str]) -> bool:
    """Whether the table was written by Salt Path: then a step's rows are all of its checks, and a
    row that is gone was taken away."""
    return all(key in columns for key in KEYS) and all(column in columns for column in COLUMNS)
