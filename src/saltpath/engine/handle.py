"""One easy handle of libcurl, set to a request, with what its callbacks collect.

libcurl's own redirects, decoding and cookies are off: each hop is evidence, and raw bytes survive
bad gzip.
"""

from __future__ import annotations

import socket
from typing import Any
from urllib.parse import urlsplit, urlunsplit

import pycurl

from saltpath.core.cases.options import Options
from saltpath.core.running.prepare import Prepared
from saltpath.core.running.reach import Reach, Refusal
from saltpath.engine.here import is_here
from saltpath.engine.loop import Transfer
from saltpath.engine.quick.heads import Heads, sent_of

_HEADER_OUT = pycurl.INFOTYPE_HEADER_OUT
_REQUEST_SIZE = pycurl.REQUEST_SIZE
_ELSEWHERE = "9.9.9.9"
"""An address like any other, for a name that is looked up by somebody else."""
_BODILESS = frozenset(["GET", "DELETE", "OPTIONS", "TRACE", "HEAD"])


class Sending(Transfer):
    """One easy handle with what its callbacks collect. `error`: libcurl's, once it was awaited;
    `cleans`: a stop does not give it up."""

    __slots__ = (
        "address",
        "begun",
        "body",
        "certified",
        "cleans",
        "error",
        "expected",
        "getinfo",
        "handle",
        "heads",
        "heads_in",
        "heads_out",
        "limit",
        "options",
        "prepared",
        "reach",
        "refused",
        "refused_at",
        "size",
        "too_large",
        "trusting",
    )

    def __init__(self, heads: Heads, reach: Reach | None = None) -> None:
        super().__init__()
        self.heads, self.reach = heads, reach
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
        self.refused: Refusal = ""  # why it was not connected to
        self.refused_at = ""  # the address
        self.begun = 0
        self.cleans = False
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
        if reach is not None:
            handle.setopt(pycurl.OPENSOCKETFUNCTION, self._open)

    def _open(self, purpose: int, place: Any) -> Any:
        """Looked at when the address is known that is connected to, so that no name server and no
        way of writing an address leads elsewhere. A connection that stands was looked at so."""
        family, kind, protocol, address = place
        assert self.reach is not None
        options = self.options
        proxied = options is not None and options.proxy is not None and options.proxy.text
        target = options.proxy.text if options and options.proxy and proxied else self.address
        host = urlsplit(target if "//" in target else f"//{target}").hostname or ""
        refused = self.reach.refusal(host, str(address[0]), int(address[1]), is_here)
        if refused:
            self.refused, self.refused_at = refused, str(address[0])
            return pycurl.SOCKET_BAD
        return socket.socket(family, kind, protocol)

    def check_behind_proxy(self) -> None:
        """What a proxy is asked for: it looks names up itself, so only an address that is written
        out, however it is, and names can be looked at."""
        assert self.reach is not None
        parts = urlsplit(self.address)
        host, port = parts.hostname or "", parts.port or (443 if parts.scheme == "https" else 80)
        try:
            written = socket.inet_ntoa(socket.inet_aton(host))
        except OSError:
            written = host if ":" in host else _ELSEWHERE
        self.refused = self.reach.refusal(host, written, port, is_here)
        self.refused_at = host

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
        self.refused = ""
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
