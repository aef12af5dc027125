"""What a supplier report holds: of each watch its runs, sealed hours, and what was seen of trouble;
as the checking file reads it (core/proof/verify.py)."""

from __future__ import annotations

import base64
import json
import zlib
from typing import Any

from msgspec import Struct

from saltpath.core.proof.verify import FORM, RUN, claims

Run = tuple[int, int, int, int]


class Hour(Struct, frozen=True):
    """A sealed hour: its number since 1970, its runs, how many records it has, their root, and the
    head. `leaves`: the hashes of the records, where some are in the report."""

    hour: int
    runs: list[Run]
    number: int
    root: bytes
    head: bytes
    leaves: bytes


class Seen(Struct, frozen=True):
    """What a run saw, in its one form; `place`: among the records of its hour."""

    hour: int
    place: int
    due: int
    data: bytes


class Outage(Struct, frozen=True):
    """What is said of one beside its times, which follow from the runs. Moments: seconds, UTC."""

    began: int
    cause: str
    note: str = ""


class Watched(Struct, frozen=True):
    """One watch over the time of the report."""

    key: str
    name: str
    what: str
    """The sentence of what it runs, when, where."""
    supplier: str
    available: float | None
    """The share of the time that was promised."""
    rule: tuple[int, int]
    """Bad and good runs in a row that begin and end an outage."""
    within: tuple[int, ...]
    """Limits of the time of answers, microseconds."""
    promised: tuple[float | None, ...]
    """The share of the answers promised within each; None: each."""
    maintenance: list[tuple[int, int]]
    """Agreed times within that of the report, seconds UTC."""
    before: bytes
    """The head before the first hour."""
    hours: list[Hour]
    seen: list[Seen]
    gone: list[int]
    """When the first bad runs of outages were due of which nothing is kept any more."""
    outages: list[Outage]

    @property
    def runs(self) -> list[Run]:
        return [run for hour in self.hours for run in hour.runs]


class Proof(Struct, frozen=True):
    """A report. Moments: seconds, UTC; `begin` and `end` are full hours."""

    project: str
    supplier: str
    begin: int
    end: int
    made: int
    zone: str
    watches: list[Watched]


def record_of(proof: Proof) -> dict[str, Any]:
    return {
        "form": FORM,
        "project": proof.project,
        "from": proof.begin,
        "to": proof.end,
        "made": proof.made,
        "zone": proof.zone,
        "watches": [_watch(one, proof.end) for one in proof.watches],
    }


def claims_of(one: Watched, end: int) -> dict[str, Any]:
    return claims(one.runs, end, one.rule, one.within)


def _watch(one: Watched, end: int) -> dict[str, Any]:
    with_records = {seen.hour for seen in one.seen}
    return {
        "key": one.key,
        "name": one.name,
        "rule": list(one.rule),
        "within": list(one.within),
        "before": one.before.hex(),
        "hours": [_hour(hour, hour.hour in with_records) for hour in one.hours],
        "evidence": [
            {"hour": seen.hour, "place": seen.place, "record": seen.data.decode()}
            for seen in one.seen
        ],
        "gone": one.gone,
        "claims": claims_of(one, end),
    }


def _hour(hour: Hour, whole: bool) -> dict[str, Any]:
    said: dict[str, Any] = {
        "hour": hour.hour,
        "count": hour.number,
        "root": hour.root.hex(),
        "head": hour.head.hex(),
        "runs": base64.b64encode(b"".join(RUN.pack(*run) for run in hour.runs)).decode(),
    }
    if whole:
        said["leaves"] = [hour.leaves[at : at + 32].hex() for at in range(0, len(hour.leaves), 32)]
    return said


def packed(proof: Proof) -> str:
    """As it stands in the page."""
    return base64.b64encode(zlib.compress(json.dumps(record_of(proof)).encode(), 9)).decode()
