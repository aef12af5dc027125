"""What lies around a case and reaches into it: sign-in, checks on every answer, values, options."""

from __future__ import annotations

from collections.abc import Callable
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


def options_of(project: Project, suite: Suite | None, case: Case) -> Options:
    """The nearest options win: case, suite, project, defaults."""
    wider = project.options.over(DEFAULTS)
    if suite is not None:
        wider = suite.options.over(wider)
    return case.options.over(wider)
