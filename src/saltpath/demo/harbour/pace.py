"""How long the harbour takes to answer: a port authority's service is no quicker than that. What a
demonstration's cases and watches have behind them was as long."""

from __future__ import annotations

import os
import random
import re
import time
from collections.abc import Callable

from saltpath.demo.harbour.feeds import CALM

USUAL_US = (
    (r"POST /cargo", 280_000),
    (r"GET /tide-windows", 120_000),
    (r"GET /feeds/tides", 90_000),
    (r"GET /feeds/weather", 48_000),
    (r"POST /sessions", 31_000),
    (r"POST /port-calls", 175_000),
    (r"(GET|PUT|DELETE) /port-calls", 24_000),
    (r"GET /pilots", 60_000),
    (r"(GET|PATCH) /vessels", 38_000),
    (r"GET /berths", 22_000),
    (r"POST /(fee-quotes|orders|papers|desk)", 34_000),
    (r"GET /(log|scales|desk|notices)", 17_000),
)
"""By what is asked, microseconds; all else is answered at once."""
SPREAD = 0.07
_TABLE = [(re.compile(pattern), us) for pattern, us in USUAL_US]


def usual_us(method: str, path: str) -> int:
    """What an answer usually takes, microseconds; 0 of what is answered at once."""
    asked = f"{method} {path}"
    return next((us for pattern, us in _TABLE if pattern.match(asked)), 0)


def take_time(method: str, path: str, sleep: Callable[[float], None] = time.sleep) -> None:
    """Wait as long as an answer takes; not at all where all is calm."""
    us = usual_us(method, path)
    if us and not os.environ.get(CALM):
        sleep(us / 1e6 * random.lognormvariate(0, SPREAD))
