"""What steps inside others begin with: the inputs of shared steps, the items of a list."""

from __future__ import annotations

from typing import Any

from saltpath.core.cases.case import Case, ForEach, UseShared
from saltpath.core.references.scopes import Scope, Scopes
from saltpath.core.values import plain
from saltpath.core.values.why import Blocked, why

MOST_ITEMS = 100_000


def inputs_of(step: UseShared, shared: Case, scopes: Scopes) -> tuple[Scope, dict[str, Any]]:
    """The inputs that the step gives, resolved where it stands, and the defaults of the others.
    Raises Blocked for one that is missing there, or of another kind than it must be."""
    given = Scope()
    for name, tree in step.given:
        given.put(name, scopes.fill(tree), scopes.is_secret(tree))
    for item in shared.inputs:
        if item.name in given.values and not _fits(given.values[item.name], item.kind):
            actual = (
                "a secret"
                if item.name in given.secret
                else plain.with_kind(given.values[item.name])
            )
            raise Blocked(
                why("not-of-kind", name=item.name, actual=actual, shared=step.of, kind=item.kind)
            )
    defaults = {item.name: item.default for item in shared.inputs if item.name not in given.values}
    return given, {name: tree for name, tree in defaults.items() if tree is not ...}


def _fits(value: Any, kind: str) -> bool:
    found = plain.kind_of(value)
    return not kind or found == kind or (kind == "number" and found == "integer")


def items_of(step: ForEach, scopes: Scopes) -> list[Any]:
    """The list that the steps are for. Raises Blocked where there is none."""
    items = scopes.fill(step.of)
    of = step.name.partition(" of ")[2]
    if not isinstance(items, list):
        raise Blocked(why("no-list", of=of, actual=plain.with_kind(items)))
    if len(items) > MOST_ITEMS:
        raise Blocked(why("too-many-items", of=of, actual=len(items), most=MOST_ITEMS))
    return items
