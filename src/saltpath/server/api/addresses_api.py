"""What a run asked, address by address."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from flask import Blueprint, Response

from saltpath.core.statistics.addresses import Asked, by_address
from saltpath.server.api.views import ms
from saltpath.server.asked import run_asked
from saltpath.server.caches import VersionCache
from saltpath.server.context import database
from saltpath.server.declared import ID, declared, page
from saltpath.server.problems import json_answer
from saltpath.store import cases, evidence, runs, shared_steps

addresses_api = Blueprint("addresses", __name__)
MOST = 500
_ended: VersionCache[list[Asked]] = VersionCache(100)


@addresses_api.get("/runs/<id>/addresses")
@declared("listAddresses", "What a run asked, by address", page("AskedAddress"), ID)
def list_addresses(id: str) -> Response:
    """Those first of which least passed, then the slowest; at most 500. Steps inside shared steps
    and for each item count, too."""
    run = run_asked(id)
    ended = run.state == "finished"
    found = _ended.of(run.oid, "finished", lambda: _counted(run)) if ended else _counted(run)
    return json_answer({"items": [_view(one) for one in found[:MOST]], "next": None})


def _counted(run: runs.Run) -> list[Asked]:
    shared = dict(_sends(shared_steps.documents(database(), run.project)))
    addresses: dict[int, dict[str, str]] = {}
    for entry in runs.run_cases(database(), run.id):
        document = cases.case_at(database(), entry.case_id, entry.version).document
        addresses[entry.position] = shared | dict(_sends(document))
    return by_address(
        (addresses[position][key], verdict, us, position, row)
        for position, row, key, verdict, us in evidence.lengths(database("evidence"), run.id)
        if key in addresses.get(position, {})
    )


def _sends(document: Any) -> Iterator[tuple[str, str]]:
    """The keys of the steps that send something, wherever they stand, with what they send."""
    if isinstance(document, list):
        for item in document:
            yield from _sends(item)
    elif isinstance(document, dict):
        if isinstance(document.get("send"), str) and isinstance(document.get("key"), str):
            yield document["key"], document["send"]
            return
        for value in document.values():
            if isinstance(value, dict | list):
                yield from _sends(value)


def _view(one: Asked) -> dict[str, Any]:
    return {
        "address": one.address,
        "requests": one.requests,
        "passed": one.passed,
        "failed": one.failed,
        "blocked": one.blocked,
        "median": ms(one.median_us),
        "slowest": ms(one.slowest_us),
        "position": one.slowest[0],
        "row": one.slowest[1],
    }
