"""What no other keyword has judged (2019-09 and later)."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from saltpath.core.schemas.faults import Fault, below
from saltpath.core.schemas.keywords.objects import undeclared
from saltpath.core.schemas.keywords.table import keyword
from saltpath.core.schemas.nodes import Test

if TYPE_CHECKING:
    from saltpath.core.schemas.compiling import Context


@keyword("unevaluatedItems", since=2019, vocabulary="unevaluated")
def _unevaluated_items(wanted: Any, context: Context) -> Test:
    node, this = context.node(wanted), context.this

    def left(value: list[Any]) -> list[int]:
        judged = this.covered_but(test, value)
        return [index for index in range(len(value)) if index not in judged]

    def faults(value: list[Any]) -> Iterator[Fault]:
        for index in left(value):
            for fault in below(index, node.faults(value[index])):
                yield (
                    fault
                    if fault.keyword
                    else Fault(fault.place, "unevaluatedItems", "no item is declared here")
                )

    test = Test(
        (list,),
        lambda value: all(node.holds(value[index]) for index in left(value)),
        faults,
        lambda value: range(len(value)),
    )
    return test


@keyword("unevaluatedProperties", since=2019, vocabulary="unevaluated")
def _unevaluated_properties(wanted: Any, context: Context) -> Test:
    node, this = context.node(wanted), context.this

    def left(value: dict[str, Any]) -> list[str]:
        judged = this.covered_but(test, value)
        return [name for name in value if name not in judged]

    def faults(value: dict[str, Any]) -> Iterator[Fault]:
        for name in left(value):
            yield from undeclared(
                "unevaluatedProperties", name, node, value, context.schema.get("properties", {})
            )

    test = Test(
        (dict,),
        lambda value: all(node.holds(value[name]) for name in left(value)),
        faults,
        lambda value: value,
    )
    return test
