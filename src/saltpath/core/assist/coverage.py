"""Which fields of an answer any check watches, and which none does. A field is a place of a JSON
answer that holds no further places.

A check watches the fields that its subject finds; where it says what a whole branch is (`is`, `is
one of`, `same as last pass`), all below it; an expected body those that it speaks of. That
something is there, its kind or its size is watched at the place itself.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from typing import Any

from msgspec import Struct

from saltpath.core.answers.answer import Answer
from saltpath.core.answers.exchange import MASK
from saltpath.core.answers.subjects import Subject, find
from saltpath.core.assist.observations import places
from saltpath.core.cases.expectations import Check, Expectation
from saltpath.core.checks.groups import as_answer
from saltpath.core.checks.loose import Fields, Items
from saltpath.core.paths.jsonpath import MISSING, as_path
from saltpath.core.references.scopes import Scopes
from saltpath.core.values import plain
from saltpath.core.values.why import Blocked

MOST_FIELDS = 3_000
MOST_ITEMS = 300
_WHOLE = ("is", "is one of", "same as last pass")


class Coverage(Struct, frozen=True):
    """`fields`: how many the answer has (at most 3,000 are looked at); `unchecked`: path and value
    of those that no check watches."""

    fields: int
    unchecked: list[tuple[str, Any]]


def coverage(
    items: Iterable[Expectation],
    answer: Answer,
    scopes: Scopes,
    waits: Callable[[Subject], bool] = lambda _: False,
) -> Coverage | None:
    """None for an answer that is no JSON object or list. `waits`: subjects that are not looked up
    here, since that may take long."""
    document = answer.document()
    if document is MISSING:
        return None
    fields = [
        (path, value)
        for path, value in places(document)
        if not (isinstance(value, dict | list) and value)
    ][:MOST_FIELDS]
    watched: set[str] = set()
    for path, value, whole in _watched(items, answer, scopes, waits):
        watched.add(path)
        if whole and isinstance(value, dict | list):
            watched.update(f"{path}{inner[1:]}" for inner, _ in places(value))
    return Coverage(len(fields), [(path, value) for path, value in fields if path not in watched])


def _watched(
    items: Iterable[Expectation], answer: Answer, scopes: Scopes, waits: Callable[[Subject], bool]
) -> Iterator[tuple[str, Any, bool]]:
    """Path, value, and whether all below it is watched too."""
    for item in items:
        if item.off:
            continue
        if isinstance(item, Check):
            yield from _by_check(item, answer, scopes, waits)
        elif item.kind == "for each" and item.of is not None:
            for place, value in _items(item.of, answer, scopes, waits):
                for path, inner, whole in _watched(
                    item.parts, as_answer(answer, value), scopes, waits
                ):
                    yield place + path[1:], inner, whole
        else:
            yield from _watched((*item.parts, *item.otherwise), answer, scopes, waits)


def _by_check(
    check: Check, answer: Answer, scopes: Scopes, waits: Callable[[Subject], bool]
) -> Iterator[tuple[str, Any, bool]]:
    for path, value in _nodes(check.of, answer, scopes, waits):
        if check.relation in ("fits", "fits exactly"):
            yield from _by_body(path, value, check.expected)
        else:
            yield path, value, check.relation in _WHOLE


def _by_body(path: str, value: Any, pattern: Any) -> Iterator[tuple[str, Any, bool]]:
    """The places that an expected body speaks of. A loose value, and a list in any order, speak of
    all below them."""
    if isinstance(pattern, Fields) and isinstance(value, dict):
        for name, _, inner in pattern.fields:
            if name in value:
                yield from _by_body(path + as_path((name,))[1:], value[name], inner)
    elif isinstance(pattern, Items) and isinstance(value, list) and pattern.mode != "any order":
        for at, item in enumerate(value[:MOST_ITEMS]):
            inner = (
                pattern.items[0]
                if pattern.mode == "every"
                else pattern.items[at]
                if at < len(pattern.items)
                else None
            )
            if inner is not None:
                yield from _by_body(f"{path}[{at}]", item, inner)
    else:
        yield path, value, True


def _items(
    of: Subject, answer: Answer, scopes: Scopes, waits: Callable[[Subject], bool]
) -> list[tuple[str, Any]]:
    nodes = _nodes(of, answer, scopes, waits)
    if len(nodes) == 1 and isinstance(nodes[0][1], list):
        place, value = nodes[0]
        nodes = [(f"{place}[{at}]", item) for at, item in enumerate(value)]
    return nodes[:MOST_ITEMS]


def _nodes(
    of: Subject, answer: Answer, scopes: Scopes, waits: Callable[[Subject], bool]
) -> list[tuple[str, Any]]:
    if of.kind != "path" or waits(of):
        return []
    try:
        return find(of, answer, scopes).nodes
    except Blocked:
        return []


class Field(Struct, frozen=True):
    """Unchecked fields of one name: at one place, or in several items of a list, which then stands
    with [*]. `value` is the first's, `check` what would watch it: the value as it is, in several
    items its kind."""

    path: str
    places: int
    value: Any
    check: dict[str, Any]


_INDEX = re.compile(r"\[\d+\]")


def by_name(unchecked: Iterable[tuple[str, Any]]) -> list[Field]:
    """The fields with the items of lists together, in their order."""
    found: dict[str, list[tuple[str, Any]]] = {}
    for path, value in unchecked:
        found.setdefault(_INDEX.sub("[*]", path), []).append((path, value))
    return [_field(pattern, items) for pattern, items in found.items()]


def _field(pattern: str, items: list[tuple[str, Any]]) -> Field:
    (path, value), kinds = items[0], {plain.kind_of(value) for _, value in items}
    if len(items) > 1:
        watch: dict[str, Any] = {"kind": kinds.pop()} if len(kinds) == 1 else {"present": True}
        return Field(pattern, len(items), value, {"of": pattern, **watch})
    if MASK in plain.as_text(value):
        return Field(path, 1, value, {"of": path, "present": True})
    return Field(
        path,
        1,
        value,
        {"of": path, "empty": True}
        if isinstance(value, dict | list)
        else {"of": path, "is": value},
    )
