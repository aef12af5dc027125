"""A plan whose documents are read: what the engine carries out."""

from __future__ import annotations

from typing import Any

from msgspec import Struct, field

from saltpath.core.cases.case import Case, Environment, Project, Suite
from saltpath.core.cases.row_sources import Source
from saltpath.core.cases.shared import Library, linked
from saltpath.core.running.inherited import inheriting
from saltpath.core.running.roles import Role, role_of
from saltpath.core.running.step_references import handed_over
from saltpath.core.values.why import MaskedWhy, Why

NO_LIBRARY: Library = {}
NO_PROJECT = Project("")


class CompiledCase(Struct, frozen=True):
    """One case of a run."""

    case: Case
    suite: Suite | None = None
    file: str = ""
    """Where it came from."""
    begun: int | None = None
    """Another runner had begun it, and rows up to this one; None: nobody had."""
    only: frozenset[int] | None = None
    """These steps alone, with `given` as kept values: steps sent by themselves."""
    given: dict[str, Any] = field(default_factory=dict)
    hands_over: frozenset[str] = frozenset()
    """The kept values that a later step uses."""
    measures: dict[str, dict[str, Any]] | None = None
    """What checks saw when each step last passed, by step key and the check's sentence; None where
    that is not known."""
    source: Source | None = None
    """Where its rows come from, if it has any."""
    no_source: Why | None = None
    """Why that is not known."""
    pick: str = ""
    """Which of its rows the run is about."""
    problem: MaskedWhy | None = None
    """Why it cannot be carried out at all: it, or a document around it, cannot be read."""
    role: Role = ""
    """Whether it stands around the others of its suite."""
    goes: int = 0
    """To which of the plan's destinations."""


class Destination(Struct, frozen=True):
    """Where cases of a run go."""

    environment: Environment | None = None
    secrets: dict[str, Any] = field(default_factory=dict)
    """What fills the values that are marked secret, there."""
    changes: frozenset[str] | None = None
    """The keys of the steps that may change something there; others that might are left out. None:
    whichever."""

    @property
    def name(self) -> str:
        return self.environment.name if self.environment else ""


class CompiledPlan(Struct, frozen=True):
    """A whole run."""

    cases: tuple[CompiledCase, ...]
    project: Project
    destinations: tuple[Destination, ...] = (Destination(),)
    """Where its cases go, each by the index of one."""
    seed: int = 0
    number: int = 0
    values: dict[str, Any] = field(default_factory=dict)
    """Given at the start, as text."""
    jobs: int = 1
    started_us: int = 0
    """UTC microseconds, the run's `now`."""
    wait_us: int = 0
    """So long it waits first until the services that it asks are up."""
    up_at: str = ""
    """It is up when this address answers well; empty: when the services answer at all."""
    stop_after: int = 0
    """It stops once so many cases have failed or were blocked; 0: it does not."""
    first_rows: bool = False
    """Look-ups give their first rows where there are more than they may have."""

    def destination(self, planned: CompiledCase) -> Destination:
        return self.destinations[planned.goes]


def compiled(
    case: Case,
    suite: Suite | None = None,
    file: str = "",
    project: Project | None = None,
    library: Library = NO_LIBRARY,
    **more: Any,
) -> CompiledCase:
    """A case with its shared steps, what it hands over and what it inherits worked out once."""
    case = inheriting(linked(case, library, more.pop("inside", ())), suite, project)
    source = case.rows and (project or NO_PROJECT).source_of(case.rows)
    more |= {"no_source": source} if isinstance(source, Why) else {"source": source}
    more.setdefault("role", role_of(suite, case.key, file))
    return CompiledCase(case, suite, file, hands_over=handed_over(case), **more)
