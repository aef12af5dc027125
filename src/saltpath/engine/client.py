"""HTTP by libcurl: one exchange at a time per slot, many slots at once, connections reused between
them.

libcurl's own redirects, decoding and cookies are off: each hop is evidence, and raw bytes survive
bad gzip. Every HEADER_OUT is an exchange of its own, since libcurl resends on a kept-alive
connection that died. Where the head is known beforehand (`heads.py`), libcurl is not asked for it.
"""

from __future__ import annotations

import asyncio
import socket
from collections.abc import Callable
from ipaddress import ip_address
from typing import Any
from urllib.parse import urlsplit, urlunsplit

import pycurl

from saltpath.core.answer import headers_of, mentions
from saltpath.core.exchange import Exchange, Times
from saltpath.core.measures import show_size
from saltpath.core.options import Options
from saltpath.core.prepare import Prepared
from saltpath.core.why import Blocked, Why, why
from saltpath.engine.decode import decode
from saltpath.engine.failures import HEADER_LIMIT, head_cut, headers_too_large, reason
from saltpath.engine.heads import Heads, sent_of
from saltpath.engine.loop import CurlSelector, Transfer
from saltpath.engine.pace import Pace

_HEADER_OUT = pycurl.INFOTYPE_HEADER_OUT
_FIRST, _TOTAL = pycurl.STARTTRANSFER_TIME_T, pycurl.TOTAL_TIME_T
_NEW_CONNECTIONS, _REQUEST_SIZE, _STATUS = (
    pycurl.NUM_CONNECTS,
    pycurl.REQUEST_SIZE,
    pycurl.RESPONSE_CODE,
)
_BODILESS = frozenset(["GET", "DELETE", "OPTIONS", "TRACE", "HEAD"])


class Aborted(Exception):
    """The exchange was given up because the run is being stopped."""


class Sending(Transfer):
    """One easy handle with what its callbacks collect. `error`: libcurl's, once it was awaited."""

    __slots__ = (
        "address",
        "begun",
        "body",
        "certified",
        "error",
        "expected",
        "forbidden_port",
        "getinfo",
        "handle",
        "heads",
        "heads_in",
        "heads_out",
        "limit",
        "options",
        "prepared",
        "refused",
        "size",
        "too_large",
        "trusting",
    )

    def __init__(self, heads: Heads) -> None:
        super().__init__()
        self.heads = heads
        self.expected: bytes | None = None  # the head that will be sent, where that is known
        self.heads_out: list[bytes] = []
        self.heads_in: list[bytes] = []
        self.body: list[bytes] = []
        self.size = 0
        self.limit = 0
        self.address = ""
        self.prepared: Prepared | None = None  # what the handle is set to, with these options
        self.options: Options | None = None
        self.too_large = False
        self.certified = (
            False  # it has a client certificate, which libcurl does not take from it again
        )
        self.trusting = (
            False  # it knows the authorities that vouch for servers, which only https needs
        )
        self.forbidden_port = 0  # of this machine, to which this exchange may not connect
        self.refused = False  # it would have connected there
        self.begun = 0
        self.error: tuple[int, str] | None = None
        handle = self.handle = pycurl.Curl()
        self.getinfo = handle.getinfo
        handle.setopt(pycurl.NOSIGNAL, 1)
        handle.setopt(pycurl.PATH_AS_IS, 1)
        handle.setopt(pycurl.PROTOCOLS, pycurl.PROTO_HTTP | pycurl.PROTO_HTTPS)
        handle.setopt(pycurl.FOLLOWLOCATION, 0)
        handle.setopt(pycurl.PROXY, "")
        handle.setopt(pycurl.NOPROXY, "*")
        handle.setopt(pycurl.TCP_NODELAY, 1)
        handle.setopt(pycurl.VERBOSE, 1)
        handle.setopt(pycurl.DEBUGFUNCTION, self._watch)
        handle.setopt(pycurl.HEADERFUNCTION, self.heads_in.append)
        handle.setopt(pycurl.WRITEFUNCTION, self._write)

    def forbid(self, port: int) -> None:
        """Do not connect to this port of this machine, under whatever name (0: connect anywhere);
        looked at when the address is known, so that no name server can lead there. A connection
        that stands is not used again."""
        self.refused = False
        if port == self.forbidden_port:
            return
        self.forbidden_port = port
        self.handle.setopt(pycurl.FRESH_CONNECT, 1 if port else 0)
        if port:
            self.handle.setopt(pycurl.OPENSOCKETFUNCTION, self._open)
        else:
            self.handle.unsetopt(pycurl.OPENSOCKETFUNCTION)
            self.prepared = self.options = None  # what was set of connections is set anew

    def _open(self, purpose: int, place: Any) -> Any:
        family, kind, protocol, address = place
        if address[1] == self.forbidden_port and _is_here(str(address[0])):
            self.refused = True
            return pycurl.SOCKET_BAD
        return socket.socket(family, kind, protocol)

    def _watch(self, kind: int, data: bytes) -> None:
        if kind == _HEADER_OUT:
            self.heads_out.append(data)
            self.heads_in.clear()

    def expect(self, head: bytes | None) -> None:
        """Take this head for what will be sent; None watches for it."""
        if (head is None) != (self.expected is None):
            self.handle.setopt(pycurl.VERBOSE, 1 if head is None else 0)
        self.expected = head

    def sent(self, error: bool) -> tuple[bytes, bool]:
        """The last head as it went out (empty: none did), and whether it was one of several, sent
        again."""
        expected, heads = self.expected, self.heads_out
        if expected is not None:
            heads = sent_of(expected, self.getinfo(_REQUEST_SIZE))
        elif (
            not error and len(heads) == 1 and self.prepared is not None and self.options is not None
        ):
            known = self.getinfo(_REQUEST_SIZE) == len(heads[0])
            if known and self.heads.learn(self.prepared, self.options, heads[0]):
                self.expect(heads[0])
        return heads[-1] if heads else b"", len(heads) > 1

    def _write(self, data: bytes) -> int | None:
        self.size += len(data)
        if self.size > self.limit:
            self.too_large = True
            return -1
        self.body.append(data)
        return None

    def set(self, prepared: Prepared, options: Options) -> None:
        """Set what differs between requests. Raises pycurl.error or UnicodeError on what libcurl
        cannot take."""
        if self.heads_out:
            self.heads_out.clear()
        self.heads_in.clear()
        self.body = []
        self.size = 0
        self.too_large = False
        before = self.prepared
        alike = options is self.options or options == self.options
        if prepared is before and alike:
            return
        handle = self.handle
        self.prepared = self.options = None  # until all of it is set
        self.limit = options.largest_body or 0
        if prepared.address != self.address:
            self.address = ""
            handle.setopt(pycurl.URL, _address(prepared.address))
            self.address = prepared.address
            if not self.trusting and prepared.address[:6].lower() == "https:":
                handle.setopt(pycurl.CAINFO, _authorities())
                self.trusting = True
        if before is not None and alike and _differ_in_address(before, prepared):
            self.prepared, self.options = prepared, options  # nothing but the address differs
            self.expect(self.heads.expected(prepared, options))
            return
        self._set_method(prepared)
        lines = [f"{name}: {value}" if value else f"{name};" for name, value in prepared.headers]
        if prepared.body is not None or prepared.method not in _BODILESS:
            lines.append("Expect:")
            if not any(name.lower() == "content-type" for name, _ in prepared.headers):
                lines.append("Content-Type:")
        handle.setopt(pycurl.HTTPHEADER, [line.encode() for line in lines])
        timeout_ms = max((options.timeout_us or 0) // 1000, 1)
        handle.setopt(pycurl.TIMEOUT_MS, timeout_ms)
        handle.setopt(pycurl.CONNECTTIMEOUT_MS, timeout_ms)
        handle.setopt(pycurl.SSL_VERIFYPEER, 1 if options.verify_tls else 0)
        handle.setopt(pycurl.SSL_VERIFYHOST, 2 if options.verify_tls else 0)
        if not alike:
            self._set_way(options)
        self.prepared, self.options = prepared, options
        self.expect(self.heads.expected(prepared, options))

    def _set_way(self, options: Options) -> None:
        """Set over what the request goes: a connection of its own, a proxy, a client
        certificate."""
        handle, proxy, certificate = self.handle, options.proxy, options.certificate
        handle.setopt(pycurl.FRESH_CONNECT, 1 if options.fresh_connection else 0)
        handle.setopt(pycurl.FORBID_REUSE, 1 if options.fresh_connection else 0)
        handle.setopt(pycurl.PROXY, proxy.text if proxy else "")
        handle.setopt(pycurl.NOPROXY, "" if proxy and proxy.text else "*")
        if certificate is not None:
            self.certified = True
            handle.setopt(pycurl.SSLCERTTYPE, "PEM")
            handle.setopt(pycurl.SSLCERT_BLOB, certificate.pem)
            handle.setopt(pycurl.SSLKEY_BLOB, certificate.key_pem)
            handle.setopt(pycurl.KEYPASSWD, certificate.password.text)

    def _set_method(self, prepared: Prepared) -> None:
        handle, method = self.handle, prepared.method
        handle.setopt(pycurl.NOBODY, 0)
        if prepared.body is None and method in _BODILESS:
            handle.setopt(pycurl.HTTPGET, 1)
            if method == "HEAD":
                handle.setopt(pycurl.NOBODY, 1)
        else:
            handle.setopt(pycurl.POSTFIELDS, prepared.body or b"")
        if method in ("GET", "HEAD") and prepared.body is None:
            handle.unsetopt(pycurl.CUSTOMREQUEST)
        else:
            handle.setopt(pycurl.CUSTOMREQUEST, method)


def _authorities() -> str:
    """The file of the authorities that are trusted."""
    import certifi  # with what it imports a thirtieth of a short run

    return certifi.where()


def _differ_in_address(one: Prepared, other: Prepared) -> bool:
    """Whether two requests without bodies differ in nothing but their addresses."""
    return (
        one.body is None
        and other.body is None
        and one.method == other.method
        and one.headers == other.headers
    )


class Client:
    """Carries out exchanges in one loop. Its connections belong to one project's run. Close it when
    done.

    `now_us` gives UTC in microseconds. `own_port`: where Salt Path itself listens, to which no
    redirect leads."""

    def __init__(
        self,
        selector: CurlSelector,
        now_us: Callable[[], int],
        connections: int = 100,
        own_port: int = 0,
    ) -> None:
        self._own_port = own_port
        self._loop = asyncio.get_running_loop()
        self._now_us = now_us
        self._free: list[Sending] = []
        self._busy: dict[Any, Sending] = selector.under_way
        self._pace = Pace()
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

    def abort(self) -> None:
        """Give up every exchange under way, and every one that waits for its turn; their callers
        get Aborted."""
        self._pace.abort(Aborted())
        for handle, slot in list(self._busy.items()):
            del self._busy[handle]
            self._remove_handle(handle)
            self._loop.call_soon(slot.resume, Aborted())

    def close(self) -> None:
        self.abort()
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
        slot = self._free.pop() if self._free else Sending(self._heads)
        if slot.certified and options.certificate is None:
            slot.handle.close()
            slot = Sending(self._heads)
        now_us = self._now_us
        slot.begun = now_us()
        try:
            if slot.forbidden_port:
                slot.forbid(0)
            slot.set(prepared, options)
            if (
                prepared.redirected
                and self._own_port
                and _port_of(prepared.address) == self._own_port
            ):
                slot.forbid(self._own_port)
        except (pycurl.error, UnicodeError) as problem:
            self._free.append(slot)
            reason = why("address-unreadable", address=prepared.address, problem=str(problem))
            return _unsent(prepared, slot.begun, reason)
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


def _port_of(address: str) -> int:
    parts = urlsplit(address)
    return parts.port or (443 if parts.scheme == "https" else 80)


def _is_here(address: str) -> bool:
    """Whether an IP address is this machine's own: one that can be bound to here."""
    try:
        ip = ip_address(address.partition("%")[0])
    except ValueError:
        return True  # what cannot be told is not trusted
    ip = getattr(ip, "ipv4_mapped", None) or ip
    if ip.is_loopback or ip.is_unspecified:
        return True
    with socket.socket(
        socket.AF_INET6 if ip.version == 6 else socket.AF_INET, socket.SOCK_DGRAM
    ) as probe:
        try:
            probe.bind((address, 0))
        except OSError:
            return False
    return True


def _address(address: str) -> str:
    """The address with its host in ASCII (IDNA 2008) and nothing but ASCII elsewhere."""
    if address.isascii():
        return address
    import idna

    parts = urlsplit(address)
    host = parts.hostname or ""
    netloc = (
        parts.netloc.replace(host, idna.encode(host, uts46=True).decode())
        if not host.isascii()
        else parts.netloc
    )
    return urlunsplit(parts._replace(netloc=netloc))


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
        return why("redirect-here", address=prepared.address)
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
