"""Sends results of runs to where rules say (store/deliveries.py): a process of its own, so that
nobody who does not answer holds up a run."""

from __future__ import annotations

import asyncio
import logging
import sqlite3
import threading
import time
from collections.abc import Callable
from contextlib import closing
from pathlib import Path
from typing import Any

from saltpath.core.answers.exchange import Exchange
from saltpath.core.cases.options import Options
from saltpath.core.running.prepare import Prepared
from saltpath.core.running.reach import Reach
from saltpath.core.values.errors import SaltPathError
from saltpath.engine.client import Client
from saltpath.engine.loop import Strand, run_in_loop
from saltpath.formats.reports import FORMS
from saltpath.reporting import Stored, report_of
from saltpath.runner import vouching
from saltpath.runner.life import ShutdownSignal, parent_gone
from saltpath.runner.telling import Teller
from saltpath.store import deliveries, errands, reaching, runs, secrets
from saltpath.store.database import connect, now_us
from saltpath.store.deliveries import Delivery

LOOK_S, ERRANDS_LOOK_S, TELLING_LOOK_S = 0.5, 0.1, 1.0
TIMEOUT_US = 30_000_000
LARGEST_ANSWER = 100_000
AT_ONCE = 20
log = logging.getLogger("saltpath.courier")


class Courier:
    """Tries what is due. `clock` gives UTC in microseconds; `own_port`: where Salt Path itself
    listens, to which nothing is sent."""

    def __init__(self, folder: Path, own_port: int = 0, clock: Callable[[], int] = now_us) -> None:
        self._folder, self._own_port, self._clock = folder, own_port, clock

    def deliver_due(self) -> int:
        """Try once whatever is due by now, side by side, so that nobody who does not answer holds
        up the others; how many these were."""
        main, evidence = connect(self._folder, "main"), connect(self._folder, "evidence")
        with closing(main), closing(evidence):
            stored = Stored(main, evidence)
            found = deliveries.due(main, self._clock(), AT_ONCE)
            tries = [self._prepared(stored, delivery) for delivery in found]
            at, begun = self._clock(), time.monotonic_ns()
            reach = reaching.reach(main, self._own_port)
            sent = run_in_loop(lambda selector: self._send(selector, tries, reach)) if tries else []
            for delivery, (status, said, ended) in zip(found, sent, strict=True):
                us = max(ended - begun, 0) // 1000
                deliveries.record_try(main, delivery, at, us, status, said)
        return len(found)

    async def _send(self, selector: Any, tries: list[Prepared | str], reach: Reach) -> list[Sent]:
        client = Client(selector, self._clock, reach=reach)
        try:
            return list(await asyncio.gather(*(_sent(client, one) for one in tries)))
        finally:
            client.close()

    def run_errands(self) -> int:
        """Do what the web server has asked elsewhere; how much that was."""
        with closing(connect(self._folder, "main")) as main:
            found = errands.waiting(main)
            if not found:
                return 0
            reach = reaching.reach(main, self._own_port)

            async def each(selector: Any) -> None:
                client = Client(selector, self._clock, reach=reach)
                try:
                    for errand in found:
                        told = await vouching.done(client, main, self._folder, errand)
                        errands.answer(main, errand, told)
                finally:
                    client.close()

            run_in_loop(each)
            return len(found)

    def _prepared(self, stored: Stored, delivery: Delivery) -> Prepared | str:
        """The request; or why there is none, as a sentence."""
        try:
            return self._request(stored, delivery)
        except SaltPathError as problem:
            return problem.sentence
        except Exception:
            log.exception("a fault of Salt Path's own in delivery %s", delivery.oid)
            return "Salt Path itself made a mistake here; its log says more"

    def _request(self, stored: Stored, delivery: Delivery) -> Prepared:
        rule = deliveries.rule_by_id(stored.main, delivery.rule)
        run = runs.run_by_id(stored.main, delivery.run)
        form = FORMS[rule.rule.form]
        body = b"".join(form.write(report_of(stored, run)))
        headers = [
            ("User-Agent", "saltpath"),
            ("Accept", "*/*"),
            ("Content-Type", form.media_type),
            ("Delivery-Id", delivery.oid),
            ("X-Verdict", run.verdict or ""),
        ]
        if rule.rule.header:
            place = secrets.Place(rule.project, deliveries.secret_name(rule))
            key = secrets.secret_at(stored.main, self._folder, place)
            headers.append((rule.rule.header, key))
        return Prepared("POST", rule.rule.address, tuple(headers), body, redirected=True)


Sent = tuple[int, str, int]
"""The status (0: none), why it has not arrived (empty: it has), and when it ended."""


async def _sent(client: Client, prepared: Prepared | str) -> Sent:
    if isinstance(prepared, str):
        return 0, prepared, time.monotonic_ns()
    options = Options(timeout_us=TIMEOUT_US, largest_body=LARGEST_ANSWER)
    exchange: Exchange = await Strand(client.exchange(prepared, options)).done
    ended = time.monotonic_ns()
    if exchange.why is not None:
        return 0, exchange.why.sentence, ended
    arrived = 200 <= exchange.status < 300
    return exchange.status, "" if arrived else f"it answered {exchange.status}", ended


def _do_errands(courier: Courier, folder: Path, shutdown: ShutdownSignal) -> None:
    """Beside the deliveries, which may wait long for whoever does not answer: somebody waits for
    these."""
    watched, seen = connect(folder, "main"), -1
    while not shutdown.is_set():
        time.sleep(ERRANDS_LOOK_S)
        try:
            version = watched.execute("PRAGMA data_version").fetchone()[0]
            if version != seen:
                seen = version
                courier.run_errands()
        except sqlite3.Error as problem:
            seen = -1
            log.error("a provider cannot be asked just now: %s; it is tried again", problem)


def _tell_people(teller: Teller, folder: Path, shutdown: ShutdownSignal) -> None:
    """Beside the deliveries, too."""
    while not shutdown.is_set():
        time.sleep(TELLING_LOOK_S)
        try:
            teller.tell_due()
        except sqlite3.Error as problem:
            log.error("people cannot be told just now: %s; it is tried again", problem)


def main(folder: Path, own_port: int, address: str = "") -> None:
    """Until told to end, or until the supervisor is gone. `address`: where a browser finds Salt
    Path."""
    shutdown, courier = ShutdownSignal(), Courier(folder, own_port)
    threading.Thread(target=_do_errands, args=(courier, folder, shutdown), daemon=True).start()
    telling = (Teller(folder, address, own_port), folder, shutdown)
    threading.Thread(target=_tell_people, args=telling, daemon=True).start()
    watched = connect(folder, "main")
    seen, next_due = -1, 0
    while not shutdown.wait(LOOK_S) and not parent_gone():
        try:
            version = watched.execute("PRAGMA data_version").fetchone()[0]
            if version == seen and now_us() < next_due:
                continue
            seen = version
            while courier.deliver_due() == AT_ONCE and not shutdown.is_set():
                pass
            next_due = deliveries.next_due(watched) or 1 << 62
        except sqlite3.Error as problem:
            log.error("results cannot be sent just now: %s; it is tried again", problem)
