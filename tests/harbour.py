"""Shared by the tests: Fernholm Harbour on a free port, and cases run against it by the real
engine."""

from __future__ import annotations

from typing import Any

from saltpath.core.cases.case import NamedValues, Project
from saltpath.core.format.reader import read_case
from saltpath.core.running.compiled import CompiledPlan, Destination, compiled
from saltpath.core.running.reach import Reach
from saltpath.core.values import plain
from saltpath.demo.harbour.server import Harbour
from saltpath.engine.loop import run_in_loop
from saltpath.engine.run import run_plan
from saltpath.formats.reports import json_report
from saltpath.formats.reports.results import CaseResult, Results
from tests.supplies import Given

_running: list[Harbour] = []


def harbour() -> str:
    """The address of the tests' one harbour."""
    if not _running:
        _running.append(Harbour().start())
    return _running[0].address


def harbour_database() -> str:
    """The path of its database."""
    harbour()
    return str(_running[0].database)


def run_text(
    *texts: str,
    secrets: dict[str, Any] | None = None,
    jobs: int = 1,
    events: list | None = None,
    read_file: Any = None,
    seed: int = 7,
    reach: Reach | None = None,
    faults: bool = False,
    wait_us: int = 0,
    up_at: str = "",
    stop_after: int = 0,
    **values: Any,
) -> Results:
    """Run cases against the harbour, and collect what happened. A fault of ours is none of the ways
    in which a step may be blocked: it fails the test, unless it is about `faults`."""
    names = frozenset(secrets or {})
    project = Project("Tests", values=NamedValues({"harbour": harbour(), **values}, names))
    cases = tuple(compiled(read_case(text)) for text in texts)
    start = 1_795_420_800_000_000  # 2026-11-23T08:00:00Z
    plan = CompiledPlan(
        cases,
        project,
        seed=seed,
        destinations=(Destination(secrets=secrets or {}),),
        jobs=jobs,
        wait_us=wait_us,
        up_at=up_at,
        stop_after=stop_after,
        started_us=start,
    )
    supplies = Given(read_file, reach=reach)
    results = Results([CaseResult(case) for case in plan.cases])

    def take(event) -> None:
        results.take(event)
        if events is not None:
            events.append(event)

    run_in_loop(lambda selector: run_plan(plan, selector, take, supplies=supplies))
    for step in [] if faults else (step for of in results.cases for step in of.steps):
        assert step.why is None or step.why.code != "fault", step.why.sentence
    return results


def plain_report(results: Results) -> dict[str, Any]:
    """The JSON report of what was collected, read again."""
    return plain.read_json(b"".join(json_report.write(results.report())))


def case(steps: str, more: str = "") -> str:
    """A case's text around its steps."""
    return f"salt-path: 1\ncase: A test\n{more}steps:\n{steps}"
