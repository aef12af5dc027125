"""Waits, before a run begins, until the services that it asks answer at all."""

from __future__ import annotations

import asyncio
import time

from saltpath.core.answers.exchange import Exchange
from saltpath.core.cases.options import Options
from saltpath.core.running.compiled import CompiledPlan
from saltpath.core.running.prepare import Prepared
from saltpath.core.running.services import address_there, services
from saltpath.core.values.measures import show_duration
from saltpath.core.values.why import MaskedWhy, said
from saltpath.engine.client import Aborted, Client
from saltpath.engine.loop import Strand
from saltpath.engine.stop import Stop

AGAIN_S = 0.5
LONGEST_TRY_US = 5_000_000
AWAY = frozenset([502, 503, 504])
"""What a gateway answers for a service that is not there (RFC 9110, 15.6)."""
_HEADERS = (("User-Agent", "saltpath"), ("Accept", "*/*"))


async def until_up(plan: CompiledPlan, client: Client, stop: Stop) -> list[MaskedWhy | None]:
    """Wait until each service answers, with whatever status but those of a gateway, or the address
    that is said answers well, for as long as the plan says. Gives for each destination why it is of
    no use to begin there; None where all answer, or it is to stop."""
    end = time.monotonic() + plan.wait_us / 1e6
    each = [_asked(plan, goes) for goes in range(len(plan.destinations))]
    waiting = {
        address: Strand(_answers(address, end, plan, client, stop)).done
        for address in dict.fromkeys(address for several in each for address in several)
    }
    await asyncio.gather(*waiting.values())
    return [
        next((reason for one in several if (reason := waiting[one].result()) is not None), None)
        for several in each
    ]


def _asked(plan: CompiledPlan, goes: int) -> list[str]:
    if not plan.up_at:
        return services(plan, goes)
    return [address_there(plan.up_at, plan, plan.destinations[goes]) or plan.up_at]


async def _answers(
    address: str, end: float, plan: CompiledPlan, client: Client, stop: Stop
) -> MaskedWhy | None:
    if "[=" in address:
        problem = "a value in it is not known there, or a secret"
        return said("not-up", host=address, limit=show_duration(plan.wait_us), problem=problem)
    while True:
        left_us = max(int((end - time.monotonic()) * 1e6), 1_000)
        options = Options(
            timeout_us=min(left_us, LONGEST_TRY_US),
            verify_tls=plan.project.options.verify_tls,
            largest_body=1_000_000,
        )
        try:
            exchange = await client.exchange(Prepared("GET", address, _HEADERS, None), options)
        except Aborted:
            return None
        if (_is_well if plan.up_at else _is_up)(exchange) or stop.requested:
            return None
        if time.monotonic() + AGAIN_S > end:
            problem = exchange.why.sentence if exchange.why else f"it answered {exchange.status}"
            return said("not-up", host=address, limit=show_duration(plan.wait_us), problem=problem)
        if await stop.sleep(AGAIN_S):
            return None


def _is_well(exchange: Exchange) -> bool:
    return 200 <= exchange.status < 400


def _is_up(exchange: Exchange) -> bool:
    """Whether somebody answers there: also one whose certificate is not trusted, or whose answer is
    no HTTP that can be read."""
    if exchange.status:
        return exchange.status not in AWAY
    return exchange.why is not None and exchange.why.code not in _NOBODY


_NOBODY = frozenset(
    ["refused", "no-host", "timed-out-connecting", "timed-out", "cut", "failed-exchange"]
)
"""Codes of reasons for which nobody is said to have answered."""
