"""Keywords that apply other schemas to the same value."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from itertools import islice
from typing import TYPE_CHECKING, Any

from saltpath.core.schemas.faults import Fault, since
from saltpath.core.schemas.keywords.table import keyword, shown
from saltpath.core.schemas.nodes import TYPES, Node, Test, leaf
from saltpath.core.values.nearest import listed

if TYPE_CHECKING:
    from saltpath.core.schemas.compiling import Context

_MOST_OF_A_FORM = 3
"""Faults that are told of the nearest form."""
_OF_KIND = {"type", "const", "enum"}


def _referring(name: str, since: int, until: int, target: Callable[[Context, str], Node]) -> None:
    @keyword(name, since=since, until=until, vocabulary="")
    def _make(wanted: Any, context: Context) -> Test:
        if not isinstance(wanted, str):
            raise TypeError
        node = target(context, wanted)
        return Test(TYPES, node.holds, node.faults, node.covered)


_referring("$ref", 4, 9999, lambda context, to: context.referred(to))
_referring("$dynamicRef", 2020, 9999, lambda context, to: context.dynamically(to))
_referring("$recursiveRef", 2019, 2020, lambda context, to: context.recursively(to))


@keyword("allOf", vocabulary="applicator")
def _all_of(wanted: Any, context: Context) -> Test:
    nodes = context.nodes(wanted)

    def faults(value: Any) -> Iterator[Fault]:
        for node in nodes:
            yield from node.faults(value)

    def covers(value: Any) -> set[Any]:
        return {key for node in nodes for key in node.covered(value)}

    return Test(TYPES, lambda value: all(node.holds(value) for node in nodes), faults, covers)


def _covered_by_fitting(nodes: list[Node]) -> Callable[[Any], set[Any]]:
    return lambda value: {key for node in nodes if node.holds(value) for key in node.covered(value)}


@keyword("anyOf", vocabulary="applicator")
def _any_of(wanted: Any, context: Context) -> Test:
    nodes = context.nodes(wanted)
    return Test(
        TYPES,
        lambda value: any(node.holds(value) for node in nodes),
        lambda value: _none_fits("anyOf", nodes, value),
        _covered_by_fitting(nodes),
    )


@keyword("oneOf", vocabulary="applicator")
def _one_of(wanted: Any, context: Context) -> Test:
    nodes = context.nodes(wanted)

    def holds(value: Any) -> bool:
        return sum(node.holds(value) for node in nodes) == 1

    def faults(value: Any) -> Iterator[Fault]:
        fitting = [str(place) for place, node in enumerate(nodes, 1) if node.holds(value)]
        if not fitting:
            yield from _none_fits("oneOf", nodes, value)
        else:
            yield Fault(
                (), "oneOf", f"{shown(value)} fits forms {listed(fitting)}, and must fit just one"
            )

    return Test(TYPES, holds, faults, _covered_by_fitting(nodes))


def _none_fits(keyword: str, nodes: list[Node], value: Any) -> Iterator[Fault]:
    """What is wrong with the nearest of the forms; where the value is of another kind than all of
    them, what each wants."""
    told = [list(islice(node.faults(value), _MOST_OF_A_FORM)) for node in nodes]
    if len(told) == 1:
        yield from told[0]
        return
    near = max(told, key=_nearness, default=[])
    if not near or _nearness(near)[0] == 0:
        each = list(dict.fromkeys(faults[0].sentence for faults in told if faults))
        yield Fault(
            (),
            keyword,
            f"{shown(value)} fits none of {len(nodes)} forms: {'; '.join(each[:_MOST_OF_A_FORM])}",
        )
    else:
        form = told.index(near) + 1
        yield from since(f"form {form} of {len(nodes)} is the nearest", iter(near))


def _nearness(faults: list[Fault]) -> tuple[int, int, int]:
    """Of the right kind at all; how deep the faults lie; how few they are."""
    kinds = any(not fault.place and fault.keyword in _OF_KIND for fault in faults)
    told = any(len(fault.place) == 1 and fault.keyword in ("const", "enum") for fault in faults)
    return (0 if kinds else 1, 0 if told else 1, -len(faults))


@keyword("not", vocabulary="applicator")
def _not(wanted: Any, context: Context) -> Test:
    node = context.node(wanted)
    return leaf(
        TYPES,
        "not",
        lambda value: not node.holds(value),
        lambda value: f"{shown(value)} follows {shown(wanted)}, which it must not",
    )


@keyword("if", since=7, vocabulary="applicator")
def _if(wanted: Any, context: Context) -> Test:
    condition = context.node(wanted)
    then, otherwise = (context.node(context.schema.get(name, True)) for name in ("then", "else"))

    def chosen(value: Any) -> Node:
        return then if condition.holds(value) else otherwise

    def faults(value: Any) -> Iterator[Fault]:
        fits = condition.holds(value)
        reason = "asked since “if” fits" if fits else "asked since “if” does not fit"
        yield from since(reason, chosen(value).faults(value))

    def covers(value: Any) -> set[Any]:
        return (
            condition.covered(value) | then.covered(value)
            if condition.holds(value)
            else otherwise.covered(value)
        )

    return Test(TYPES, lambda value: chosen(value).holds(value), faults, covers)
