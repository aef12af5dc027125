"""What a new version of a table changed: columns, and rows known again by a column that tells them
apart."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from itertools import islice
from typing import Any

from msgspec import Struct, field

from saltpath.core.cases.row_sources import Row
from saltpath.core.values import plain

MOST_COMPARED = 200_000
MOST_SHOWN = 50
LONGEST = 80


class CellChanged(Struct, frozen=True):
    """A cell that reads otherwise: in which row (of the new version), in which column, what stood
    and what stands there."""

    row: int
    column: str
    was: str
    now: str


class TableChanges(Struct):
    """`key`: the column by which rows are known again; empty: none tells them apart, and rows are
    compared whole. `cells`, `new` and `gone` (rows by how they begin) hold the first fifty each;
    the counts are of all. `whole`: whether every row was compared."""

    key: str = ""
    columns_new: list[str] = field(default_factory=list)
    columns_gone: list[str] = field(default_factory=list)
    rows_before: int = 0
    rows_now: int = 0
    cells: list[CellChanged] = field(default_factory=list)
    cells_changed: int = 0
    rows_changed: int = 0
    new: list[str] = field(default_factory=list)
    rows_new: int = 0
    gone: list[str] = field(default_factory=list)
    rows_gone: int = 0
    whole: bool = True


def changes(
    names_before: Sequence[str],
    before: Iterable[Row],
    names_now: Sequence[str],
    now: Iterable[Row],
    most: int = MOST_COMPARED,
) -> TableChanges:
    """Compare two versions of a table; of long ones the first rows."""
    old, new = list(islice(before, most + 1)), list(islice(now, most + 1))
    found = TableChanges(whole=len(old) <= most and len(new) <= most)
    del old[most:], new[most:]
    found.rows_before, found.rows_now = len(old), len(new)
    found.columns_new = [name for name in names_now if name not in names_before]
    found.columns_gone = [name for name in names_before if name not in names_now]
    both = [name for name in names_now if name in names_before]
    found.key = next(
        (name for name in both if _tells_apart(old, name) and _tells_apart(new, name)), ""
    )
    if found.key:
        _by_key(found, old, new, both)
    else:
        _as_wholes(found, old, new, both)
    return found


def _tells_apart(rows: list[Row], name: str) -> bool:
    """Whether every row has something else in the column."""
    seen = {_text(row, name) for row in rows}
    return len(seen) == len(rows) and "" not in seen


def _by_key(found: TableChanges, old: list[Row], new: list[Row], names: list[str]) -> None:
    known = {_text(row, found.key): row for row in old}
    for row in new:
        was = known.pop(_text(row, found.key), None)
        if was is None:
            _add(found.new, row, names)
            found.rows_new += 1
            continue
        differing = [name for name in names if _text(was, name) != _text(row, name)]
        found.rows_changed += bool(differing)
        found.cells_changed += len(differing)
        for name in differing[: MOST_SHOWN - len(found.cells)]:
            found.cells.append(
                CellChanged(
                    row.number, name, _text(was, name)[:LONGEST], _text(row, name)[:LONGEST]
                )
            )
    found.rows_gone = len(known)
    for row in known.values():
        _add(found.gone, row, names)


def _as_wholes(found: TableChanges, old: list[Row], new: list[Row], names: list[str]) -> None:
    held = Counter(tuple(_text(row, name) for name in names) for row in old)
    for row in new:
        cells = tuple(_text(row, name) for name in names)
        if held[cells]:
            held[cells] -= 1
        else:
            _add(found.new, row, names)
            found.rows_new += 1
    found.rows_gone = sum(held.values())
    for row in old:
        cells = tuple(_text(row, name) for name in names)
        if held[cells]:
            held[cells] -= 1
            _add(found.gone, row, names)


def _add(into: list[str], row: Row, names: list[str]) -> None:
    if len(into) < MOST_SHOWN:
        into.append(
            ", ".join(text for text in (_text(row, name) for name in names[:4]) if text)[:LONGEST]
        )


def _text(row: Row, name: str) -> str:
    value: Any = row.values.get(name)
    return value if isinstance(value, str) else "" if value is None else plain.as_text(value)
