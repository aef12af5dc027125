"""What a run is to do, as data: documents, an environment, a seed. It holds nothing secret and
nothing of this machine, so that it can be stored and carried out anywhere; what else a run needs is
asked of its supplies.

JSON is its form on the wire: numbers stay exact in it (MessagePack has no decimals).
"""

from __future__ import annotations

from decimal import Decimal
from typing import Any

import msgspec
from msgspec import Struct, field

from saltpath.core.values import plain

Document = dict[str, Any]
VERSION = 1


class PlannedCase(Struct, frozen=True, omit_defaults=True):
    """One case of a plan."""

    id: str
    """The case's."""
    version: int
    name: str
    key: str
    document: Any
    """A mapping of keys, unless something else was stored."""
    file: str = ""
    suite: str = ""
    """Its suite's id, of `Plan.suites`; empty: none is known."""
    environment: str = ""
    """Where it goes, by a name of `Plan.environments`; empty: the project has none."""
    inside: str = ""
    """Of shared steps that are tried by themselves: the name that others know them by."""
    only: tuple[int, ...] | None = None
    """These steps alone, with `given` as kept values."""
    given: dict[str, Any] = field(default_factory=dict)
    measures: dict[str, dict[str, Any]] = field(default_factory=dict)
    """What checks saw when each step last passed, by step key and the check's sentence."""
    pick: str = ""
    """Which of its rows are meant."""
    begun: int | None = None
    """Another runner had begun it, and rows up to this one; None: nobody had."""


class Plan(Struct, frozen=True, omit_defaults=True):
    """A whole run."""

    project: Document
    cases: tuple[PlannedCase, ...]
    environments: dict[str, Document] = field(default_factory=dict)
    """By name those that its cases go to."""
    suites: dict[str, Document] = field(default_factory=dict)
    """By id: those that hold one of its cases, and the folders that these stand in."""
    folders: dict[str, str] = field(default_factory=dict)
    """By the id of a suite that of the folder that it stands in."""
    shared: dict[str, Document] = field(default_factory=dict)
    """The project's shared steps, by name."""
    seed: int = 0
    number: int = 0
    jobs: int = 1
    started_us: int = 0
    """UTC microseconds, the run's `now`."""
    changes: tuple[str, ...] | None = None
    """The keys of the steps that may change something where it is guarded; None: whichever."""
    first_rows: bool = False
    """Look-ups give their first rows where there are more than they may have."""
    wait_us: int = 0
    """So long it waits first until the services that it asks are up."""
    up_at: str = ""
    """It is up when this address answers well; empty: when the services answer at all."""
    stop_after: int = 0
    """It stops once so many cases have failed or were blocked; 0: it does not."""
    version: int = VERSION


class RunRequest(Struct, frozen=True, omit_defaults=True, rename="camel"):
    """What was asked for when a run was, as it is stored."""

    jobs: int = 1
    only: tuple[int, ...] | None = None
    """Steps of the one case that are sent by themselves, by index."""
    sealed: str = ""
    """The values that it was given, encrypted."""
    changes: tuple[str, ...] | None = None
    """The keys of the steps that may change a guarded environment; None: it is not guarded."""
    picks: dict[str, str] = field(default_factory=dict)
    """Which rows are meant, by a case's position."""
    started: int | None = None
    """The moment that its data are drawn for, UTC microseconds; None: it has not begun."""
    files: dict[str, int] = field(default_factory=dict)
    """The versions of the files that its rows come from, by path."""
    first_rows: bool = False
    """Look-ups give their first rows where there are more than they may have."""
    wait_us: int = 0
    """So long it waits first until the services that it asks are up."""
    up_at: str = ""
    """It is up when this address answers well; empty: when the services answer at all."""
    stop_after: int = 0
    """It stops once so many cases have failed or were blocked; 0: it does not."""
    environments: tuple[str, ...] = ()
    """Where it goes, of a run against several."""
    within: dict[str, str] = field(default_factory=dict)
    """The suites that cases of a hidden place are carried out within, by a case's position; then
    no checks on every answer reach them."""


def write_plan(plan: Plan) -> bytes:
    return _written(plan)


def read_plan(octets: bytes) -> Plan:
    """Raises ValueError for what is none, or one of a newer version."""
    plan = msgspec.convert(plain.read_json(octets), Plan)
    if plan.version > VERSION:
        raise ValueError(f"this plan is of version {plan.version}, and {VERSION} is known here")
    return plan


def write_request(request: RunRequest) -> str:
    return _written(request).decode()


def read_request(text: str) -> RunRequest:
    """Raises ValueError for what is none."""
    return msgspec.convert(plain.read_json(text), RunRequest)


def _written(data: Struct) -> bytes:
    return plain.write_json(msgspec.to_builtins(data, builtin_types=(Decimal,)))
