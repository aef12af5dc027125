"""What receives results of runs, as a team's own register of tests might: it keeps what arrives,
each delivery once by its id, and shows it at /results. It can be shut for a while."""

from __future__ import annotations

import hmac
from html import escape
from threading import Lock
from time import monotonic
from typing import NamedTuple

from saltpath.demo.harbour.port import Refusal
from saltpath.demo.harbour.routes import Call, Reply, page, route, wants_json

KEY = "register-3"
MOST = 100
MOST_SHOWN = 2_000


class Arrived(NamedTuple):
    delivery: str
    kind: str
    verdict: str
    body: bytes


class _Received:
    """What has arrived at all harbours of this process."""

    def __init__(self) -> None:
        self.lock = Lock()
        self.kept: dict[str, Arrived] = {}
        self.doubled = 0
        self.shut_until = 0.0


_received = _Received()


@route("POST", "/results")
def _take(call: Call) -> Reply:
    """Take a result; the key belongs into X-Key."""
    with _received.lock:
        if monotonic() < _received.shut_until:
            return Reply(503, {"title": "the register is shut for a while", "status": 503})
        if not hmac.compare_digest(call.headers.get("X-Key", "").encode(), KEY.encode()):
            return Reply(401, {"title": "the key in X-Key does not fit", "status": 401})
        delivery = call.headers.get("Delivery-Id", "")
        if not delivery:
            raise Refusal(400, "a result needs a Delivery-Id")
        if delivery in _received.kept:
            _received.doubled += 1
            return Reply(200, {"delivery": delivery, "new": False})
        arrived = Arrived(
            delivery,
            call.headers.get("Content-Type", ""),
            call.headers.get("X-Verdict", ""),
            call.raw,
        )
        _received.kept[delivery] = arrived
        while len(_received.kept) > MOST:
            del _received.kept[next(iter(_received.kept))]
    return Reply(201, {"delivery": delivery, "new": True})


@route("PUT", "/results/shut")
def _shut(call: Call) -> Reply:
    """Shut the register for some seconds, or open it with 0."""
    seconds = call.body.get("seconds") if isinstance(call.body, dict) else None
    if not isinstance(seconds, int) or not 0 <= seconds <= 86_400:
        raise Refusal(422, "seconds is a whole number from 0 to 86400")
    with _received.lock:
        _received.shut_until = monotonic() + seconds
    return Reply(200, {"shut": seconds})


@route("GET", "/results")
def _show(call: Call) -> Reply:
    """What has arrived, the newest first: a page, or JSON where only that is taken."""
    with _received.lock:
        found = list(reversed(_received.kept.values()))
        doubled = _received.doubled
    if wants_json(call):
        items = [
            {
                "delivery": one.delivery,
                "type": one.kind,
                "verdict": one.verdict,
                "size": len(one.body),
            }
            for one in found
        ]
        return Reply(200, {"items": items, "doubled": doubled})
    lines = "".join(
        f"<h2>{escape(one.verdict or 'a result')} <small>{escape(one.delivery)}, "
        f"{escape(one.kind)}</small></h2><pre>"
        f"{escape(one.body[:MOST_SHOWN].decode('utf-8', 'replace'))}</pre>"
        for one in found
    )
    return page("Register of results", f"{len(found)} have arrived.", lines)
