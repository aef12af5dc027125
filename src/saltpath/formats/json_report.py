"""The JSON report of a run (schemas/report.schema.json describes it). Secrets were masked in the
engine."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from saltpath.core.checks.outcome import Outcome
from saltpath.core.running.events import RowFinished, StepFinished
from saltpath.core.values import plain
from saltpath.formats.results import CaseResult, Results


def write(results: Results) -> bytes:
    """The report as JSON, numbers exactly as they were sent."""
    return plain.write_json(report(results)) + b"\n"


def report(results: Results) -> dict[str, Any]:
    """The report as a plain value."""
    started = datetime.fromtimestamp(results.started / 1e6, UTC).isoformat(timespec="milliseconds")
    return {
        "salt-path-report": 1,
        "verdict": results.verdict,
        "seed": results.seed,
        "started": started.replace("+00:00", "Z"),
        "ms": ms(results.us),
        "environment": results.environment,
        "label": results.label,
        "stopped by": results.stopped_by,
        "counts": results.counts(),
        "cases": [_case(case) for case in results.cases],
    }


def ms(us: int) -> Any:
    """Microseconds as milliseconds with one decimal."""
    return round(us / 1000, 1)


def _case(result: CaseResult) -> dict[str, Any]:
    of_row: dict[int, list[StepFinished]] = {}
    for step in result.steps:
        of_row.setdefault(step.row, []).append(step)
    rows = [
        _row(row, of_row.get(row.row, [])) for row in sorted(result.rows, key=lambda row: row.row)
    ]
    return {
        "case": result.planned.case.name,
        "key": result.planned.case.key,
        "register": result.planned.case.register,
        "file": result.planned.file,
        "verdict": result.verdict,
        "why": result.why.sentence if result.why else "",
        "ms": ms(result.us),
        "once": _of_part("once", result),
        "at the end": _of_part("at the end", result),
        "rows": rows,
    }


def _row(row: RowFinished, steps: list[StepFinished]) -> dict[str, Any]:
    return {
        "row": row.row,
        "data": dict(row.data or {}),
        "verdict": row.verdict,
        "why": row.why.sentence if row.why else "",
        "ms": ms(row.us),
        "steps": [_step(step, steps) for step in steps if not step.inner],
    }


def _of_part(part: str, result: CaseResult) -> list[dict[str, Any]]:
    steps = [step for step in result.steps if not step.row]
    return [_step(step, steps) for step in steps if step.part == part and not step.inner]


def _inside(step: StepFinished, every: list[StepFinished]) -> list[StepFinished]:
    """The steps right inside one, in the order in which they ended."""
    level = step.inner.count("/") + 1 if step.inner else 0
    begin = f"{step.inner}/" if step.inner else ""
    return [
        other
        for other in every
        if other.inner
        and (other.row, other.part, other.step) == (step.row, step.part, step.step)
        and other.inner.startswith(begin)
        and other.inner.count("/") == level
        and other.inner != step.inner
    ]


def _step(step: StepFinished, every: list[StepFinished]) -> dict[str, Any]:
    data: dict[str, Any] = {
        "step": step.name,
        "key": step.key,
        "kind": step.kind,
        "verdict": step.verdict,
        "why": step.why.sentence if step.why else "",
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
    item = step.inner.rpartition("/")[2].rpartition(".")[0]
    if item:
        data["item"] = int(item)
    if step.kind in ("shared", "for each"):
        data["steps"] = [_step(inner, every) for inner in _inside(step, every)]
    return data


def _check(outcome: Outcome) -> dict[str, Any]:
    data: dict[str, Any] = {
        "check": outcome.check,
        "verdict": outcome.verdict,
        "expected": outcome.expected,
        "actual": outcome.actual,
        "where": list(outcome.where),
        "why": outcome.why.sentence if outcome.why else "",
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
