"""Keywords of objects."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, Any

from saltpath.core.schemas.faults import Fault, below, since
from saltpath.core.schemas.keywords.table import keyword, names, shown
from saltpath.core.schemas.keywords.values import counting, found
from saltpath.core.schemas.nodes import Node, Test
from saltpath.core.values.nearest import nearest

if TYPE_CHECKING:
    from saltpath.core.schemas.compiling import Context

_OBJECTS: tuple[type, ...] = (dict,)


@keyword("required")
def _required(wanted: Any, context: Context) -> Test:
    asked = names(wanted)

    def faults(value: dict[str, Any]) -> Iterator[Fault]:
        for name in asked:
            if name not in value:
                near = nearest(name, (other for other in value if other not in asked))
                more = f"; there is {shown(near)}" if near else ""
                yield Fault((), "required", f"{shown(name)} is missing{more}")

    return Test(_OBJECTS, lambda value: all(name in value for name in asked), faults)


counting("minProperties", dict, "field")
counting("maxProperties", dict, "field")


def _beside(keyword: str, asked: dict[str, list[str]]) -> Test:
    """Names that must be there where another one is."""

    def faults(value: dict[str, Any]) -> Iterator[Fault]:
        for name, others in asked.items():
            if name in value:
                for other in others:
                    if other not in value:
                        yield Fault(
                            (), keyword, f"{shown(other)} is missing, which goes with {shown(name)}"
                        )

    def holds(value: dict[str, Any]) -> bool:
        return all(
            other in value for name, others in asked.items() if name in value for other in others
        )

    return Test(_OBJECTS, holds, faults)


@keyword("dependentRequired", since=2019)
def _dependent_required(wanted: Any, context: Context) -> Test:
    return _beside("dependentRequired", {name: names(others) for name, others in wanted.items()})


def _where_there(nodes: dict[str, Node]) -> Test:
    """Schemas for the whole object where it has a name."""

    def holds(value: dict[str, Any]) -> bool:
        return all(node.holds(value) for name, node in nodes.items() if name in value)

    def faults(value: dict[str, Any]) -> Iterator[Fault]:
        for name, node in nodes.items():
            if name in value:
                yield from since(f"asked where {shown(name)} is there", node.faults(value))

    def covers(value: dict[str, Any]) -> set[Any]:
        return {key for name, node in nodes.items() if name in value for key in node.covered(value)}

    return Test(_OBJECTS, holds, faults, covers)


@keyword("dependentSchemas", since=2019, vocabulary="applicator")
def _dependent_schemas(wanted: Any, context: Context) -> Test:
    return _where_there(context.named(wanted))


@keyword("dependencies", vocabulary="applicator")
def _dependencies(wanted: Any, context: Context) -> Test:
    """Drafts 4 to 7 (and read later, as the standard allows)."""
    required = _beside(
        "dependencies", {name: names(of) for name, of in wanted.items() if isinstance(of, list)}
    )
    schemas = _where_there(
        {name: context.node(of) for name, of in wanted.items() if not isinstance(of, list)}
    )

    def faults(value: dict[str, Any]) -> Iterator[Fault]:
        yield from required.faults(value)
        yield from schemas.faults(value)

    return Test(
        _OBJECTS,
        lambda value: required.holds(value) and schemas.holds(value),
        faults,
        schemas.covers,
    )


@keyword("properties", vocabulary="applicator")
def _properties(wanted: Any, context: Context) -> Test:
    nodes = context.named(wanted)
    judged = [(name, node.holds) for name, node in nodes.items()]

    def holds(value: dict[str, Any]) -> bool:
        return all(fits(value[name]) for name, fits in judged if name in value)

    def faults(value: dict[str, Any]) -> Iterator[Fault]:
        for name, node in nodes.items():
            if name in value:
                yield from below(name, node.faults(value[name]))

    return Test(_OBJECTS, holds, faults, lambda value: nodes.keys() & value.keys())


@keyword("patternProperties", vocabulary="applicator")
def _pattern_properties(wanted: Any, context: Context) -> Test:
    nodes = [(found(pattern), node) for pattern, node in context.named(wanted).items()]

    def meant(value: dict[str, Any]) -> Iterator[tuple[str, Node]]:
        return ((name, node) for name in value for fits, node in nodes if fits(name))

    def faults(value: dict[str, Any]) -> Iterator[Fault]:
        for name, node in meant(value):
            yield from below(name, node.faults(value[name]))

    return Test(
        _OBJECTS,
        lambda value: all(node.holds(value[name]) for name, node in meant(value)),
        faults,
        lambda value: {name for name, _ in meant(value)},
    )


@keyword("additionalProperties", vocabulary="applicator")
def _additional_properties(wanted: Any, context: Context) -> Test:
    node = context.node(wanted)
    declared = context.schema.get("properties", {})
    matching = [found(pattern) for pattern in context.schema.get("patternProperties", {})]

    def others(value: dict[str, Any]) -> list[str]:
        return [
            name
            for name in value
            if name not in declared and not any(fits(name) for fits in matching)
        ]

    def faults(value: dict[str, Any]) -> Iterator[Fault]:
        for name in others(value):
            yield from undeclared("additionalProperties", name, node, value, declared)

    return Test(
        _OBJECTS,
        lambda value: all(node.holds(value[name]) for name in others(value)),
        faults,
        others,
    )


def undeclared(
    keyword: str, name: str, node: Node, value: dict[str, Any], declared: Any
) -> Iterator[Fault]:
    """What is wrong with a field that only `additionalProperties` or `unevaluatedProperties` speaks
    of."""
    for fault in below(name, node.faults(value[name])):
        if fault.keyword:
            yield fault
        else:
            near = nearest(name, (other for other in declared if other not in value))
            more = f"; did you mean {shown(near)}?" if near else ""
            yield Fault(fault.place, keyword, f"{shown(name)} is not declared{more}")


@keyword("propertyNames", since=6, vocabulary="applicator")
def _property_names(wanted: Any, context: Context) -> Test:
    node = context.node(wanted)
    fits: Callable[[str], bool] = node.holds

    def faults(value: dict[str, Any]) -> Iterator[Fault]:
        for name in value:
            for fault in node.faults(name):
                yield Fault(
                    (name,), "propertyNames", f"the name itself does not fit: {fault.sentence}"
                )

    return Test(_OBJECTS, lambda value: all(map(fits, value)), faults)
