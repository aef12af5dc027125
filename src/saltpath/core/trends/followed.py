"""What is followed over time of a step: itself, the shared steps that it stands for, and the
operation that it asks."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Literal

from msgspec import Struct

from saltpath.core.cases.case import Case, Step
from saltpath.core.references.templates import Template

Kind = Literal["case", "step", "shared", "operation", "host"]
LONGEST = 200
"""Characters of an operation."""
_ORIGIN = re.compile(r"^(?:[a-zA-Z][a-zA-Z0-9+.-]*|…)://[^/?#]*")
_INSERTED = "…"
"""Stands in an operation's path where a value is inserted."""


class Followed(Struct, frozen=True):
    """A step whose times are kept. `shared`: it stands for these shared steps, by the name of their
    file; `operation`: what it asks, empty where it asks for nothing by HTTP."""

    key: str
    name: str
    shared: str = ""
    operation: str = ""


def followed_in(case: Case) -> Iterator[Followed]:
    """The steps of a case (or of shared steps), those inside others too; not those that only set
    values or wait, which take no time of anybody's."""
    for _, _, step in case.parts():
        yield from _of(step)


def _of(step: Step) -> Iterator[Followed]:
    if step.sends and step.address is not None:
        method = step.where_to().partition(" ")[0]
        yield Followed(step.key, step.name, operation=operation_of(method, step.address))
    elif step.answered or step.uses:
        yield Followed(step.key, step.name, shared=step.uses)
    for inner in step.inside:
        yield from _of(inner)


def operation_of(method: str, address: Template) -> str:
    """`PUT /port-calls/…/confirmation`: a step's method and path, whatever host it goes to and
    whatever is inserted; without a query."""
    text = "".join(part if isinstance(part, str) else _INSERTED for part in address.parts)
    path = re.split(r"[?#]", _ORIGIN.sub("", text), maxsplit=1)[0]
    path = path.removeprefix(_INSERTED)  # the place it goes to
    if not path.startswith("/"):
        path = f"/{path}"
    return f"{method.upper()} {path}"[:LONGEST]
