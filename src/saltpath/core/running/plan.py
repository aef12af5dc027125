"""What a run is to do: cases with what surrounds them, an environment, a seed."""

from __future__ import annotations

from collections.abc import Awaitable, Callable, Iterator, Mapping
from pathlib import Path
from typing import Any

from msgspec import Struct, field
from msgspec.structs import replace

from saltpath.core.cases.case import (
    Auth,
    Case,
    Environment,
    NamedValues,
    Project,
    Request,
    Step,
    Suite,
    UseShared,
)
from saltpath.core.cases.options import DEFAULTS, Options
from saltpath.core.cases.row_sources import FileRows, Row, Source
from saltpath.core.cases.shared import Library, linked
from saltpath.core.references.scopes import Scope
from saltpath.core.running.step_references import asks, handed_over
from saltpath.core.running.totals import RecordedStep
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import MaskedWhy, Why

NO_LIBRARY: Library = {}


class Kept(Struct, frozen=True):
    """What `once` left for the rows: values with the names of secret ones, and cookies (as
    engine/cookies.py has them)."""

    values: dict[str, Any]
    secret: frozenset[str] = frozenset()
    cookies: tuple[tuple[Any, ...], ...] = ()


class Resume(Struct, frozen=True):
    """A row that another runner had begun, or (row 0) what stands around the rows of such a
    case."""

    kept: Kept
    """What was recorded as kept; of steps around the rows all of it, else without secrets."""
    finished: Mapping[tuple[str, int], RecordedStep]
    """The steps that had ended, by part and index."""
    begun: frozenset[str]
    """The parts of which a step may have been sent; such a step is never sent again."""


class ResumedRows(Struct, frozen=True):
    """The rows of a case that another runner had begun."""

    begun: int
    """The number of the last row that may have begun."""
    finished: Callable[[int], tuple[Verdict, MaskedWhy | None] | None]
    """How a row ended, by its number, if it did."""
    row: Callable[[int], Resume]
    """What was recorded of one that did not."""


class PlannedCase(Struct, frozen=True):
    """One case of a plan. `file` is where it came from. `only`: these steps alone, with `given` as
    kept values (a step sent by itself). `measures`: what checks saw when each step last passed, by
    step key and the check's sentence; None where that is not known. `source`: where its rows come
    from, if it has any, `no_source` why that is not known; `pick`: which of them the run is about.
    `around`: what was recorded around the rows of a case that another runner had begun; `resume` is
    its row of a case without rows, `resumed` those of one with."""

    case: Case
    suite: Suite | None = None
    file: str = ""
    around: Resume | None = None
    resume: Resume | None = None
    only: frozenset[int] | None = None
    given: dict[str, Any] = field(default_factory=dict)
    hands_over: frozenset[str] = frozenset()
    measures: dict[str, dict[str, Any]] | None = None
    source: Source | None = None
    no_source: Why | None = None
    pick: str = ""
    resumed: ResumedRows | None = None
    problem: MaskedWhy | None = None
    """Why it cannot be carried out at all: it, or a document around it, cannot be read."""
    secrets: dict[str, Any] = field(default_factory=dict)
    """What fills the values that the suite marks as secret; of a name that is not here the plan's
    fill them."""


class Plan(Struct, frozen=True):
    """A whole run. `read_rows` reads the rows of a file, as engine/rows.py says; `begin_rows(case,
    row)` is awaited before rows up to that one begin; `begin_part(case, row, part)` before the
    steps of a case without rows, those around all rows and those afterwards, and
    `keep_session(case, kept)` when `once` has ended, so that whoever goes on with the run knows of
    it; `read_output` the rows of an output table. `values` are given at the start (text), `secrets`
    fill the values that are marked secret. `started_us`: UTC microseconds, the run's `now`.
    `read_file` reads a file of the project, and raises Blocked. `changes`: the keys of the steps
    that may change something; others that might are left out. None: whichever. `own_folder`: the
    application's, in which no database is looked into; `root`: the folder that the project is, if
    it is one. `first_rows`: look-ups give their first rows where there are more than they may
    have."""

    cases: tuple[PlannedCase, ...]
    project: Project
    environment: Environment | None = None
    seed: int = 0
    number: int = 0
    values: dict[str, Any] = field(default_factory=dict)
    secrets: dict[str, Any] = field(default_factory=dict)
    jobs: int = 1
    started_us: int = 0
    read_file: Callable[[str], bytes] | None = None
    changes: frozenset[str] | None = None
    read_rows: Callable[[FileRows], Iterator[Row]] | None = None
    begin_rows: Callable[[int, int], Awaitable[None]] | None = None
    begin_part: Callable[[int, int, str], Awaitable[None]] | None = None
    keep_session: Callable[[int, Kept], Awaitable[None]] | None = None
    read_output: Callable[[str], Iterator[Row]] | None = None
    own_folder: Path | None = None
    root: Path | None = None
    first_rows: bool = False
    own_port: int = 0
    """Where Salt Path itself listens on this machine; no redirect leads there."""


def planned(
    case: Case,
    suite: Suite | None = None,
    file: str = "",
    project: Project | None = None,
    library: Library = NO_LIBRARY,
    **more: Any,
) -> PlannedCase:
    """A planned case, with its shared steps, what it hands over and what it inherits worked out
    once."""
    case = inheriting(linked(case, library, more.pop("inside", ())), suite, project)
    source = case.rows and (project or NO_PROJECT).source_of(case.rows)
    more |= {"no_source": source} if isinstance(source, Why) else {"source": source}
    return PlannedCase(case, suite, file, hands_over=handed_over(case), **more)


NO_PROJECT = Project("")


def inheriting(case: Case, suite: Suite | None, project: Project | None) -> Case:
    """The case with the sign-in, and the checks on every answer, at each request that does not
    except itself: the project's, the suite's, its own."""
    case = signed_in(case, suite, project)
    origins = (("project", project), ("suite", suite), ("case", case))
    items = tuple(
        (origin, item) for origin, owner in origins if owner for item in owner.every_answer
    )
    if not items:
        return case

    def inherit(step: Step) -> Step:
        if isinstance(step, UseShared) and step.shared is not None:
            return replace(step, shared=step.shared.mapped(inherit))
        if not isinstance(step, Request):
            return step
        own = tuple(pair for pair in items if not pair[1].note or pair[1].note not in step.without)
        return replace(step, inherited=own, asks=step.asks or asks(item for _, item in own))

    return case.mapped(inherit)


def signed_in(case: Case, suite: Suite | None, project: Project | None) -> Case:
    """The case with the nearest sign-in at each request that says none itself: the case's, else the
    suite's, else the project's. Shared steps see nothing of the case's."""
    levels = (("suite", suite), ("project", project))
    wider = next(
        ((origin, owner.auth) for origin, owner in levels if owner and owner.auth), ("", None)
    )

    def sign(nearest: tuple[str, Auth | None]) -> Callable[[Step], Step]:
        origin, auth = nearest if nearest[1] and nearest[1].kind != "none" else ("", None)

        def at(step: Step) -> Step:
            if isinstance(step, UseShared) and step.shared is not None:
                return replace(step, shared=step.shared.mapped(sign(wider)))
            if not isinstance(step, Request):
                return step
            if step.auth is not None:
                return replace(step, auth=None) if step.auth.kind == "none" else step
            return replace(step, auth=auth, signed_by=origin) if auth is not None else step

        return at

    return case.mapped(sign(("case", case.auth) if case.auth else wider))


def scope_of_suite(suite: Suite, environment: str, secrets: dict[str, Any]) -> Scope:
    """A suite's values as they read in an environment."""
    return scope_of(suite.values, suite.values_in.get(environment), secrets)


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
