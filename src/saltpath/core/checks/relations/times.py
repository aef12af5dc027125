"""Relations of dates and moments. Zones are respected; without one of its own a time stands in the
project's."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

from saltpath.core.answers.subjects import Subject
from saltpath.core.checks.relations.operand import Operand, pair_of, unit_fault
from saltpath.core.checks.relations.table import Setting, relation, shown, unfit
from saltpath.core.references.templates import holds_reference
from saltpath.core.values import measures, moments, plain
from saltpath.core.values.why import Why, why


def _moment(actual: Any, setting: Setting) -> datetime | Why:
    if not isinstance(actual, str):
        return why("no-moment", actual=shown(actual, setting), actual_kind=plain.with_kind(actual))
    try:
        return moments.read_moment(actual, setting.zone)
    except moments.NoMoment:
        return why(
            "no-moment",
            actual=shown(actual, setting),
            actual_kind="not a date or a time that can be read",
        )


def expected_moment(expected: Any, setting: Setting, name: str) -> datetime:
    """What a check compares with: a date, a moment, or `now`. Raises Blocked."""
    if expected == "now":
        return setting.now
    if not isinstance(expected, str):
        raise unfit(name, expected, "it is not a date or a time")
    try:
        return moments.read_moment(expected, setting.zone)
    except moments.NoMoment as problem:
        raise unfit(name, expected, str(problem)) from None


def _moment_fault(value: Any, subject: Subject) -> str:
    if isinstance(value, str) and (value == "now" or holds_reference(value) or _is_moment(value)):
        return ""
    return "a date, a time or now, such as 2026-11-23 or 2026-11-23T08:12:04Z"


def _is_moment(text: str) -> bool:
    try:
        return bool(moments.read_moment(text, UTC))
    except moments.NoMoment:
        return False


def _near_fault(value: Any, subject: Subject) -> str:
    if not isinstance(value, dict) or set(value) != {"time", "within"}:
        return "a time and how far from it: { time: now, within: 5 min }"
    within = value["within"]
    return _moment_fault(value["time"], subject) or (
        "" if holds_reference(within) else unit_fault(within, "duration")
    )


MOMENT = Operand({"type": "string"}, _moment_fault)
NEAR = pair_of(
    ("time", "within"),
    "now within 5 min",
    {
        "type": "object",
        "required": ["time", "within"],
        "additionalProperties": False,
        "properties": {"time": {"type": "string"}, "within": {"type": "string"}},
    },
    _near_fault,
)


@relation(
    "before",
    "earlier than a date, a moment or now",
    ("2026-11-23T08:12:04+02:00", "2026-11-23T07:00:00Z"),
    "is before",
    takes=MOMENT,
    everyday=("before", "is earlier than", "earlier than"),
)
def _before(actual: Any, expected: Any, setting: Setting) -> Why | None:
    found, limit = _moment(actual, setting), expected_moment(expected, setting, "before")
    if isinstance(found, Why) or found < limit:
        return found if isinstance(found, Why) else None
    return why("not-before", actual=actual, expected=str(expected))


@relation(
    "after",
    "later than a date, a moment or now",
    ("2026-11-24", "2026-11-23T22:00:00Z"),
    "is after",
    takes=MOMENT,
    everyday=("after", "is later than", "later than"),
)
def _after(actual: Any, expected: Any, setting: Setting) -> Why | None:
    found, limit = _moment(actual, setting), expected_moment(expected, setting, "after")
    if isinstance(found, Why) or found > limit:
        return found if isinstance(found, Why) else None
    return why("not-after", actual=actual, expected=str(expected))


@relation(
    "near",
    "no further from a moment than a duration",
    ("2026-11-23T08:12:04Z", {"time": "2026-11-23T08:12:00Z", "within": "5 min"}),
    "is near",
    takes=NEAR,
    everyday=("near",),
)
def _near(actual: Any, expected: Any, setting: Setting) -> Why | None:
    found, wanted = _moment(actual, setting), expected_moment(expected["time"], setting, "near")
    try:
        within = timedelta(microseconds=measures.duration(expected["within"]))
    except ValueError as problem:
        raise unfit("near", expected["within"], str(problem)) from None
    if isinstance(found, Why) or abs(found - wanted) <= within:
        return found if isinstance(found, Why) else None
    away = measures.show_duration(int(abs(found - wanted) / timedelta(microseconds=1)))
    return why(
        "not-near",
        actual=actual,
        away=away,
        expected=str(expected["time"]),
        within=expected["within"],
    )
