"""What a run is to do: cases with what surrounds them, an environment, a seed."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from saltpath.core.case import DEFAULTS, Case, Environment, NamedValues, Options, Project, Suite
from saltpath.core.inspect import handed_over
from saltpath.core.scopes import Scope


@dataclass(frozen=True, slots=True)
class Resume:
    """A row that another runner had begun: the values that were recorded as kept, and the steps that were finished."""

    kept: dict[str, Any]
    finished: frozenset[tuple[str, int]]


@dataclass(frozen=True, slots=True)
class PlannedCase:
    """One case of a plan. `file` is where it came from. `only`: these steps alone,
    with `given` as kept values (a step sent by itself)."""

    case: Case
    suite: Suite | None = None
    file: str = ""
    resume: Resume | None = None
    only: frozenset[int] | None = None
    given: dict[str, Any] = field(default_factory=dict)
    hands_over: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Plan:
    """A whole run. `values` are given at the start (text), `secrets` fill the values that are marked secret.
    `started_us`: UTC microseconds, the run's `now`."""

    cases: tuple[PlannedCase, ...]
    project: Project
    environment: Environment | None = None
    seed: int = 0
    number: int = 0
    values: dict[str, Any] = field(default_factory=dict)
    secrets: dict[str, Any] = field(default_factory=dict)
    jobs: int = 1
    started_us: int = 0


def planned(case: Case, suite: Suite | None = None, file: str = "", **more: Any) -> PlannedCase:
    """A planned case, with what it hands over worked out once."""
    return PlannedCase(case, suite, file, hands_over=handed_over(case), **more)


def scope_of(values: NamedValues, over: NamedValues | None, secrets: dict[str, Any]) -> Scope:
    """A document's values, an environment's on top, secrets filled in from `secrets`."""
    merged = dict(values.values)
    secret = set(values.secret)
    if over is not None:
        merged.update(over.values)
        secret = (secret - set(over.values)) | set(over.secret)
        for name in over.secret:
            merged.pop(name, None)
    for name in secret:
        if name in secrets:
            merged[name] = secrets[name]
    return Scope(merged, secret)


def options_of(plan: Plan, planned: PlannedCase) -> Options:
    """The nearest options win: case, suite, project, defaults."""
    wider = plan.project.options.over(DEFAULTS)
    if planned.suite is not None:
        wider = planned.suite.options.over(wider)
    return planned.case.options.over(wider)
