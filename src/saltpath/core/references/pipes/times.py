"""Pipes on dates and moments: shifted, and written in a pattern. Zones are respected; without one,
the project's holds."""

from __future__ import annotations

from typing import Any

from saltpath.core.references.pipes.table import Context, Unfit, pipe, text_of
from saltpath.core.values import moments
from saltpath.core.values.grammar import Unreadable, unquote


def _read_shift(rest: str) -> tuple[Any, ...]:
    try:
        return (moments.read_shift(rest),)
    except moments.NoMoment as problem:
        raise Unreadable(f"add is written: add 2 days; {problem}") from None


@pipe(
    "add",
    "a date or a moment so much later (-2 days: earlier); a month more ends at the month's last "
    "day",
    ("2026-01-31", "add 1 month", "2026-02-28"),
    "add 2 days",
    _read_shift,
    placed=True,
)
def _add(value: Any, context: Context, shift: moments.Shift) -> str:
    try:
        return moments.shift_text(text_of(value), shift, context.zone)
    except moments.NoMoment as problem:
        raise Unfit(str(problem)) from None


def _read_as(rest: str) -> tuple[Any, ...]:
    try:
        return (unquote(rest),)
    except Unreadable:
        raise Unreadable(f'as is written: as "yyyy-MM-dd"; found {rest!r}') from None


@pipe(
    "as",
    "a date or a moment in a date pattern (Unicode LDML), in the project's zone",
    ("2026-11-23T08:12:04Z", 'as "d MMM yyyy, HH:mm"', "23 Nov 2026, 08:12"),
    'as "yyyy-MM-dd"',
    _read_as,
    placed=True,
)
def _as(value: Any, context: Context, pattern: str) -> str:
    try:
        return moments.written(
            moments.read_moment(text_of(value), context.zone), pattern, context.zone
        )
    except moments.NoMoment as problem:
        raise Unfit(str(problem)) from None
