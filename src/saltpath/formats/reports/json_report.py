"""The JSON report of a run (schemas/report.schema.json describes it). Secrets were masked in the
engine."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from typing import Any

from saltpath.core.checks.outcome import Outcome
from saltpath.core.running.events import StepFinished
from saltpath.core.values import plain
from saltpath.core.values.why import Why
from saltpath.formats.reports.report import (
    Counts,
    Report,
    ReportedCase,
    ReportedRow,
    inside,
    item_of,
)


def write(report: Report) -> Iterator[bytes]:
    """The report as JSON in pieces, a row each; numbers exactly as they were sent."""
    counts = Counts()
    yield plain.write_json(_head(report))[:-1] + b',"cases":['
    for number, case in enumerate(report.cases()):
        counts.cases[case.verdict] += 1
        for step in case.around:
            counts.step(step)
        yield b"," * bool(number) + plain.write_json(_case(case))[:-1] + b',"rows":['
        for index, row in enumerate(case.rows()):
            counts.rows[row.verdict] += 1
            for step in row.steps:
                counts.step(step)
            yield b"," * bool(index) + plain.write_json(_row(row))
        yield b"]}"
    yield b'],"counts":' + plain.write_json(counts.plain()) + b"}\n"


def _head(report: Report) -> dict[str, Any]:
    started = datetime.fromtimestamp(report.started / 1e6, UTC).isoformat(timespec="milliseconds")
    head: dict[str, Any] = {
        "salt-path-report": 1,
        "verdict": report.verdict,
        "seed": report.seed,
        "started": started.replace("+00:00", "Z"),
        "ms": ms(report.us),
        "environment": report.environment,
        "label": report.build,
        "stopped by": report.stopped_by,
        "causes": [cause.plain() for cause in report.causes],
    }
    if report.number:
        head |= {"title": report.title, "number": report.number, "note": report.note}
    return head


def ms(us: int) -> Any:
    """Microseconds as milliseconds with one decimal."""
    return round(us / 1000, 1)


def _said(why: Why | None) -> str:
    return why.sentence if why else ""


def _case(case: ReportedCase) -> dict[str, Any]:
    return {
        "case": case.name,
        **({"environment": case.environment} if case.environment else {}),
        "key": case.key,
        "register": case.register,
        "file": case.file,
        "verdict": case.verdict,
        "why": _said(case.why),
        "ms": ms(case.us),
        "once": _of_part("once", case.around),
        "at the end": _of_part("at the end", case.around),
    }


def _row(row: ReportedRow) -> dict[str, Any]:
    return {
        "row": row.row,
        "data": dict(row.data),
        "verdict": row.verdict,
        "why": _said(row.why),
        "ms": ms(row.us),
        "steps": [_step(step, row.steps) for step in row.steps if not step.inner],
    }


def _of_part(part: str, steps: Sequence[StepFinished]) -> list[dict[str, Any]]:
    return [_step(step, steps) for step in steps if step.part == part and not step.inner]


def _step(step: StepFinished, every: Sequence[StepFinished]) -> dict[str, Any]:
    data: dict[str, Any] = {
        "step": step.name,
        "key": step.key,
        "kind": step.kind,
        "verdict": step.verdict,
        "why": _said(step.why),
        "ms": ms(step.us),
        "kept": dict(step.kept),
        "checks": [_check(outcome) for outcome in step.outcomes],
    }
    if step.part == "afterwards":
        data["part"] = step.part
    if step.attempts > 1:
        data["attempts"] = step.attempts
    if step.kind == "request":
        data["status"] = step.status
    item = item_of(step)
    if item:
        data["item"] = item
    if step.kind in ("shared", "for each"):
        data["steps"] = [_step(inner, every) for inner in inside(step, every)]
    return data


def _check(outcome: Outcome) -> dict[str, Any]:
    data: dict[str, Any] = {
        "check": outcome.check,
        "verdict": outcome.verdict,
        "expected": outcome.expected,
        "actual": outcome.actual,
        "where": list(outcome.where),
        "why": _said(outcome.why),
        "code": outcome.why.code if outcome.why else "",
        "advice": outcome.advice,
        "note": outcome.note,
    }
    if outcome.parts:
        data["parts"] = [_check(part) for part in outcome.parts]
    if outcome.role:
        data["role"] = outcome.role
    if outcome.origin:
        data["from"] = outcome.origin
    return data
