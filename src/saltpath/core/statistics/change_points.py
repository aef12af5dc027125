"""Where the level of response times changed.

Binary segmentation (Vostrikova 1981) by the largest CUSUM of normal scores of ranks (Pettitt 1979;
van der Waerden's scores), so that neither outliers nor heavy tails matter; also by a stretch that
differs from both sides, as in circular binary segmentation (Olshen, Venkatraman, Lucito and Wigler
2004). The CUSUM is scaled by a long-run standard deviation from differences and from means of
neighbouring blocks, into which neither a change nor dependence between neighbours enters (Dehling,
Fried, Garcia and Wendler 2015; Tecuapetla-Gomez and Munk 2017). A slope is no jump. In the end
small changes, and those that stand no longer beside their neighbours, fall out, the weakest first.

docs/development/decisions/watches.md has what was measured of it: false alarms, what it finds.
"""

from __future__ import annotations

from functools import lru_cache
from itertools import pairwise
from math import exp, log, log1p, sqrt
from statistics import NormalDist
from typing import NamedTuple

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

Numbers = NDArray[np.float64]
_FEW = 100
"""From so many on neighbouring blocks have something to say."""


class Rule(Struct, frozen=True):
    """What it takes to be called a change."""

    threshold: float = 3.6
    """The CUSUM in standard deviations."""
    edge: int = 12
    """So many values lie on each side of one."""
    effect: float = 0.10
    """The least by which the median is higher or lower, as a share."""
    stretch: float = 0.6
    """By so much more the CUSUM of a stretch has to be."""
    shortest: int = 24
    """Values of a stretch."""


USUAL = Rule()
WATCHED = Rule(threshold=6.0, edge=30, shortest=60)
"""For who looks each hour, and has a watch's thousands of chances to be wrong."""


class Change(Struct, frozen=True):
    """From the value at `at` on the level is another. Levels are medians, as times."""

    at: int
    before: float
    after: float
    statistic: float
    jump: bool
    """It happens at once; a slope does not."""

    @property
    def ratio(self) -> float:
        return self.after / self.before

    def stands(self, rule: Rule) -> bool:
        large = abs(log(self.ratio)) >= log1p(rule.effect)
        return large and self.jump and self.statistic >= rule.threshold


def changes(
    times: NDArray[np.generic], rule: Rule = USUAL, daily: Numbers | None = None
) -> list[Change]:
    """In times above 0, in their order. `daily`: what the time of day adds to the logarithm of
    each, which is taken off first (daily_profile.py)."""
    logs = np.log(np.maximum(times.astype(np.float64), 1e-9))
    if daily is not None:
        logs = logs - daily
    found = _segmented(logs, rule)
    while True:
        found = _placed(logs, found, rule.edge)
        said = _judged(logs, found, rule.edge)
        weak = [one for one in said if not one.stands(rule)]
        if not weak:
            return said
        found.remove(min(weak, key=lambda one: one.statistic).at)


def _segmented(logs: Numbers, rule: Rule) -> list[int]:
    """Places of changes, each part of the series looked at again by itself."""
    found: set[int] = set()
    todo = [(0, len(logs))]
    while todo:
        begin, end = todo.pop()
        part = logs[begin:end]
        if len(part) < 2 * rule.edge or part.max() == part.min():
            continue
        z = _scores(part)
        deviation = _long_run(z)
        if deviation <= 0:
            continue
        split, jump = _best_split(z, deviation, rule.edge)
        first, last, differs = _best_stretch(z, deviation, rule)
        if differs > rule.threshold + rule.stretch and differs > jump:
            places = [begin + first, begin + last]
        elif jump > rule.threshold and _is_jump(z, split, deviation, rule.edge):
            places = [begin + split]
        else:
            continue
        found.update(places)
        todo += pairwise([begin, *places, end])
    return sorted(place for place in found if 0 < place < len(logs))


def _scores(part: Numbers) -> Numbers:
    """Each value's rank (the middle one of equals) as a quantile of the normal distribution."""
    order = np.argsort(part, kind="stable")
    ordered = part[order]
    new = np.append(True, ordered[1:] != ordered[:-1])
    first = np.flatnonzero(new)
    last = np.append(first[1:], len(part)) - 1
    doubled = np.empty(len(part), np.int64)
    doubled[order] = (first + last)[np.cumsum(new) - 1]
    return _normal(len(part))[doubled]


@lru_cache(maxsize=64)
def _normal(number: int) -> Numbers:
    """The scores of so many ranks, by twice the rank from 0."""
    inverse = NormalDist().inv_cdf
    return np.array([inverse((place / 2 + 0.5) / number) for place in range(2 * number - 1)])


def _long_run(z: Numbers) -> float:
    """The long-run standard deviation of scores: the greater of one by differences, near and far
    (as of an autoregressive series), and one by the means of neighbouring blocks."""
    number = len(z)
    lag = max(3, min(round(number ** (1 / 3)), number // 8))
    near = float(np.mean(np.diff(z) ** 2)) / 2
    lags = range(2 * lag, 3 * lag + 1)
    far = float(np.mean([np.mean((z[k:] - z[:-k]) ** 2) / 2 for k in lags if k < number]))
    if far <= 0:
        return 0.0
    phi = min(max(1 - near / far, 0.0), 0.95)
    variance = far * (1 + phi) / (1 - phi)
    if number >= _FEW:
        size = max(5, number // 40)
        blocks = number // size
        steps = [
            np.diff(z[since : since + blocks * size].reshape(blocks, size).mean(1))
            for since in (0, number - blocks * size)
        ]
        middle = float(np.median(np.abs(np.concatenate(steps))))
        variance = max(variance, size * (1.4826 * middle) ** 2 / 2)
    return sqrt(variance)


def _best_split(z: Numbers, deviation: float, edge: int) -> tuple[int, float]:
    """Where the CUSUM is largest, and how large."""
    number = len(z)
    place = np.arange(edge, number - edge + 1)
    added = np.cumsum(z)
    cusum = np.abs(added[place - 1] - added[-1] * place / number)
    cusum /= np.sqrt(place * (number - place) / number) * deviation
    best = int(cusum.argmax())
    return int(place[best]), float(cusum[best])


def _best_stretch(z: Numbers, deviation: float, rule: Rule) -> tuple[int, int, float]:
    """The stretch that differs most from the rest on both sides: from, to, by how much."""
    number = len(z)
    added = np.append(0.0, np.cumsum(z))
    best = (0, 0, 0.0)
    length = float(rule.shortest)
    while length <= number / 2:
        width = int(length)
        differs = np.abs(added[width:] - added[:-width] - added[-1] * width / number)
        differs[: rule.edge] = 0
        differs[number - width - rule.edge + 1 :] = 0
        at = int(differs.argmax())
        statistic = float(differs[at]) / sqrt(width * (number - width) / number) / deviation
        if statistic > best[2]:
            best = (at, at + width, statistic)
        length *= 1.25
    return best


def _is_jump(z: Numbers, at: int, deviation: float, edge: int) -> bool:
    """Whether at least half of the whole difference lies close by; of a slope it does not."""
    whole = float(z[at:].mean() - z[:at].mean())
    wanted = max(32 * (deviation / max(abs(whole), 1e-9)) ** 2, edge)
    near = int(min(wanted, at, len(z) - at))
    step = float(z[at : at + near].mean() - z[at - near : at].mean())
    return bool(step * np.sign(whole) >= 0.5 * abs(whole))


def _placed(logs: Numbers, found: list[int], edge: int) -> list[int]:
    """Each where the CUSUM between its neighbours is largest."""
    for _ in range(3):
        moved: list[int] = []
        for place, end in pairwise([*found, len(logs)]):
            begin = moved[-1] if moved else 0
            if end - begin < 2 * edge:
                moved.append(place)
            else:
                moved.append(begin + _best_split(_scores(logs[begin:end]), 1.0, edge)[0])
        if moved == found:
            break
        found = sorted(set(moved))
    return found


class _Part(NamedTuple):
    begin: int
    at: int
    end: int


def _judged(logs: Numbers, found: list[int], edge: int) -> list[Change]:
    """Each change beside what lies up to its neighbours."""
    edges = [0, *found, len(logs)]
    said = []
    for part in map(_Part._make, zip(edges, edges[1:], edges[2:], strict=False)):
        before, after = logs[part.begin : part.at], logs[part.at : part.end]
        z = _scores(logs[part.begin : part.end])
        deviation, number, at = _long_run(z), len(z), len(before)
        statistic, jump = 0.0, True
        if deviation > 0:
            cusum = abs(float(z[:at].sum() - z.sum() * at / number))
            statistic = cusum / sqrt(at * (number - at) / number) / deviation
            jump = _is_jump(z, at, deviation, edge)
        levels = exp(float(np.median(before))), exp(float(np.median(after)))
        said.append(Change(part.at, *levels, statistic, jump))
    return said
