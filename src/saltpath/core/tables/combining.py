"""Values of several columns combined: all of them, or as few rows as hold every pair.

Pairs are covered in parameter order (Lei and Tai, In-parameter-order: a test generation strategy
for pairwise testing, HASE 1998): the columns with most values come first, each further column first
lengthens the rows there are, then what is missing gets rows of its own.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import product

Places = list[int | None]
MOST_WORK = 150_000
"""The rows that the two longest columns make, times the columns; what is worked out for pairs grows
with it. Two seconds."""


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
    """Rows of indexes, one of each column, in which every two values of two columns stand together
    at least once."""
    if len(sizes) < 2:
        return [(at,) for at in range(sizes[0])] if sizes else []
    order = sorted(range(len(sizes)), key=lambda column: -sizes[column])
    rows: list[Places] = [
        [a, b] for a, b in product(range(sizes[order[0]]), range(sizes[order[1]]))
    ]
    for at in range(2, len(order)):
        _lengthen(rows, [sizes[column] for column in order[: at + 1]])
    back = sorted(range(len(order)), key=lambda place: order[place])
    return [tuple(row[place] or 0 for place in back) for row in rows]


def work(sizes: Sequence[int]) -> int:
    """How much there is to do for `pairs`, as MOST_WORK counts."""
    longest = sorted(sizes, reverse=True)
    return longest[0] * longest[1] * len(sizes) if len(longest) > 2 else 0


def _lengthen(rows: list[Places], sizes: list[int]) -> None:
    """A further column: each row gets the value with which it holds most pairs that none holds yet;
    then rows for the others."""
    import numpy as np

    new = len(sizes) - 1
    missing = [np.ones((sizes[column], sizes[new]), dtype=np.int16) for column in range(new)]
    for held in rows:
        known = [(column, value) for column in range(new) if (value := held[column]) is not None]
        gain = np.zeros(sizes[new], dtype=np.int16)
        for column, value in known:
            gain += missing[column][value]
        best = int(gain.argmax())
        held.append(best)
        for column, value in known:
            missing[column][value, best] = 0
    free: dict[int, list[Places]] = {}
    for row in rows:
        if None in row:
            free.setdefault(row[new] or 0, []).append(row)
    for column in range(new):
        for value, own in np.argwhere(missing[column]).tolist():
            if not missing[column][value, own]:
                continue
            fitting = free.setdefault(own, [])
            row = next((r for r in fitting if r[column] in (None, value)), [])
            if not row:
                row = [None] * (new + 1)
                rows.append(row)
                fitting.append(row)
            row[column], row[new] = value, own
            for c in range(new):
                if (held_there := row[c]) is not None:
                    missing[c][held_there, own] = 0
