"""Values of several columns combined: all of them, or as few rows as hold every pair.

Pairs are covered in parameter order (Lei and Tai, In-parameter-order: a test generation strategy for pairwise testing, HASE 1998): the
columns with most values come first, each further column first lengthens the rows there are, then what is missing gets rows of its own.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import product

Places = list[int | None]
MOST_CELLS = 2_000
"""Values of all columns together, for pairs; their pairs grow with the square."""


def every(sizes: Sequence[int]) -> Iterator[tuple[int, ...]]:
    """Every combination of indexes, the last column changing first."""
    return product(*map(range, sizes))


def combination(sizes: Sequence[int], number: int) -> tuple[int, ...]:
    """The combination with this number, from 0, in the order of `every`."""
    places: list[int] = []
    for size in reversed(sizes):
        number, at = divmod(number, size)
        places.append(at)
    return tuple(reversed(places))


def pairs(sizes: Sequence[int]) -> list[tuple[int, ...]]:
    """Rows of indexes, one of each column, in which every two values of two columns stand together at least once."""
    if len(sizes) < 2:
        return [(at,) for at in range(sizes[0])] if sizes else []
    order = sorted(range(len(sizes)), key=lambda column: -sizes[column])
    rows: list[Places] = [[a, b] for a, b in product(range(sizes[order[0]]), range(sizes[order[1]]))]
    for at in range(2, len(order)):
        _lengthen(rows, [sizes[column] for column in order[: at + 1]])
    back = sorted(range(len(order)), key=lambda place: order[place])
    return [tuple(row[place] or 0 for place in back) for row in rows]


def _lengthen(rows: list[Places], sizes: list[int]) -> None:
    """A further column: each row gets the value with which it holds most pairs that none holds yet; then rows for the others."""
    new = len(sizes) - 1
    missing = {
        (column, value, own) for column in range(new) for value in range(sizes[column]) for own in range(sizes[new])
    }
    for held in rows:
        best = max(
            range(sizes[new]), key=lambda own: sum((column, held[column], own) in missing for column in range(new))
        )
        held.append(best)
        missing -= {(column, held[column], best) for column in range(new) if held[column] is not None}
    free: list[Places] = [row for row in rows if None in row]
    for column, value, own in sorted(missing):
        if (column, value, own) not in missing:
            continue
        row: Places | None = next((r for r in free if r[new] in (None, own) and r[column] in (None, value)), None)
        if row is None:
            row = [None] * (new + 1)
            rows.append(row)
            free.append(row)
        row[column], row[new] = value, own
        missing -= {(c, row[c], own) for c in range(new) if row[c] is not None}
