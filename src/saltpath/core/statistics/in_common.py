"""What rows that went wrong have in common, and rows that went well have not.

Each feature of the rows (a column, a step's time, status or size) gives conditions: a number above
a limit, a text that is one of the few that stand there, a cell that is empty, a text longer than
others. For each the hypergeometric z score says how much more often it holds of the bad rows than
chance would have it. Many conditions are tried, so the best of them must be better than the best
that as many rows, named bad at random, have: the single-step max-T permutation test of Westfall and
Young (Resampling-Based Multiple Testing, 1993), which keeps the chance of any false claim at
`ALPHA` however the conditions depend on one another. The permutations are drawn from the data's own
digest, so that the same rows get the same answer.
"""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Sequence
from decimal import Decimal
from typing import Any

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from saltpath.core.values import plain
from saltpath.core.values.why import Why, why

ALPHA = 0.05
PERMUTATIONS = 999
FEWEST = 3
"""Of bad rows, and of good ones: with fewer nothing can be told from chance."""
MOST_LIMITS = 120
MOST_WORDS = 12
MOST_CLAIMS = 3
MOST_TRIED = 3_000
SAME = 0.8

Mask = npt.NDArray[np.bool_]


class Feature(Struct, frozen=True):
    """Something that each row has: its `name` in a sentence, and a value a row; `...` where a row
    has none. `unit`: of its numbers."""

    name: str
    values: Sequence[Any]
    unit: str = ""


class Claim(Struct, frozen=True):
    """What was found, as a sentence; `p` is the chance that rows at random have something in common
    that clearly (adjusted, from 0 to 1); `bad` and `good`: of how many rows of each it holds."""

    why: Why
    p: float
    feature: str
    bad: int
    good: int


class _Condition(Struct, frozen=True):
    """`numbers`: what a limit was set among, with the word before it and the unit behind it."""

    feature: str
    words: str
    holds: Mask
    numbers: Any = None
    word: str = ""
    unit: str = ""


def in_common(
    features: Sequence[Feature], bad: Sequence[bool], verdict: str = "failed", alpha: float = ALPHA
) -> list[Claim]:
    """What the bad rows have in common, clearest first, at most three things; nothing where it may
    as well be chance. `verdict`: the word for what they did."""
    wrong = np.asarray(bad, dtype=bool)
    if wrong.sum() < FEWEST or (~wrong).sum() < FEWEST:
        return []
    conditions = [
        condition for feature in features for condition in _conditions(feature, len(wrong))
    ][:MOST_TRIED]
    if not conditions:
        return []
    holds = np.array([condition.holds for condition in conditions], dtype=np.float32)
    scores = _scores(holds, wrong[np.newaxis, :].astype(np.float32))[0]
    best = _best_at_random(holds, wrong)
    claims: list[Claim] = []
    taken: list[Mask] = []
    told: set[str] = set()
    for index in np.argsort(-np.abs(scores), kind="stable"):
        p = float((1 + (best >= abs(scores[index]) - 1e-9).sum()) / (len(best) + 1))
        if p > alpha or len(claims) == MOST_CLAIMS:
            break
        refined = _refined(conditions[index], wrong, bool(scores[index] > 0))
        condition = refined if scores[index] > 0 else _opposite(refined)
        if (
            condition is None
            or condition.feature in told
            or any(_alike(condition.holds, other) for other in taken)
        ):
            continue
        told.add(condition.feature)
        taken.append(condition.holds)
        claims.append(_claim(condition, wrong, verdict, p))
    return claims


def _scores(holds: Any, outcomes: Any) -> Any:
    """The hypergeometric z score of each condition for each way to name rows bad; shapes
    (conditions, rows) and (ways, rows)."""
    rows = holds.shape[1]
    having, bad = holds.sum(axis=1), outcomes.sum(axis=1)
    both = outcomes @ holds.T
    expected = np.outer(bad, having) / rows
    spread = np.outer(bad * (rows - bad), having * (rows - having)) / (rows * rows * (rows - 1))
    return (both - expected) / np.sqrt(np.maximum(spread, 1e-12))


def _best_at_random(holds: Any, wrong: Mask) -> Any:
    """The best score of each of many ways to name as many rows bad at random."""
    digest = hashlib.blake2b(
        np.packbits(wrong).tobytes() + np.packbits(holds > 0).tobytes(), digest_size=8
    )
    chance = np.random.default_rng(int.from_bytes(digest.digest(), "big"))
    best = []
    at_once = max(1, 8_000_000 // max(len(wrong), 1))
    for begin in range(0, PERMUTATIONS, at_once):
        ways = np.tile(wrong, (min(at_once, PERMUTATIONS - begin), 1))
        ways = chance.permuted(ways, axis=1).astype(np.float32)
        best.append(np.abs(_scores(holds, ways)).max(axis=1))
    return np.concatenate(best)


# ---- conditions


def _conditions(feature: Feature, rows: int) -> list[_Condition]:
    values = list(feature.values)
    if any(value is ... for value in values):
        return []  # of some rows it is not known, which may itself come of what went wrong
    found: list[_Condition] = []
    empty = np.array([value is None or value == "" for value in values], dtype=bool)
    if 0 < empty.sum() < rows:
        found.append(_Condition(feature.name, f"{feature.name} empty", empty))
    numbers = [_number(value) for value in values]
    filled = rows - int(empty.sum())
    if filled and sum(number is not None for number in numbers) == filled:
        found += _above(
            feature, np.array([np.nan if n is None else n for n in numbers], dtype=float), "above"
        )
        if len({n for n in numbers if n is not None}) > MOST_WORDS:
            return found
    elif (
        filled
        and len(set(map(str, values))) > MOST_WORDS
        and all(isinstance(value, str) for value in values if value is not None)
    ):
        lengths = np.array(
            [np.nan if not value else float(len(value)) for value in values], dtype=float
        )
        found += _above(Feature(feature.name, (), "characters"), lengths, "longer than")
    texts = [
        "" if value is None else value if isinstance(value, str) else plain.as_text(value)
        for value in values
    ]
    for text, times in Counter(texts).most_common(MOST_WORDS):
        if text and 1 < times < rows:
            found.append(
                _Condition(
                    feature.name,
                    f"{feature.name} {text[:60]}",
                    np.array([one == text for one in texts], dtype=bool),
                )
            )
    return found


def _number(value: Any) -> float | None:
    if isinstance(value, bool | float):
        return value if isinstance(value, float) else None
    if isinstance(value, str):
        value = plain.number_in(value.strip()) if value.strip() and len(value) < 40 else None
    return float(value) if plain.is_number(value) else None


def _above(feature: Feature, numbers: Any, word: str) -> list[_Condition]:
    """Limits between the numbers that stand there; of many, evenly taken."""
    distinct = np.unique(numbers[~np.isnan(numbers)])
    places = np.arange(len(distinct) - 1)
    if len(places) > MOST_LIMITS:
        places = np.unique(np.linspace(0, len(distinct) - 2, MOST_LIMITS).astype(int))
    found = []
    for at in places:
        found.append(
            _limited(
                feature.name,
                numbers,
                float(distinct[at]),
                float(distinct[at + 1]),
                word,
                feature.unit,
            )
        )
    return found


def _limited(name: str, numbers: Any, low: float, high: float, word: str, unit: str) -> _Condition:
    limit = _round_between(low, high)
    with np.errstate(invalid="ignore"):
        return _Condition(
            name,
            f"{name} {word} {limit}{' ' if unit else ''}{unit}",
            numbers > low,
            numbers,
            word,
            unit,
        )


def _refined(condition: _Condition, wrong: Mask, above: bool) -> _Condition:
    """The same with the limit that parts bad rows from good ones best, where only some limits were
    tried."""
    if condition.numbers is None:
        return condition
    known = ~np.isnan(condition.numbers)
    distinct, at = np.unique(condition.numbers[known], return_inverse=True)
    rows = np.bincount(at, minlength=len(distinct))
    bad = np.bincount(at, weights=wrong[known], minlength=len(distinct))
    over, bad_over = rows[::-1].cumsum()[::-1][1:], bad[::-1].cumsum()[::-1][1:]
    share, total = wrong.sum() / len(wrong), len(wrong)
    score = (bad_over - over * share) / np.sqrt(np.maximum(over * (total - over), 1))
    best = int(np.argmax(score if above else -score))
    low, high = float(distinct[best]), float(distinct[best + 1])
    return _limited(condition.feature, condition.numbers, low, high, condition.word, condition.unit)


def _round_between(low: float, high: float) -> str:
    """The number with the fewest digits that is at least `low` and below `high`."""
    for digits in range(9, -10, -1):
        step = Decimal(10) ** digits
        limit = (Decimal(repr(low)) / step).to_integral_value(rounding="ROUND_CEILING") * step
        if Decimal(repr(low)) <= limit < Decimal(repr(high)):
            return f"{limit:f}".rstrip("0").rstrip(".") if "." in f"{limit:f}" else f"{limit:f}"
    return f"{low:g}"


def _opposite(condition: _Condition) -> _Condition | None:
    """What the bad rows have where they lack a condition: below instead of above; nothing is said
    of what they merely are not."""
    for above, below in ((" above ", " at most "), (" longer than ", " no longer than ")):
        head, found, limit = condition.words.rpartition(above)
        if found and head == condition.feature:
            return _Condition(condition.feature, f"{head}{below}{limit}", ~condition.holds)
    if condition.words == f"{condition.feature} empty":
        return _Condition(condition.feature, f"{condition.feature} filled", ~condition.holds)
    return None


def _alike(one: Mask, other: Mask) -> bool:
    """Whether two conditions hold of nearly the same rows, so that the second says nothing new."""
    either = int((one | other).sum())
    return either > 0 and int((one & other).sum()) / either > SAME


def _claim(condition: _Condition, wrong: Mask, verdict: str, p: float) -> Claim:
    bad, good = int((condition.holds & wrong).sum()), int((condition.holds & ~wrong).sum())
    of_bad, of_good = int(wrong.sum()), int((~wrong).sum())
    code = (
        "common-only"
        if bad == of_bad and not good
        else "common-all"
        if bad == of_bad
        else "common-most"
    )
    reason = why(
        code,
        verdict=verdict,
        condition=condition.words,
        bad=bad,
        of=of_bad,
        good=good,
        others=of_good,
    )
    return Claim(reason, p, condition.feature, bad, good)
