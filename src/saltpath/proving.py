"""Watches as supplier reports: what is stored of them, put together for whoever writes the file."""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence

from msgspec import Struct

from saltpath.core.format.nodes import FormatError
from saltpath.core.format.watch_reader import read_watch
from saltpath.core.proof.verify import KEPT, outages
from saltpath.core.watching.sentences import sentence
from saltpath.core.watching.watch import Watch
from saltpath.formats.proof.record import Hour, Outage, Proof, Run, Seen, Watched
from saltpath.store.documents import Document
from saltpath.store.history import heads, troubles
from saltpath.store.history.heads import HOUR_S, Head, runs_in

SECOND_US = 1_000_000
MOST_SEEN = 300
"""Records of a watch that are put into a report."""


class Period(Struct, frozen=True):
    """Full hours, seconds UTC."""

    begin: int
    end: int


def full_hours(begin: int, end: int) -> Period:
    """The full hours that lie within a stretch."""
    first = -(-begin // HOUR_S) * HOUR_S
    return Period(first, max(end // HOUR_S * HOUR_S, first))


def sealed_until(history: sqlite3.Connection, stored: Sequence[Document], period: Period) -> Period:
    """Up to the end of the last hour that is sealed of any of these watches, and no further."""
    last = [
        found[-1].hour
        for one in stored
        if (found := heads.heads(history, one.id, period.begin, period.end))
    ]
    end = (max(last) + 1) * HOUR_S if last else period.begin
    return Period(period.begin, min(period.end, end))


def proof_of(
    history: sqlite3.Connection,
    project: Document,
    stored: Sequence[Document],
    period: Period,
    made: int,
    supplier: str = "",
) -> Proof:
    """A report of these watches over sealed hours."""
    zone = str(project.document.get("zone") or "UTC")
    return Proof(
        project.name,
        supplier,
        period.begin,
        period.end,
        made,
        zone,
        [_watched(history, one, zone, period) for one in stored],
    )


def _watched(history: sqlite3.Connection, stored: Document, zone: str, period: Period) -> Watched:
    try:
        watch = read_watch(stored.document)
    except FormatError:
        watch = Watch(stored.name)
    sealed = heads.heads(history, stored.id, period.begin, period.end)
    by_hour: dict[int, list[Run]] = {one.hour: [] for one in sealed}
    for run in runs_in(history, stored.id, period.begin, period.end):
        if run[0] // HOUR_S in by_hour:
            by_hour[run[0] // HOUR_S].append(run)
    hours = [
        Hour(one.hour, by_hour[one.hour], one.number, one.root, one.head, one.leaves)
        for one in sealed
    ]
    rule = (watch.rule.bad, watch.rule.good)
    found = outages([run for hour in hours for run in hour.runs], *rule)
    told = {
        one.began: Outage(one.began, one.cause, one.note)
        for one in troubles.troubles(
            history, stored.project, period.begin, period.end, stored.id, "outage"
        )
    }
    seen = _seen(history, stored.id, {one.hour: one for one in sealed}, by_hour, found)
    limits = [(one.us, one.share) for one in watch.limits.answers]
    if watch.limits.time_us is not None:
        limits.append((watch.limits.time_us, 0.0))
    begin_us, end_us = period.begin * SECOND_US, period.end * SECOND_US
    return Watched(
        stored.oid,
        stored.name,
        sentence(watch),
        watch.supplier,
        watch.limits.available,
        rule,
        tuple(us for us, _ in limits),
        tuple(share or None for _, share in limits),
        [
            (begin // SECOND_US, end // SECOND_US)
            for begin, end in watch.agreed(zone, begin_us, end_us)
        ],
        heads.last_head(history, stored.id, sealed[0].hour if sealed else None),
        hours,
        seen,
        _gone(found, by_hour, seen),
        [told.get(began, Outage(began, "")) for began, _, _ in found],
    )


def _seen(
    history: sqlite3.Connection,
    watch: int,
    sealed: dict[int, Head],
    by_hour: dict[int, list[Run]],
    found: Sequence[tuple[int, int, int]],
) -> list[Seen]:
    """What the first bad runs of outages saw, as far as it is kept."""
    records: list[Seen] = []
    for began, _, _ in found[:MOST_SEEN]:
        hour = sealed.get(began // HOUR_S)
        flags = {due: flag for due, flag, _, _ in by_hour.get(began // HOUR_S, ())}
        if hour is None or not hour.leaves or not flags.get(began, 0) & KEPT:
            continue
        records += [
            Seen(hour.hour, place, began, data)
            for place, data in heads.records_at(history, watch, began, hour)
        ]
    return records


def _gone(
    found: Sequence[tuple[int, int, int]], by_hour: dict[int, list[Run]], seen: Sequence[Seen]
) -> list[int]:
    """First bad runs whose evidence was kept, and is no more (or there is too much of it)."""
    there = {one.due for one in seen}
    return [
        began
        for began, _, _ in found
        if began not in there
        and any(due == began and flag & KEPT for due, flag, _, _ in by_hour[began // HOUR_S])
    ]
