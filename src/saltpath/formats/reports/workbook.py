"""A run as a workbook: what it was, its cases, its steps, and the checks that did not hold."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

from saltpath.core.checks.outcome import Outcome
from saltpath.core.running.events import StepFinished
from saltpath.core.values.measures import counted, show_in
from saltpath.formats.reports.report import Report, ReportedCase
from saltpath.formats.reports.summary import sentences
from saltpath.formats.workbook import write_values_xlsx

MOST_ROWS = 200_000
"""Of one sheet; a spreadsheet program holds 1,048,576."""
LONGEST = 2_000
"""Characters of an expected or actual value."""
Row = dict[str, Any]


def write(report: Report) -> Iterator[bytes]:
    """The whole file."""
    cases, steps, checks, left_out = list[Row](), list[Row](), list[Row](), 0
    for case in report.cases():
        cases.append(_case(case))
        for step in case.steps():
            if len(steps) >= MOST_ROWS:
                left_out += 1
                continue
            steps.append(_step(case, step))
            checks += _checks(case, step)
    about = _about(report)
    if left_out:
        about.append({"what": "left out", "is": f"{counted(left_out, 'step')} beyond {MOST_ROWS}"})
    tables = [("Run", about), ("Cases", cases), ("Steps", steps), ("Did not hold", checks)]
    yield write_values_xlsx([(name, rows) for name, rows in tables if rows])


def _about(report: Report) -> list[Row]:
    started = datetime.fromtimestamp(report.started / 1e6, UTC).isoformat(timespec="seconds")
    facts = {
        "title": report.title,
        "run": report.number or None,
        "project": report.project,
        "verdict": report.verdict,
        "environment": report.environment,
        "build": report.build,
        "note": report.note,
        "started": started,
        "started by": report.started_by,
        "seconds": round(report.us / 1e6, 3),
        "seed": report.seed,
        "page": report.address,
    }
    about: list[Row] = [
        {"what": name, "is": value} for name, value in facts.items() if value not in ("", None)
    ]
    return about + [{"what": "outcome", "is": sentence} for sentence in sentences(report)]


def _case(case: ReportedCase) -> Row:
    return {
        "case": case.called,
        "suite": case.suite,
        "register": case.register,
        "file": case.file,
        "verdict": case.verdict,
        "why": case.why.sentence if case.why else "",
        "ms": round(case.us / 1000, 1),
    }


def _step(case: ReportedCase, step: StepFinished) -> Row:
    last = step.exchanges[-1] if step.exchanges else None
    return {
        "case": case.called,
        "row": step.row or None,
        "part": step.part,
        "step": step.name,
        "inside": step.inner,
        "verdict": step.verdict,
        "status": step.status or None,
        "ms": round(step.us / 1000, 1),
        "size": len(last.body) if last else None,
        "method": last.method if last else "",
        "address": last.address if last else "",
        "why": step.why.sentence if step.why else "",
    }


def _checks(case: ReportedCase, step: StepFinished) -> list[Row]:
    return [
        {
            "case": case.called,
            "row": step.row or None,
            "step": step.name,
            "check": outcome.check,
            "verdict": outcome.verdict,
            "advice": "advice" if outcome.advice else "",
            "expected": show_in(outcome.expected, outcome.unit, LONGEST),
            "was": outcome.was,
            "where": ", ".join(outcome.where),
            "why": outcome.why.sentence if outcome.why else "",
        }
        for outcome in step.outcomes
        if _did_not_hold(outcome)
    ]


def _did_not_hold(outcome: Outcome) -> bool:
    return outcome.verdict in ("failed", "blocked")
