"""The shared steps of a project as pages need them: linked into cases, and by whom they are
used."""

from __future__ import annotations

from typing import Any

from saltpath.core.assist.value_cells import write_value
from saltpath.core.cases.case import Case
from saltpath.core.cases.shared import Library, linked, uses
from saltpath.server.compiled import compiled
from saltpath.server.context import database
from saltpath.store import cases, shared_steps, shared_uses
from saltpath.store.cases import StoredCase

MOST_NAMED = 50


def library(project: int) -> Library:
    """The shared steps of a project by the names that cases use."""
    return {
        cases.called(stored): compiled(stored)
        for stored in shared_steps.shared_steps(database(), project)
    }


def with_shared(stored: StoredCase, case: Case | None = None) -> Case:
    """A stored case with its shared steps in their places."""
    case = case or compiled(stored)
    if not uses(case):
        return case
    return linked(case, library(stored.project), (cases.called(stored),) if case.is_shared else ())


def users_of(stored: StoredCase) -> list[StoredCase]:
    """The cases and shared steps that use shared steps, right where they stand, in the order of the
    outline."""
    name = cases.called(stored)
    every = [
        *cases.cases(database(), stored.project),
        *shared_steps.shared_steps(database(), stored.project),
    ]
    return [other for other in every if name in shared_uses.named_in(other)]


def cases_with(stored: StoredCase) -> list[StoredCase]:
    """The cases that use shared steps, also through others: those that a change of them touches."""
    found: dict[str, StoredCase] = {}
    waiting, seen = [stored], {stored.oid}
    while waiting:
        for other in users_of(waiting.pop()):
            if not compiled(other).is_shared:
                found[other.oid] = other
            elif other.oid not in seen:
                seen.add(other.oid)
                waiting.append(other)
    return list(found.values())


def shared_view(stored: StoredCase) -> dict[str, Any]:
    """Shared steps in short: what they need, what they give, who uses them."""
    case = compiled(stored)
    users = cases_with(stored)
    return {
        "called": cases.called(stored),
        "inputs": [
            {
                "name": item.name,
                "kind": item.kind,
                "needed": item.default is ...,
                "value": ""
                if item.default is ...
                else write_value(stored.document.get("inputs", {})[item.name]["default"]),
            }
            for item in case.inputs
        ],
        "outputs": [
            {"name": name, "value": write_value(value)}
            for name, value in stored.document.get("outputs", {}).items()
        ],
        "uses": len(users),
        "cases": [{"id": user.oid, "name": user.name} for user in users[:MOST_NAMED]],
    }
