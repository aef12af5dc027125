"""What a cell is, and whether it is what its column says."""

from __future__ import annotations

import re
from typing import Any, NamedTuple

from saltpath.core.values import plain
from saltpath.core.values.errors import SaltPathError
from saltpath.core.values.why import Why, why

_NUMBER = re.compile(r"[+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d{1,3})?", re.ASCII)
_WITH_COMMA = re.compile(r"[+-]?\d+(?:,\d+)?", re.ASCII)
_DATE = re.compile(r"\d{4}-(?:0[1-9]|1[0-2])-(?:0[1-9]|[12]\d|3[01])", re.ASCII)
_MOMENT = re.compile(
    rf"{_DATE.pattern}[T ](?:[01]\d|2[0-3]):[0-5]\d(?::[0-5]\d(?:\.\d+)?)?(?:Z|[+-]\d\d:?\d\d)?",
    re.ASCII,
)
_LEADING_ZERO = re.compile(r"[+-]?0\d")


class BadCell(NamedTuple):
    """A cell of a workbook that holds no value: where it is, and why."""

    place: str
    code: str
    problem: str = ""


class Unfit(SaltPathError, ValueError):
    """The cell is not of its column's kind."""

    code = "unfit"


def kind_of(cell: Any) -> str:
    """What a cell looks like: one of the kinds, or empty for nothing in it. A text that is a number
    is one; a leading zero makes it text."""
    if isinstance(cell, str):
        text = cell.strip()
        if not text:
            return ""
        if _DATE.fullmatch(text):
            return "date"
        if _MOMENT.fullmatch(text):
            return "date-time"
        if text.lower() in ("true", "false"):
            return "boolean"
        if _NUMBER.fullmatch(text) and not _LEADING_ZERO.match(text) and len(text) <= 40:
            return "integer" if text.lstrip("+-").isdigit() else "number"
        return "text"
    return "" if cell is None else plain.kind_of(cell)


def looks_with_comma(cell: Any) -> bool:
    """Whether a text could be a number with a decimal comma."""
    return isinstance(cell, str) and "," in cell and _WITH_COMMA.fullmatch(cell.strip()) is not None


def fitted(cell: Any, kind: str, may_be_empty: bool = False, decimal: str = "") -> Any:
    """The cell as a value of the kind. Raises Unfit."""
    if not kind or cell is None:
        return cell
    if kind == "text":
        return cell if isinstance(cell, str) else plain.as_text(cell)
    if isinstance(cell, str):
        text = cell.strip()
        if not text:
            if may_be_empty:
                return None
            raise Unfit
        return _read(text, kind, decimal)
    return _as_it_is(cell, kind)


def _read(text: str, kind: str, decimal: str) -> Any:
    if kind in ("number", "integer"):
        if decimal == ",":
            text = text.replace(",", ".") if _WITH_COMMA.fullmatch(text) else text
        value = plain.number_in(text) if _NUMBER.fullmatch(text) else None
        if value is None or (kind == "integer" and value != int(value)):
            raise Unfit
        return int(value) if kind == "integer" else value
    if kind == "boolean":
        if text.lower() not in ("true", "false"):
            raise Unfit
        return text.lower() == "true"
    if kind in ("date", "date-time"):
        found = kind_of(text)
        if kind == "date-time" and found in ("date", "date-time"):
            return text
        if kind == "date" and found == "date-time" and re.search(r"[T ]00:00(:00)?$", text):
            return text[:10]
        if found != kind:
            raise Unfit
        return text
    try:
        return _as_it_is(plain.read_json(text), kind)
    except ValueError:
        raise Unfit from None


def _as_it_is(cell: Any, kind: str) -> Any:
    found = plain.kind_of(cell)
    if found == kind or (kind == "number" and found == "integer"):
        return int(cell) if kind == "integer" else cell
    raise Unfit


def problem_of(cell: Any, column: str, kind: str, row: int) -> Why:
    """Why a row cannot be carried out: one of its cells."""
    if isinstance(cell, BadCell):
        return why(cell.code, cell=cell.place, column=column, problem=cell.problem)
    return why("cell-unfit", column=column, row=row, actual=plain.show(cell, 60), kind=kind)
