"""What several answers of one step justify to expect: proposals of checks, each with its evidence.

A claim "always so" rests on n answers of which none contradicted it. It is made from as many
answers as leave a contradiction in one answer of ten unseen only once in a hundred times: 1 -
0.01^(1/n) < 0.1, so n = 44 (the exact form of the rule of three, Hanley and Lippman-Hand, JAMA 249,
1983). A few values are taken for all that there are if none of them was seen only once or twice
(Good, Biometrika 40, 1953: the unseen mass is about the share of values seen once). Between the
smallest and the largest of n numbers lie nine tenths of all with 99 % confidence from n = 64 on
(Wilks, Ann. Math. Statist. 12, 1941); these limits are widened, and proposed only of numbers that
neither drift nor have a long tail. Forms of text (an identity, a date, `PC-20931`) are too special
to be met by chance, and take 10 different values, out of 3 answers at least; what was sent and
comes back takes 5.

Everything is said of answers, not of the items in them, which resemble each other.
"""

from __future__ import annotations

import re
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterator, Mapping, Sequence
from decimal import ROUND_CEILING, ROUND_FLOOR, Decimal
from itertools import groupby
from math import isfinite
from statistics import correlation, quantiles
from typing import Any

from msgspec import Struct, field

from saltpath.core.paths.jsonpath import as_path
from saltpath.core.references.templates import literal
from saltpath.core.values import plain
from saltpath.core.values.grammar import quoted
from saltpath.core.values.text_formats import FORMATS
from saltpath.core.values.why import Why, why

SURE = 44
SURE_OF_LIMITS = 64
ECHOES = 5
FORMS = 10
FORMS_ANSWERS = 3
MOST_VALUES = 8
TIMES_SEEN = 3
MOST_PLACES = 500
MOST_ITEMS = 200
_TRIED = ("uuid", "date-time", "date", "email", "ipv4", "uri")
_PLAIN_PATH = re.compile(r"\$(?:\.\w+|\[\d+\])*")


class Observed(Struct, frozen=True):
    """One answer's document with what was asked for it: texts and numbers by the reference that
    reads them (`sent $.vessel`)."""

    document: Any
    sent: Mapping[str, Any] = field(default_factory=dict)


class Proposal(Struct, frozen=True):
    """A check as a document, and why it is proposed: the evidence, in a sentence."""

    check: dict[str, Any]
    evidence: Why


class _Place(Struct):
    """What stood at one place: its values in the order of the answers, and in how many answers it
    was."""

    path: str
    pooled: bool
    values: list[Any] = field(default_factory=list)
    answers: list[int] = field(default_factory=list)

    @property
    def everywhere(self) -> int:
        return len(dict.fromkeys(self.answers))


def propose(answers: Sequence[Observed]) -> list[Proposal]:
    """At most one proposal for each place, in the order of the newest answer. `answers`: of one
    step and one status, oldest first."""
    found = []
    for place in _places(answers):
        if place.everywhere < len(answers) or any(
            isinstance(value, dict | list) for value in place.values
        ):
            continue  # a check would fail where the place is missing
        for kind in _KINDS:
            proposal = kind(place, answers)
            if proposal is not None:
                found.append(proposal)
                break
    return found


def _places(answers: Sequence[Observed]) -> list[_Place]:
    """Every leaf of the newest answer; the items of a list are one place."""
    places: dict[str, _Place] = {}
    for number in reversed(range(len(answers))):
        for path, pooled, value in _leaves(answers[number].document):
            place = places.get(path)
            if place is None:
                if number < len(answers) - 1 or len(places) >= MOST_PLACES:
                    continue
                place = places[path] = _Place(path, pooled)
            place.values.append(value)
            place.answers.append(number)
    for place in places.values():
        place.values.reverse()
        place.answers.reverse()
    return list(places.values())


def _leaves(document: Any) -> Iterator[tuple[str, bool, Any]]:
    waiting: list[tuple[str, bool, Any]] = [("$", False, document)]
    while waiting:
        path, pooled, value = waiting.pop()
        if isinstance(value, dict):
            waiting += [
                (path + as_path((name,))[1:], pooled, item)
                for name, item in reversed(value.items())
            ]
        elif isinstance(value, list) and value:
            waiting += [(f"{path}[*]", True, item) for item in reversed(value[:MOST_ITEMS])]
        elif path != "$":
            yield path, pooled, value


def _distinct(values: Sequence[Any]) -> dict[str, int]:
    counts: dict[str, int] = {}
    for value in values:
        text = plain.write_json(value).decode()
        counts[text] = counts.get(text, 0) + 1
    return counts


# ---- what can be proposed of a place, the most telling first


def _sent(place: _Place, answers: Sequence[Observed]) -> Proposal | None:
    """What was sent comes back."""
    if place.pooled:
        return None
    own = [name for name in answers[-1].sent if _last_name(name) == _last_name(place.path)]
    if len(_distinct(place.values)) >= ECHOES:
        candidates = own + [name for name in answers[-1].sent if name not in own]
    else:  # too few values to tell it from chance, but what has its very name
        candidates = own if len(answers) >= SURE else []
    for name in candidates:
        if all(
            name in of.sent and plain.same(of.sent[name], value)
            for of, value in zip(answers, place.values, strict=True)
        ):
            evidence = why(
                "proposed-sent", answers=len(answers), values=len(_distinct(place.values))
            )
            return Proposal({"of": place.path, "is": f"[={_asking(name)}]"}, evidence)
    return None


def _last_name(place: str) -> str:
    return re.split(r"[. ]", place)[-1].lower()


def _asking(name: str) -> str:
    """`sent $.vessel`; a path that a reference cannot hold as it is stands in quotes."""
    kind, _, text = name.partition(" ")
    return (
        name
        if not text.startswith("$") or _PLAIN_PATH.fullmatch(text)
        else f"{kind} {quoted(text)}"
    )


def _constant(place: _Place, answers: Sequence[Observed]) -> Proposal | None:
    if len(answers) < SURE or len(_distinct(place.values)) > 1:
        return None
    value = place.values[0]
    expected = value if not isinstance(value, str) else literal(value)
    return Proposal(
        {"of": place.path, "is": expected}, why("proposed-constant", answers=len(answers))
    )


def _few(place: _Place, answers: Sequence[Observed]) -> Proposal | None:
    """One of a few values, each of them seen often."""
    counts = _distinct(place.values)
    if (
        len(answers) < SURE
        or len(counts) > MOST_VALUES
        or not all(isinstance(value, str) for value in place.values)
    ):
        return None
    seen_in = {
        text: len(
            {
                n
                for n, value in zip(place.answers, place.values, strict=True)
                if value == plain.read_json(text)
            }
        )
        for text in counts
    }
    if min(seen_in.values()) < TIMES_SEEN:
        return None
    values = [literal(plain.read_json(text)) for text in sorted(counts)]
    return Proposal(
        {"of": place.path, "is one of": values},
        why("proposed-few", answers=len(answers), values=len(values), least=min(seen_in.values())),
    )


def _format(place: _Place, answers: Sequence[Observed]) -> Proposal | None:
    distinct = _distinct(place.values)
    if (
        len(distinct) < FORMS
        or len(answers) < FORMS_ANSWERS
        or not all(isinstance(value, str) for value in place.values)
    ):
        return None
    name = next(
        (name for name in _TRIED if all(FORMATS[name].holds(value) for value in place.values)), None
    )
    if name is None:
        return None
    return Proposal(
        {"of": place.path, "format": name},
        why("proposed-format", answers=len(answers), values=len(distinct), form=name),
    )


def _form(place: _Place, answers: Sequence[Observed]) -> Proposal | None:
    """A pattern: the same run of letters, digits and signs in each."""
    distinct = _distinct(place.values)
    if (
        len(distinct) < FORMS
        or len(answers) < FORMS_ANSWERS
        or not all(isinstance(value, str) and 0 < len(value) <= 80 for value in place.values)
    ):
        return None
    pattern = form_of([plain.read_json(text) for text in distinct])
    loose = pattern is not None and "\\d" not in pattern and "{" not in pattern
    if pattern is None or (loose and len(answers) < SURE):
        return None
    return Proposal(
        {"of": place.path, "matches": pattern},
        why("proposed-form", answers=len(answers), values=len(distinct)),
    )


def form_of(texts: Sequence[str]) -> str | None:
    """A pattern that fits all of the texts, at least two and different; None where they have too
    little in common.

    Runs of letters that are the same in all stay as they are; digits stay digits, since numbers
    grow."""
    runs = [[(kind, "".join(chars)) for kind, chars in groupby(text, _class_of)] for text in texts]
    first = [kind for kind, _ in runs[0]]
    if len(first) <= 12 and all([kind for kind, _ in of] == first for of in runs):
        parts = [_run(kind, [of[at][1] for of in runs]) for at, kind in enumerate(first)]
        if len(first) > 1 or first[0] != "[a-z]":
            return "^" + "".join(parts) + "$"
    length = len(texts[0])
    if length >= FORMS and all(len(text) == length for text in texts):
        for letters in ("0-9a-f", "0-9A-F", "0-9A-Za-z", "0-9A-Za-z_-"):
            if all(re.fullmatch(f"[{letters}]+", text) for text in texts):
                return f"^[{letters}]{{{length}}}$"
    return None


def _class_of(char: str) -> str:
    if char in "0123456789":
        return "\\d"
    if "a" <= char <= "z":
        return "[a-z]"
    return (
        "[A-Z]" if "A" <= char <= "Z" else char if char in " -_:/,;@#&=%!~<>'" else re.escape(char)
    )


def _run(kind: str, texts: list[str]) -> str:
    lengths = {len(text) for text in texts}
    same = f"{{{lengths.pop()}}}" if len(lengths) == 1 else "+"
    if kind == "\\d":
        return kind + (same if any(text.startswith("0") for text in texts) else "+")
    if kind in ("[a-z]", "[A-Z]"):
        return texts[0] if len(set(texts)) == 1 else kind + ("" if same == "{1}" else same)
    return kind if same == "{1}" else kind + same


def _limits(place: _Place, answers: Sequence[Observed]) -> Proposal | None:
    """Numbers between two limits, widened outwards to round ones."""
    if len(answers) < SURE_OF_LIMITS or not all(plain.is_number(value) for value in place.values):
        return None
    numbers = [float(value) for value in place.values]
    if (
        len(set(numbers)) < 2 * FORMS
        or not all(map(isfinite, numbers))
        or _drifts(numbers)
        or _has_long_tail(numbers)
    ):
        return None
    low, high = _widened(
        min(map(_exact, place.values)), max(map(_exact, place.values)), len(answers)
    )
    evidence = why(
        "proposed-limits",
        answers=len(answers),
        low=plain.show(min(place.values, key=_exact)),
        high=plain.show(max(place.values, key=_exact)),
    )
    return Proposal({"of": place.path, "between": [low, high]}, evidence)


def _exact(value: Any) -> Decimal:
    return Decimal(value)


def _drifts(numbers: Sequence[float]) -> bool:
    """Whether the numbers go up or down with time: rank correlation (Spearman) with their order, or
    with the number before."""
    ranks = _ranks(numbers)
    along = correlation(range(len(ranks)), ranks)
    before = correlation(ranks[:-1], ranks[1:])
    return abs(along) > 0.4 or abs(before) > 0.5


def _ranks(numbers: Sequence[float]) -> list[float]:
    """The place of each number in their order; equal ones share the middle of theirs."""
    order = sorted(numbers)
    return [(bisect_left(order, number) + bisect_right(order, number)) / 2 for number in numbers]


def _has_long_tail(numbers: Sequence[float]) -> bool:
    """Whether an end lies far from the middle, by the distance of the quartile on its side: beyond
    it more may come."""
    quarter, middle, three = quantiles(numbers, method="inclusive")
    return max(numbers) - middle > 2.6 * (three - middle) or middle - min(numbers) > 2.6 * (
        middle - quarter
    )


def _widened(low: Decimal, high: Decimal, count: int) -> tuple[int | Decimal, int | Decimal]:
    """Five mean gaps further on both sides, to the next round number; what is never negative stays
    so."""
    span = high - low
    step = Decimal(1).scaleb(span.adjusted() - 1)
    margin = 5 * span / count
    down = ((low - margin) / step).to_integral_value(ROUND_FLOOR) * step
    if low >= 0:
        down = max(down, Decimal(0))
    up = ((high + margin) / step).to_integral_value(ROUND_CEILING) * step
    return _whole(down), _whole(up)


def _whole(value: Decimal) -> int | Decimal:
    return int(value) if value == value.to_integral_value() else value.normalize()


def _kind(place: _Place, answers: Sequence[Observed]) -> Proposal | None:
    kinds = {plain.kind_of(value) for value in place.values}
    if kinds == {"integer", "number"}:
        kinds = {"number"}
    if len(answers) < SURE or len(kinds) != 1:
        return None
    [kind] = kinds
    return Proposal(
        {"of": place.path, "kind": kind}, why("proposed-kind", answers=len(answers), kind=kind)
    )


_KINDS: tuple[Callable[[_Place, Sequence[Observed]], Proposal | None], ...] = (
    _sent,
    _constant,
    _few,
    _format,
    _form,
    _limits,
    _kind,
)
