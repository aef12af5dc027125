"""What the steps of a run took, as an entry for each thing that is followed."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from saltpath.core.answers.exchange import Times
from saltpath.core.statistics.histogram import rank
from saltpath.core.trends.entries import MOST, STEP, Entries

Numbers = NDArray[np.int64]


class Taken(Struct, frozen=True):
    """Steps that were carried out, a value each: whose entry it goes to, its length in
    microseconds, whether there was an answer (else its time says nothing), whether it was bad, and
    how large the answer was."""

    series: Numbers
    us: Numbers
    answered: NDArray[np.bool_]
    bad: NDArray[np.bool_]
    size: Numbers

    @staticmethod
    def of(rows: Sequence[tuple[int, int, bool, bool, int]]) -> Taken:
        columns = np.array(rows, np.int64).reshape(-1, 5).T
        series, us, answered, bad, size = columns
        return Taken(series, us, answered.astype(bool), bad.astype(bool), size)


def step_entries(
    taken: Taken, run: int, at: int, phases: dict[int, tuple[int, int, int]]
) -> Entries:
    """One a series, by its number. `phases`: of some of them, as `phases_of` gives them."""
    ids, row = np.unique(taken.series, return_inverse=True)
    made = np.zeros(len(ids), STEP)
    made["series"], made["run"], made["at"] = ids, run, at
    made["number"] = np.bincount(row, minlength=len(ids))
    made["bad"] = np.bincount(row, weights=taken.bad, minlength=len(ids))
    size = np.zeros(len(ids), np.int64)
    np.maximum.at(size, row, taken.size)
    made["size"] = np.minimum(size, MOST)
    timed_row, us = row[taken.answered], np.minimum(taken.us[taken.answered], MOST)
    order = np.lexsort((us, timed_row))
    timed_row, us = timed_row[order], us[order]
    made["sum"] = np.bincount(timed_row, weights=us, minlength=len(ids))
    number = np.bincount(timed_row, minlength=len(ids))
    made["timed"] = number
    begins = np.concatenate(([0], np.cumsum(number)))
    for name, share in (("median", 0.5), ("p95", 0.95)):
        there = np.flatnonzero(number)
        ranks = [rank(share, int(many)) - 1 for many in number[there]]
        made[name][there] = us[begins[there] + np.array(ranks, np.int64)]
    for place, id in enumerate(ids.tolist()):
        made["connecting"][place], made["waiting"][place], made["receiving"][place] = phases.get(
            id, (0, 0, 0)
        )
    return made


def phases_of(times: Sequence[Times]) -> tuple[int, int, int]:
    """What connecting (looking the name up and TLS included), waiting and receiving were of the
    whole, in 255ths, over some exchanges."""
    connecting = sum(one.lookup + one.connect + one.tls for one in times)
    waiting = sum(one.waiting for one in times)
    receiving = sum(one.receiving for one in times)
    whole = connecting + waiting + receiving
    if not whole:
        return 0, 0, 0
    parts: list[Any] = [round(255 * part / whole) for part in (connecting, waiting, receiving)]
    return parts[0], parts[1], parts[2]
