"""Two feeds of others that the harbour passes on, of tides and of the weather. Now and then they
are slow or down for minutes, by the clock and a seed, so that whoever knows both knows when."""

from __future__ import annotations

import hashlib
import os
import time
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Literal

from saltpath.demo.harbour.port import Refusal
from saltpath.demo.harbour.routes import Call, Reply, route

Mood = Literal["well", "slow", "down"]
SPELL_S = 240
"""So long each mood lasts."""
SEED = 90417
SLOW, DOWN = 1 / 16, 1 / 24
"""The share of the spells in which a feed is so."""
SLOW_S = 0.72
CALM = "SALTPATH_DEMO_CALM"
"""With this in the environment feeds are always well, and cases have no past: tests mean to find
other trouble."""


def mood(feed: str, moment: float) -> Mood:
    """How a feed is at a moment (seconds since 1970)."""
    if os.environ.get(CALM):
        return "well"
    spell = f"{SEED} {feed} {int(moment // SPELL_S)}".encode()
    drawn = int.from_bytes(hashlib.blake2b(spell, digest_size=6).digest()) / 256**6
    if drawn < DOWN:
        return "down"
    return "slow" if drawn < DOWN + SLOW else "well"


def passed_on(
    feed: str, now: Callable[[], float] = time.time, sleep: Callable[[float], None] = time.sleep
) -> datetime:
    """The moment of what a feed says, once it has come. Raises Refusal while it is down."""
    moment = now()
    found = mood(feed, moment)
    if found == "down":
        raise Refusal(503, f"the {feed} office does not answer")
    if found == "slow":
        sleep(SLOW_S)
    return datetime.fromtimestamp(moment, UTC)


@route("GET", "/feeds/tides")
def _tides(call: Call) -> Reply:
    at = passed_on("tide")
    tides = call.port.tides(at.date().isoformat())
    return Reply(200, {"station": "Fernholm", "at": at.isoformat(), "tides": tides})


@route("GET", "/feeds/weather")
def _weather(call: Call) -> Reply:
    at = passed_on("weather")
    part = at.timetuple().tm_yday * 24 + at.hour
    return Reply(
        200,
        {
            "station": "Kvist",
            "at": at.isoformat(),
            "wind": {"knots": 6 + part * 7 % 23, "from": ("N", "NE", "W", "SW")[part % 4]},
            "wavesMetres": round(0.2 + part * 5 % 17 / 10, 1),
        },
    )
