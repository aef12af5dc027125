"""Keywords of lists."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from saltpath.core.schemas.faults import Fault, below
from saltpath.core.schemas.keywords.table import keyword, shown, whole
from saltpath.core.schemas.keywords.values import counting
from saltpath.core.schemas.nodes import Node, Test
from saltpath.core.values.measures import counted

if TYPE_CHECKING:
    from saltpath.core.schemas.compiling import Context

_LISTS: tuple[type, ...] = (list,)


counting("minItems", list, "item")
counting("maxItems", list, "item")


def _items(count: int) -> str:
    return counted(count, "item")


@keyword("uniqueItems")
def _unique_items(wanted: Any, context: Context) -> Test | None:
    if wanted is not True:
        return None
    return Test(_LISTS, lambda value: _twice(value) is None, _said_twice)


def _twice(value: list[Any]) -> tuple[int, int] | None:
    """Two places with the same item."""
    seen: dict[Any, int] = {}
    for index, item in enumerate(value):
        first = seen.setdefault(_frozen(item), index)
        if first != index:
            return first, index
    return None


def _frozen(value: Any) -> Any:
    """Equal and hashable where values are the same as JSON."""
    if isinstance(value, bool):
        return (bool, value)
    if isinstance(value, list):
        return (list, *map(_frozen, value))
    if isinstance(value, dict):
        return (dict, frozenset((name, _frozen(item)) for name, item in value.items()))
    return value


def _said_twice(value: list[Any]) -> Iterator[Fault]:
    pair = _twice(value)
    assert pair is not None
    yield Fault(
        (pair[1],), "uniqueItems", f"{shown(value[pair[1]])} is there twice, also at [{pair[0]}]"
    )


def _each(name: str, nodes: list[Node], rest: Node | None, keyword_of_rest: str) -> Test:
    """`nodes` for the first items one by one, `rest` for those after."""
    begin = len(nodes)

    def holds(value: list[Any]) -> bool:
        for node, item in zip(nodes, value, strict=False):
            if not node.holds(item):
                return False
        return rest is None or all(map(rest.holds, value[begin:] if begin else value))

    def faults(value: list[Any]) -> Iterator[Fault]:
        for index, (node, item) in enumerate(zip(nodes, value, strict=False)):
            yield from below(index, node.faults(item))
        if rest is not None:
            for index in range(begin, len(value)):
                for fault in below(index, rest.faults(value[index])):
                    yield (
                        fault
                        if fault.keyword
                        else Fault(fault.place, keyword_of_rest, _too_many(begin))
                    )

    def covers(value: list[Any]) -> range:
        return range(len(value) if rest is not None else min(begin, len(value)))

    return Test(_LISTS, holds, faults, covers)


def _too_many(begin: int) -> str:
    return (
        f"only {_items(begin)} {'is' if begin == 1 else 'are'} allowed"
        if begin
        else "no item is allowed"
    )


@keyword("prefixItems", since=2020, vocabulary="applicator")
def _prefix_items(wanted: Any, context: Context) -> Test:
    return _each("prefixItems", context.nodes(wanted), None, "")


@keyword("items", vocabulary="applicator")
def _items_of(wanted: Any, context: Context) -> Test:
    if context.draft >= 2020:
        before = context.schema.get("prefixItems", [])
        # those before are judged by prefixItems
        skipped = [context.node(True)] * (len(before) if isinstance(before, list) else 0)
        return _each("items", skipped, context.node(wanted), "items")
    if isinstance(wanted, list):
        more = context.schema.get("additionalItems")
        rest = context.node(more) if more is not None else None
        return _each("items", context.nodes(wanted), rest, "additionalItems")
    return _each("items", [], context.node(wanted), "items")


@keyword("contains", since=6, vocabulary="applicator")
def _contains(wanted: Any, context: Context) -> Test:
    node = context.node(wanted)
    has_bounds = context.draft >= 2019
    least = whole(context.schema.get("minContains", 1)) if has_bounds else 1
    most = (
        whole(context.schema["maxContains"])
        if has_bounds and "maxContains" in context.schema
        else None
    )

    def fitting(value: list[Any]) -> list[int]:
        return [index for index, item in enumerate(value) if node.holds(item)]

    def holds(value: list[Any]) -> bool:
        found = len(fitting(value))
        return found >= least and (most is None or found <= most)

    def faults(value: list[Any]) -> Iterator[Fault]:
        found = len(fitting(value))
        word = "fits" if found == 1 else "fit"
        asked = f"what at least {least} must" if found < least else f"what at most {most} may"
        near = next(node.faults(value[0]), None) if value and not found else None
        why = f"; of the first: {near.sentence}" if near is not None else ""
        yield Fault(
            (),
            "contains",
            f"{_items(found) if found else 'no item'} {word if found else 'fits'} {asked}{why}",
        )

    # since 2020-12 an item that fits has been judged
    return Test(_LISTS, holds, faults, fitting if context.draft >= 2020 else None)
