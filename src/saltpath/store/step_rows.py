"""A finished step on its way into the store, and what is packed of it: the form of a record, both
ways. Lists in it only grow, so that older ones are read for ever."""

from __future__ import annotations

import hashlib
from typing import Any

import msgspec

from saltpath.core.checks.judge import Outcome
from saltpath.core.running.events import StepFinished
from saltpath.core.running.resources import ResourceEvent, resource_events
from saltpath.core.values import plain
from saltpath.core.values.why import MaskedWhy, Why, as_masked
from saltpath.store import output_rows
from saltpath.store.output_rows import OutputRow

APART = 8_000
LONGEST_SEEN = 8_000
"""Of what a check expected and found, the characters that are kept: four times as many as a page
shows. The answer has all of it."""


class StepRow(msgspec.Struct, array_like=True):
    """One finished step on its way to the store. `packed` is the record before compression;
    `bodies` by hash."""

    position: int
    row: int
    part: str
    step: int
    attempt: int
    key: str
    verdict: str
    status: int
    us: int
    at: int
    record: bytes
    bodies: dict[bytes, bytes]
    inner: str = ""
    size: int = 0
    wrote: OutputRow | None = None
    flags: int = 0
    """1: it counts for its row's verdict; 2: one of its own checks was judged."""
    resources: tuple[ResourceEvent, ...] = ()
    """What its exchanges made, and took away."""


def row_of(event: StepFinished, position: int) -> StepRow:
    """A step's event as a row. Runs in the runner, so that the writer only compresses and
    inserts."""
    bodies: dict[bytes, bytes] = {}
    exchanges = [
        [
            plain.whole_text(x.method),
            plain.whole_text(x.address),
            x.sent_head,
            _apart(x.sent_body, bodies),
            x.status,
            x.received_head,
            _apart(x.raw_body, bodies),
            None if x.body == x.raw_body else _apart(x.body, bodies),
            x.times,
            x.begun_us,
            x.reused,
            x.resent,
            _why(x.why),
        ]
        for x in event.exchanges
    ]
    facts = plain.write_json(
        {
            "name": event.name,
            "kind": event.kind,
            "why": _why(event.why),
            "outcomes": [_packed(outcome) for outcome in event.outcomes],
            "kept": dict(event.kept),
            "used": dict(event.used),
            "secret": event.secret_kept,
            "counts": event.counts,
            **({"attempts": event.attempts} if event.attempts > 1 else {}),
        }
    )
    record = msgspec.msgpack.encode([exchanges, facts])
    return StepRow(
        position,
        event.row,
        event.part,
        event.step,
        1,
        event.key,
        event.verdict,
        event.status,
        event.us,
        event.at,
        record,
        bodies,
        event.inner,
        len(event.exchanges[-1].body) if event.exchanges else 0,
        output_rows.row_of(event),
        event.counts | event.judged << 1,
        resource_events(event.exchanges),
    )


def _packed(o: Outcome) -> list[Any]:
    """An outcome as a list: what all have, what only some have, and what older versions did not
    keep."""
    expected, actual, begins = o.expected, o.actual, 0
    if not o.whole:
        expected, actual = (
            plain.beginning(expected, LONGEST_SEEN),
            plain.beginning(actual, LONGEST_SEEN),
        )
        if isinstance(expected, plain.Beginning):
            expected, begins = expected.text, 1
        if isinstance(actual, plain.Beginning):
            actual, begins = actual.text, begins | 2
    packed: list[Any] = [
        o.verdict,
        o.check,
        expected,
        actual,
        o.where,
        _why(o.why),
        o.advice,
        o.note,
    ]
    packed += [[_packed(part) for part in o.parts], o.role, o.origin, begins, o.of, o.relation]
    return packed


def read_outcome(packed: list[Any]) -> Outcome:
    verdict, check, expected, actual, where, why, advice, note, *more = packed
    parts, role, origin, begins, of, relation = [*more, *_NOT_KEPT[len(more) :]]
    if begins:
        expected = plain.Beginning(expected) if begins & 1 else expected
        actual = plain.Beginning(actual) if begins & 2 else actual
    return Outcome(
        verdict,
        check,
        expected,
        actual,
        tuple(where),
        read_why(why),
        advice,
        note,
        tuple(map(read_outcome, parts)),
        role,
        origin,
        of=of,
        relation=relation,
    )


_NOT_KEPT: list[Any] = [[], "", "", 0, "", ""]


def _why(why: Why | None) -> list[Any] | None:
    return None if why is None else [why.code, dict(why.params)]


def _apart(body: bytes, bodies: dict[bytes, bytes]) -> Any:
    if len(body) <= APART:
        return body
    key = hashlib.blake2b(body, digest_size=20).digest()
    bodies[key] = body
    return [key, len(body)]


def read_why(data: Any) -> MaskedWhy | None:
    return None if data is None else as_masked(Why(data[0], data[1]))
