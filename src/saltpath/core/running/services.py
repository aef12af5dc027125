"""The services that a run asks: where its requests go, as far as that stands before anything was
sent."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any
from urllib.parse import urlsplit

from saltpath.core.cases.case import Step
from saltpath.core.references.scopes import Scope
from saltpath.core.references.templates import Reference, Template, read_template
from saltpath.core.running.compiled import CompiledCase, CompiledPlan, Destination
from saltpath.core.running.inherited import scope_of, scope_of_suite

MOST = 20


def services(plan: CompiledPlan, goes: int = 0) -> list[str]:
    """The origins (`https://host:8443/`) of all that it asks at one of its destinations, each once,
    in the order in which they are come to; of very many the first 20. Where an address begins with
    a value that is kept on the way, or comes with the rows, it is not known."""
    found: dict[str, None] = {}
    for planned in plan.cases:
        if planned.goes != goes:
            continue
        scopes = _scopes(plan, planned)
        for _, _, top in planned.case.parts():
            for step in _every(top):
                origin = _origin(step.address, scopes) if step.address is not None else ""
                if origin:
                    found[origin] = None
        if len(found) >= MOST:
            break
    return list(found)[:MOST]


def address_there(text: str, plan: CompiledPlan, to: Destination) -> str:
    """An address with the project's values as they read at a destination; empty where one is not
    known there, or is a secret: what was waited for is said. Raises Unreadable."""
    over = to.environment.values if to.environment else None
    project = scope_of(plan.project.values, over, {})
    given = {name: value for name, value in plan.values.items() if name not in project.secret}
    known = {name: value for name, value in project.values.items() if name not in project.secret}
    scopes = (Scope(given), Scope(known))
    parts = [
        part if isinstance(part, str) else _value(part, scopes)
        for part in read_template(text).parts
    ]
    return "" if None in parts else "".join(part for part in parts if part)


def _every(step: Step) -> Iterator[Step]:
    """A step and those inside it, but for what is switched off."""
    if not step.off:
        yield step
        for inner in step.carried_out:
            yield from _every(inner)


def _scopes(plan: CompiledPlan, planned: CompiledCase) -> tuple[Scope, ...]:
    """The nearest first."""
    to = plan.destination(planned)
    over = to.environment.values if to.environment else None
    project = scope_of(plan.project.values, over, to.secrets)
    return (
        Scope(dict(plan.values)),
        scope_of(planned.case.values, None, to.secrets),
        scope_of_suite(planned.suite, to.name, to.secrets),
        project,
    )


def _origin(address: Template, scopes: tuple[Scope, ...]) -> str:
    """The origin of an address, if that is known; else nothing."""
    text, whole = "", True
    for part in address.parts:
        value = part if isinstance(part, str) else _value(part, scopes)
        if value is None:
            whole = False
            break
        text += value
    host = text.partition("://")[2]
    if not whole and "/" not in host:
        return ""  # what is not known may be a part of the host
    try:
        parts = urlsplit(text)
        if parts.scheme in ("http", "https") and parts.hostname and parts.port != 0:
            return f"{parts.scheme}://{parts.netloc.rpartition('@')[2]}/"
    except ValueError:
        pass
    return ""


def _value(reference: Reference, scopes: tuple[Scope, ...]) -> str | None:
    if reference.pipes or not reference.name or reference.scope not in (None, "project", "suite"):
        return None
    found: Any = next(
        (scope.values[reference.name] for scope in scopes if reference.name in scope.values), None
    )
    return found if isinstance(found, str) and "[=" not in found else None
