"""Rows that no file holds: written out, made from generators, combined, or the items of a list that
was kept."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from math import prod
from typing import Any

from saltpath.core.cases.row_sources import CombinedRows, ListRows, MadeRows, Row, WrittenRows
from saltpath.core.references.scopes import Scopes
from saltpath.core.tables.combining import MOST_WORK, combination, every, pairs, work
from saltpath.core.tables.objects import flat
from saltpath.core.values import plain
from saltpath.core.values.draw import Draw
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.why import Blocked, why

MOST_ROWS = 10_000_000


def made_rows(
    source: WrittenRows | MadeRows | CombinedRows | ListRows, scopes: Scopes
) -> Iterator[Row]:
    """The rows, one after another; what is drawn for them goes by the run's seed, the case, the
    row's number and the column. Raises Blocked where a list is none, and Unreadable for what cannot
    be combined."""
    if isinstance(source, ListRows):
        yield from _of_list(source, scopes)
    elif isinstance(source, WrittenRows):
        names = source.columns_said() or []
        for number, row in enumerate(source.rows, 1):
            yield _filled(number, names, dict(row), scopes)
    elif isinstance(source, MadeRows):
        columns = dict(source.columns)
        for number in range(1, source.count + 1):
            yield _filled(number, list(columns), columns, scopes)
    else:
        for number, trees in enumerate(combined(source, scopes.seeded), 1):
            yield _filled(number, list(trees), trees, scopes)


def combined(source: CombinedRows, seeded: tuple[Any, ...] = ()) -> Iterator[dict[str, Any]]:
    """The combinations, as trees by column. Raises Unreadable where there are too many."""
    names = [name for name, _ in source.columns]
    values = [items for _, items in source.columns]
    sizes = [len(items) for items in values]
    number = prod(sizes)
    rows: Iterable[tuple[int, ...]]
    if source.how == "pairs":
        if work(sizes) > MOST_WORK or (len(sizes) == 2 and number > MOST_ROWS):
            raise Unreadable(
                f"the pairs of {sum(sizes)} values in {len(sizes)} columns are too many; take a "
                "sample"
            )
        rows = every(sizes) if len(sizes) == 2 else pairs(sizes)
    elif source.how == "sample":
        rows = (combination(sizes, at) for at in _drawn(number, source.sample, seeded))
    else:
        if number > MOST_ROWS:
            raise Unreadable(f"these are {number} combinations; take pairs, or a sample")
        rows = every(sizes)
    for places in rows:
        yield {name: items[at] for name, items, at in zip(names, values, places, strict=True)}


def _drawn(number: int, sample: int, seeded: tuple[Any, ...]) -> list[int]:
    """So many different combinations, in their order (Floyd's way to draw without putting back)."""
    if sample >= number:
        return list(range(number))
    draw = Draw(*seeded[:2], "combinations")
    chosen: set[int] = set()
    for last in range(number - sample, number):
        at = draw.below(last + 1)
        chosen.add(last if at in chosen else at)
    return sorted(chosen)


def _of_list(source: ListRows, scopes: Scopes) -> Iterator[Row]:
    items = scopes.fill(source.of)
    if not isinstance(items, list):
        raise Blocked(why("rows-no-list", actual=plain.with_kind(items)))
    rows = [flat(item) for item in items]
    names = dict.fromkeys(name for row in rows for name in row)
    for number, row in enumerate(rows, 1):
        yield Row(number, dict.fromkeys(names) | row)


def _filled(number: int, names: list[str], trees: dict[str, Any], scopes: Scopes) -> Row:
    """A row whose columns are worked out one after another; each sees those before it."""
    seeing = scopes.for_row(number, {})
    values: dict[str, Any] = {}
    for name in names:
        if name not in trees:
            values[name] = None
            continue
        seeing.begin_step(f"column {name}")
        try:
            values[name] = seeing.fill(trees[name])
        except Blocked as problem:
            return Row(number, {**dict.fromkeys(names), **values}, problem.reason)
        seeing.put_column(name, values[name])
    return Row(number, values)
