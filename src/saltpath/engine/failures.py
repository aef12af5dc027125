"""Why an exchange could not be carried out: libcurl's error to a reason that a tester understands."""

from __future__ import annotations

import errno
from urllib.parse import urlsplit

import pycurl

from saltpath.core.measures import show_duration, show_size
from saltpath.core.why import Why, why

HEADER_LIMIT = 150_000
_TLS = {
    pycurl.E_SSL_CONNECT_ERROR, pycurl.E_PEER_FAILED_VERIFICATION, pycurl.E_SSL_CERTPROBLEM, pycurl.E_SSL_CIPHER,
    pycurl.E_SSL_CACERT_BADFILE, pycurl.E_SSL_ISSUER_ERROR, pycurl.E_USE_SSL_FAILED,
}  # fmt: skip
_NOT_HTTP = {pycurl.E_UNSUPPORTED_PROTOCOL, getattr(pycurl, "E_WEIRD_SERVER_REPLY", 8), pycurl.E_HTTP2}
_CUT = {pycurl.E_RECV_ERROR, pycurl.E_SEND_ERROR}
_TOO_LARGE_HEADERS = {100, pycurl.E_OUT_OF_MEMORY}


def headers_too_large() -> Why:
    return why("headers-too-large", limit=show_size(HEADER_LIMIT))


def reason(
    code: int, text: str, address: str, *, timeout_us: int, os_errno: int, connected: bool, received: int
) -> Why:
    """`received`: bytes of the body that came; `connected`: whether the connection stood."""
    parts = urlsplit(address)
    host = parts.hostname or ""
    port = parts.port or (443 if parts.scheme == "https" else 80)
    if code == pycurl.E_COULDNT_RESOLVE_HOST:
        return why("no-host", host=host)
    if code == pycurl.E_COULDNT_CONNECT:
        if os_errno in (0, errno.ECONNREFUSED):
            return why("refused", host=host, port=port)
        return why("failed-exchange", problem=f"{host} cannot be reached ({errno.errorcode.get(os_errno, os_errno)})")
    if code == pycurl.E_OPERATION_TIMEDOUT:
        limit = show_duration(timeout_us)
        return why("timed-out", limit=limit) if connected else why("timed-out-connecting", limit=limit, host=host)
    if code == pycurl.E_GOT_NOTHING:
        return why("cut", when="before any answer came")
    if code == pycurl.E_PARTIAL_FILE or (code in _CUT and received):
        return why("cut", when=f"in the middle of the answer, after {show_size(received)} of the body")
    if code in _TOO_LARGE_HEADERS or "response header" in text.lower():
        return headers_too_large()
    if code in _CUT:
        return why("cut", when="before the answer was complete")
    if code in _TLS:
        return why("tls", host=host, problem=text or "the handshake failed")
    if code in _NOT_HTTP:
        return why("not-http", host=host)
    if code == pycurl.E_URL_MALFORMAT:
        return why("address-unreadable", address=address, problem=text or "it is malformed")
    return why("failed-exchange", problem=text or f"libcurl's error {code}")
