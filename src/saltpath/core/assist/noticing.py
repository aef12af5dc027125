"""Would it notice? An answer with one value turned round after another: a check that still holds
then does not watch that value."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from decimal import Decimal
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from saltpath.core.answers.answer import Answer
from saltpath.core.cases.expectations import Check, Expectation
from saltpath.core.checks.outcome import Outcome
from saltpath.core.paths.jsonpath import MISSING, as_path
from saltpath.core.values import plain

MOST = 200
"""Values of an answer that are turned round."""
Place = tuple[str | int, ...]
_OTHER_STATUS = (500, 200)
STATUS, HEADERS = "status", "headers"
FEWER = "one item fewer"
"""What a list became."""
_NEVER = ("absent",)
"""Relations that no change here makes fail: nothing is added."""


class Turned(Struct, frozen=True):
    """An answer with one thing in it that is otherwise: where (a path, STATUS, HEADERS), and what
    it became."""

    where: str
    became: str
    answer: Answer


class Noticed(Struct, frozen=True):
    """What checks say of the turned answers of a step: how many there were, those that no check
    noticed (where, what it became), and the checks that never minded, by their places."""

    number: int
    unnoticed: tuple[tuple[str, str], ...]
    deaf: tuple[int, ...]

    @property
    def noticed(self) -> int:
        return self.number - len(self.unnoticed)


def turned(answer: Answer) -> Iterator[Turned]:
    """Answers like this one with another status; with another value in the place of each; without
    it; with an item less in each list. Of a list the first item stands for all."""
    status = _OTHER_STATUS[answer.status >= 400]
    yield Turned(STATUS, str(status), replace(answer, status=status))
    bare = answer.head.partition(b"\r\n")[0] + b"\r\n\r\n"
    yield Turned(HEADERS, "gone", replace(answer, head=bare, seen=None))
    document = answer.document()
    if document is MISSING:
        return
    for place, value in list(_leaves(document))[:MOST]:
        where = as_path(place)
        for other in _others(value):
            yield Turned(where, plain.show(other, 60), _with(answer, _put(document, place, other)))
        if place and isinstance(place[-1], str):
            yield Turned(where, "gone", _with(answer, _put(document, place, MISSING)))
    for place, items in list(_lists(document))[:MOST]:
        yield Turned(as_path(place), FEWER, _with(answer, _put(document, place, items[:-1])))


def notice(
    checks: list[Expectation], answer: Answer, judge: Callable[[Expectation, Answer], Outcome]
) -> Noticed | None:
    """What these checks notice of an answer; None where they do not hold as it is, or there are
    none that count."""
    counted = [(place, one) for place, one in enumerate(checks) if not one.advice and not one.off]
    sound = [(place, one) for place, one in counted if judge(one, answer).verdict == "passed"]
    if not sound or any(
        judge(one, answer).verdict == "failed"
        for place, one in counted
        if (place, one) not in sound
    ):
        return None
    minded: set[int] = set()
    number, unnoticed = 0, list[tuple[str, str]]()
    for one in turned(answer):
        number += 1
        found = {place for place, check in sound if judge(check, one.answer).verdict in _MINDS}
        minded |= found
        if not found:
            unnoticed.append((one.where, one.became))
    deaf = tuple(
        place
        for place, one in sound
        if place not in minded and not (isinstance(one, Check) and one.relation in _NEVER)
    )
    return Noticed(number, tuple(unnoticed), deaf)


_MINDS = ("failed", "blocked")


def _leaves(value: Any, place: Place = ()) -> Iterator[tuple[Place, Any]]:
    if isinstance(value, dict) and value:
        for name, inner in value.items():
            yield from _leaves(inner, (*place, name))
    elif isinstance(value, list) and value:
        yield from _leaves(value[0], (*place, 0))
    else:
        yield place, value


def _lists(value: Any, place: Place = ()) -> Iterator[tuple[Place, list[Any]]]:
    """Those with items."""
    if isinstance(value, dict):
        for name, inner in value.items():
            yield from _lists(inner, (*place, name))
    elif isinstance(value, list) and value:
        yield place, value
        yield from _lists(value[0], (*place, 0))


def _others(value: Any) -> tuple[Any, ...]:
    """Other values of the same kind; numbers both lower and much higher."""
    if isinstance(value, bool):
        return (not value,)
    if plain.is_number(value):
        size = abs(Decimal(value))
        return (-size - 1, size * 10 + 1)
    if isinstance(value, str):
        return (f"{value}x",)
    if value is None:
        return ("x",)
    return (["x"],) if isinstance(value, list) else ({"x": 1},)


def _put(document: Any, place: Place, value: Any) -> Any:
    """The document with something else in one place (MISSING: nothing)."""
    if not place:
        return value
    first, rest = place[0], place[1:]
    if isinstance(document, dict):
        made = dict(document)
        if not rest and value is MISSING:
            del made[first]
        else:
            made[first] = _put(document[first], rest, value)
        return made
    copy = list(document)
    copy[int(first)] = _put(document[int(first)], rest, value)
    return copy


def _with(answer: Answer, document: Any) -> Answer:
    """As though this had come."""
    return Answer(
        answer.status,
        answer.head,
        plain.write_json(document),
        answer.time_us,
        answer.first_us,
        answer.namespaces,
        answer.seen,
        answer.redirects,
    )
