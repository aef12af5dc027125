"""HTTP by libcurl: one exchange at a time per slot, many slots at once, connections reused between
them.

libcurl's own redirects, decoding and cookies are off: each hop is evidence, and raw bytes survive
bad gzip. Every HEADER_OUT is an exchange of its own, since libcurl resends on a kept-alive
connection that died. Where the head is known beforehand (`heads.py`), libcurl is not asked for it.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from typing import Any
from urllib.parse import urlsplit

import pycurl

from saltpath.core.answers.answer import headers_of, mentions
from saltpath.core.answers.exchange import Exchange, Times
from saltpath.core.cases.options import Options
from saltpath.core.running.prepare import Prepared
from saltpath.core.running.reach import Reach
from saltpath.core.values.measures import show_size
from saltpath.core.values.why import Blocked, Why, why
from saltpath.engine.decode import decode
from saltpath.engine.failures import HEADER_LIMIT, head_cut, headers_too_large, reason
from saltpath.engine.handle import Sending
from saltpath.engine.loop import Transfers
from saltpath.engine.quick.heads import Heads
from saltpath.engine.rate_limit import RateLimiter
from saltpath.engine.stop import cleaning

_FIRST, _TOTAL = pycurl.STARTTRANSFER_TIME_T, pycurl.TOTAL_TIME_T
_NEW_CONNECTIONS, _REQUEST_SIZE, _STATUS = (
    pycurl.NUM_CONNECTS,
    pycurl.REQUEST_SIZE,
    pycurl.RESPONSE_CODE,
)


class Aborted(Exception):
    """The exchange was given up because the run is being stopped."""


class Client:
    """Carries out exchanges in one loop. Its connections belong to one project's run. Close it when
    done.

    `now_us` gives UTC in microseconds. `reach`: where requests may go; None: anywhere."""

    def __init__(
        self,
        selector: Transfers,
        now_us: Callable[[], int],
        connections: int = 100,
        reach: Reach | None = None,
    ) -> None:
        self._reach = reach
        self._loop = asyncio.get_running_loop()
        self._now_us = now_us
        self._free: list[Sending] = []
        self._busy: dict[Any, Sending] = selector.under_way
        self._pace = RateLimiter()
        self._heads = Heads()
        self._add_handle, self._remove_handle = (
            selector.multi.add_handle,
            selector.multi.remove_handle,
        )
        selector.on_done = self._done
        selector.multi.setopt(pycurl.M_MAXCONNECTS, connections)

    def _done(self, handle: Any, error: tuple[int, str] | None) -> None:
        slot = self._busy.pop(handle, None)
        if slot is None:  # given up a moment ago, by what another's end set off
            return
        self._remove_handle(handle)
        slot.error = error
        resume = slot.resume
        resume(None)

    def abort(self, every: bool = False) -> None:
        """Give up the exchanges that are under way or wait for their turn, but for those that clean
        up, or `every` one; their callers get Aborted."""
        self._pace.abort(Aborted(), every)
        for handle, slot in list(self._busy.items()):
            if slot.cleans and not every:
                continue
            del self._busy[handle]
            self._remove_handle(handle)
            self._loop.call_soon(slot.resume, Aborted())

    def close(self) -> None:
        self.abort(every=True)
        for slot in self._free:
            slot.handle.close()
        self._free.clear()

    async def exchange(self, prepared: Prepared, options: Options, paced: bool = False) -> Exchange:
        """Send one request and wait for its answer, in a strand. Never raises for what the network
        does: `why` says it. It waits for its host's turn where the options say so, unless it is
        `paced` already."""
        if not paced and (options.at_once is not None or options.per_second is not None):
            return await self._paced(prepared, options)
        slot = self.begin(prepared, options)
        if isinstance(slot, Exchange):
            return slot
        await slot
        return self.end(slot, prepared, options)

    def begin(self, prepared: Prepared, options: Options) -> Sending | Exchange:
        """Begin to send, whoever's turn it is: what the strand has to await for `end`; or the
        exchange, if it cannot be sent."""
        slot = self._free.pop() if self._free else Sending(self._heads, self._reach)
        if slot.certified and options.certificate is None:
            slot.handle.close()
            slot = Sending(self._heads, self._reach)
        now_us = self._now_us
        slot.begun = now_us()
        try:
            slot.set(prepared, options)
            if self._reach is not None and options.proxy is not None:
                slot.check_behind_proxy()
        except (pycurl.error, UnicodeError) as problem:
            self._free.append(slot)
            reason = why("address-unreadable", address=prepared.address, problem=str(problem))
            return _unsent(prepared, slot.begun, reason)
        if slot.refused:
            self._free.append(slot)
            return _unsent(prepared, slot.begun, _not_asked(slot, prepared))
        slot.cleans = cleaning.get()
        self._busy[slot.handle] = slot
        self._add_handle(slot.handle)
        return slot

    def end(self, slot: Sending, prepared: Prepared, options: Options) -> Exchange:
        """What came of what was begun and awaited."""
        getinfo, error, expected = slot.getinfo, slot.error, slot.expected
        # on a connection that is used again, waiting begins at the start
        if getinfo(_NEW_CONNECTIONS) == 0:
            first, total = getinfo(_FIRST), getinfo(_TOTAL)
            times, reused = (
                Times(0, 0, 0, first, total - first if first else 0, total),
                error is None,
            )
        else:
            times = _times(getinfo)
            reused = times.connect == 0 and error is None
        if expected is not None and getinfo(_REQUEST_SIZE) == len(expected):
            sent, resent = expected, False
        else:
            sent, resent = slot.sent(error is not None)
        head = b"".join(slot.heads_in)
        body = raw = b"".join(slot.body)
        seen = mentions(head)
        status = seen.status if error is None else 0
        problem: Why | None = None
        if error is not None:
            problem = _problem(slot, prepared, options, error, bool(sent))
        elif len(head) > HEADER_LIMIT:
            problem = headers_too_large()
        elif not seen.whole:
            problem = head_cut()
        elif not status:  # libcurl takes the first three of four digits
            problem = why("not-http", host=urlsplit(prepared.address).hostname or "")
        elif seen.encoding and prepared.method != "HEAD":
            try:
                body = _decoded(raw, head, slot.limit)
            except Blocked as blocked:
                problem, body = blocked.reason, b""
        self._free.append(slot)
        return Exchange(
            prepared.method,
            prepared.address,
            sent,
            prepared.body or b"",
            status or getinfo(_STATUS),
            head,
            raw,
            body,
            times,
            slot.begun,
            reused,
            resent,
            problem,
        )

    async def _paced(self, prepared: Prepared, options: Options) -> Exchange:
        """The same when the host's turn has come."""
        host = urlsplit(prepared.address).netloc.rpartition("@")[2].lower()
        await self._pace.begin(host, options.at_once, options.per_second)
        try:
            return await self.exchange(prepared, options, paced=True)
        finally:
            self._pace.end(host)


def _not_asked(slot: Sending, prepared: Prepared) -> Why:
    if slot.refused == "own" and prepared.redirected:
        return why("redirect-here", address=prepared.address)
    host = urlsplit(prepared.address).hostname or ""
    at = "" if slot.refused_at in ("", host) else f" ({slot.refused_at})"
    return why(f"reach-{slot.refused}", host=f"{host}{at}")


def _unsent(prepared: Prepared, begun: int, problem: Why) -> Exchange:
    return Exchange(
        prepared.method,
        prepared.address,
        b"",
        prepared.body or b"",
        0,
        b"",
        b"",
        b"",
        Times(),
        begun,
        why=problem,
    )


def _problem(
    slot: Sending, prepared: Prepared, options: Options, error: tuple[int, str], connected: bool
) -> Why:
    if slot.refused:
        return _not_asked(slot, prepared)
    if slot.too_large:
        return why("too-large", limit=show_size(slot.limit))
    return reason(
        error[0],
        error[1],
        prepared.address,
        timeout_us=options.timeout_us or 0,
        os_errno=slot.getinfo(pycurl.OS_ERRNO),
        connected=connected,
        received=slot.size,
    )


def _decoded(raw: bytes, head: bytes, limit: int) -> bytes:
    """The body without its content encodings. Raises Blocked."""
    encodings = [value for name, value in headers_of(head) if name.lower() == "content-encoding"]
    return decode(raw, ",".join(encodings), limit)


def _times(getinfo: Callable[[int], Any]) -> Times:
    """libcurl's moments since the start, of a new connection, as lengths of the phases between
    them."""
    lookup, connect = getinfo(pycurl.NAMELOOKUP_TIME_T), getinfo(pycurl.CONNECT_TIME_T)
    tls, sent = getinfo(pycurl.APPCONNECT_TIME_T), getinfo(pycurl.PRETRANSFER_TIME_T)
    first, total = getinfo(_FIRST), getinfo(_TOTAL)
    return Times(
        lookup if connect else 0,
        max(connect - lookup, 0),
        max(tls - connect, 0) if tls else 0,
        max(first - sent, 0),
        total - first if first else 0,
        total,
    )
