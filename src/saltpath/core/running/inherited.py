"""What lies around a case and reaches into it: sign-in, checks on every answer, values, options."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from msgspec.structs import replace

from saltpath.core.cases.case import (
    Auth,
    Case,
    NamedValues,
    Project,
    Request,
    Step,
    Suite,
    UseShared,
)
from saltpath.core.cases.options import DEFAULTS, Options
from saltpath.core.references.scopes import Scope
from saltpath.core.running.step_references import asks
from saltpath.core.running.supplies import Kept

NOTHING_HANDED: Mapping[int, Kept] = {}


def inheriting(case: Case, suite: Suite | None, project: Project | None) -> Case:
    """The case with the sign-in, and the checks on every answer, at each request that does not
    except itself: the project's, those of the suite and of its folders, its own."""
    case = signed_in(case, suite, project)
    origins: tuple[tuple[str, Project | Suite | Case | None], ...] = (
        ("project", project),
        *(("suite", level) for level in levels(suite)),
        ("case", case),
    )
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
    """The case with the nearest sign-in at each request that says none itself: the case's, else
    that of the suite or of the nearest of its folders, else the project's. Shared steps see nothing
    of the case's."""
    owners: tuple[tuple[str, Project | Suite | None], ...] = (
        *(("suite", level) for level in reversed(levels(suite))),
        ("project", project),
    )
    wider = next(
        ((origin, owner.auth) for origin, owner in owners if owner and owner.auth), ("", None)
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


def levels(suite: Suite | None) -> tuple[Suite, ...]:
    """The folders around a case, the outermost first, and its suite; none where that is not
    known."""
    return suite.levels if suite is not None else ()


def scope_of_suite(
    suite: Suite | None,
    environment: str,
    secrets: dict[str, Any],
    handed: Mapping[int, Kept] = NOTHING_HANDED,
) -> Scope:
    """The values of a suite and of its folders as they read in an environment, the nearest wins;
    with those that cases which set it up have `handed` down, by the suite's id()."""
    scope = Scope()
    for level in levels(suite):
        own = scope_of(level.values, level.values_in.get(environment), {**secrets, **level.secrets})
        for name in own.values.keys() | own.secret:
            scope.values.pop(name, None)
        scope.values.update(own.values)
        scope.secret = (scope.secret - own.values.keys()) | own.secret
        down = handed.get(id(level))
        for name, value in down.values.items() if down else ():
            scope.put(name, value, secret=down is not None and name in down.secret)
    return scope


def values_of_suite(suite: Suite | None) -> list[NamedValues]:
    """All that a suite and its folders say of values, in any environment, the nearest first."""
    return [
        values
        for level in reversed(levels(suite))
        for values in (*level.values_in.values(), level.values)
    ]


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


def options_of(project: Project, suite: Suite | None, case: Case) -> Options:
    """The nearest options win: case, suite, its folders, project, defaults."""
    wider = project.options.over(DEFAULTS)
    for level in levels(suite):
        wider = level.options.over(wider)
    return case.options.over(wider)
