"""Pipes on lists and objects: items, places, lengths, joining."""

from __future__ import annotations

from typing import Any

from saltpath.core.paths import jsonpath
from saltpath.core.references.pipes.table import Unfit, list_of, pipe
from saltpath.core.references.pipes.texts import read_one_text
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable, unquote


@pipe("first", "the first item of a list", ([5, 6, 7], "first", 5), each=False)
def _first(value: Any) -> Any:
    return _nth(value, 0)


@pipe("last", "the last item of a list", ([5, 6, 7], "last", 7), each=False)
def _last(value: Any) -> Any:
    return _nth(value, -1)


def _nth(value: Any, index: int) -> Any:
    items = list_of(value)
    if not items:
        raise Unfit("the list is empty")
    return items[index]


def _read_item(rest: str) -> tuple[Any, ...]:
    if not rest.isdigit() or int(rest) < 1:
        raise Unreadable(f"item is written: item 2, counted from 1; found {rest!r}")
    return (int(rest),)


@pipe(
    "item",
    "one item of a list, counted from 1",
    ([5, 6, 7], "item 2", 6),
    "item N",
    _read_item,
    each=False,
)
def _item(value: Any, number: int) -> Any:
    items = list_of(value)
    if number > len(items):
        raise Unfit(f"the list has {len(items)} items")
    return items[number - 1]


def _read_at(rest: str) -> tuple[Any, ...]:
    try:
        return (jsonpath.read_path(unquote(rest) if rest[:1] in ("'", '"') else rest),)
    except jsonpath.PathError as problem:
        raise Unreadable(f"the path after at, {rest!r}, cannot be read: {problem}") from None


@pipe(
    "at",
    "what stands at a path inside the value",
    ({"code": "PIL"}, "at $.code", "PIL"),
    "at $.PATH",
    _read_at,
    each=False,
)
def _at(value: Any, path: jsonpath.Path) -> Any:
    try:
        found = [node.value for node in path.nodes(value)]
    except jsonpath.PathTimeout:
        raise Unfit(
            f"the path was still being evaluated after {jsonpath.LIMIT_S * 1000:.0f} ms"
        ) from None
    if not found:
        raise Unfit(f"there is nothing at {path.text}")
    return found[0] if len(found) == 1 else found


@pipe("length", "how many characters, items or fields", ([5, 6, 7], "length", 3), each=False)
def _length(value: Any) -> int:
    if not isinstance(value, (str, list, dict)):
        raise Unfit(f"it is {plain.with_kind(value)}; only text, a list or an object has a length")
    return len(value)


@pipe(
    "join",
    "the items of a list as one text",
    (["TON", "PIL"], 'join ", "', "TON, PIL"),
    'join ", "',
    read_one_text("join"),
    each=False,
)
def _join(value: Any, by: str) -> str:
    items = list_of(value)
    if None in items:
        raise Unfit("an item is null, which has no text")
    return by.join(map(plain.as_text, items))
