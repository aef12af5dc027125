"""What the columns of a source hold: kinds, what does not fit, empties, distinct values."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from typing import Any

from msgspec import Struct, field

from saltpath.core.cases.row_sources import Column, Row
from saltpath.core.tables.cells import kind_of, looks_with_comma
from saltpath.core.values import plain

MOST_DISTINCT = 10_000
MOST_SHOWN = 12
MOST_MISFITS = 50
LONGEST = 200


class ColumnProfile(Struct):
    """What was seen in a column. `kinds`: how many cells look like which kind; `least` and `most`
    of its numbers, or of its texts; `misfits`: the first rows whose cell is not of `kind`, with the
    cell as it is shown; `common`: values and how often they stand."""

    name: str
    kind: str = ""
    kinds: Counter[str] = field(default_factory=Counter)
    empties: int = 0
    with_comma: int = 0
    misfits: list[tuple[int, str]] = field(default_factory=list)
    misfit_count: int = 0
    values: Counter[str] = field(default_factory=Counter)
    overflown: bool = False
    least: Any = None
    most: Any = None

    @property
    def fits(self) -> str:
        """The one kind that every cell has, if it is worth saying: else text, or empty where
        nothing stands."""
        found = set(self.kinds)
        if (
            self.with_comma
            and found <= {"text", "integer", "number"}
            and self.with_comma == self.kinds["text"]
        ):
            return "number"
        if found <= {"integer"}:
            return "integer" if found else ""
        if found <= {"integer", "number"}:
            return "number"
        if found <= {"date", "date-time"}:
            return "date-time" if "date-time" in found else "date"
        return found.pop() if len(found) == 1 else "text"

    def take(self, cell: Any) -> None:
        kind = kind_of(cell)
        if not kind:
            self.empties += 1
            return
        self.kinds[kind] += 1
        if kind == "text" and looks_with_comma(cell):
            self.with_comma += 1
        shown = cell if isinstance(cell, str) else plain.as_text(cell)
        if not self.overflown:
            self.values[shown[:LONGEST]] += 1
            self.overflown = len(self.values) > MOST_DISTINCT
        number = plain.number_in(shown) if kind in ("integer", "number") else None
        value = number if number is not None else shown[:LONGEST]
        if self.least is None or (
            isinstance(value, str) == isinstance(self.least, str) and value < self.least
        ):
            self.least = value
        if self.most is None or (
            isinstance(value, str) == isinstance(self.most, str) and value > self.most
        ):
            self.most = value

    @property
    def common(self) -> list[tuple[str, int]]:
        """The values that stand most often, where some stand twice; else the first."""
        return self.values.most_common(MOST_SHOWN)


class Profile(Struct):
    """What a source holds. `bad`: the first rows that cannot be carried out, each with the reason;
    `whole`: whether all rows were seen."""

    columns: list[ColumnProfile]
    rows: int = 0
    bad: list[tuple[int, str]] = field(default_factory=list)
    bad_count: int = 0
    whole: bool = True


def profile(
    names: Sequence[str],
    rows: Iterable[Row],
    columns: Sequence[Column] = (),
    most: int | None = None,
) -> Profile:
    """Look through the rows, or through so many of them."""
    kinds = {column.name: column.kind for column in columns}
    found = Profile([ColumnProfile(name, kinds.get(name, "")) for name in names])
    by_name = {column.name: column for column in found.columns}
    for row in rows:
        if most is not None and found.rows >= most:
            found.whole = False
            break
        found.rows += 1
        for name, cell in row.values.items():
            if name in by_name:
                by_name[name].take(cell)
        if row.why is not None:
            _bad(found, by_name, row)
    return found


def _bad(found: Profile, by_name: dict[str, ColumnProfile], row: Row) -> None:
    assert row.why is not None
    found.bad_count += 1
    if len(found.bad) < MOST_MISFITS:
        found.bad.append((row.number, row.why.sentence))
    column = by_name.get(str(row.why.params.get("column", "")))
    if column is not None:
        column.misfit_count += 1
        if len(column.misfits) < MOST_MISFITS:
            column.misfits.append((row.number, plain.show(row.values.get(column.name), 80)))
