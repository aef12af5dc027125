"""Why an exchange could not be carried out: libcurl's error to a reason that a tester
understands."""

from __future__ import annotations

import errno
from urllib.parse import urlsplit

import pycurl

from saltpath.core.values.measures import show_duration, show_size
from saltpath.core.values.why import Why, why

HEADER_LIMIT = 150_000
_TLS = {
    pycurl.E_SSL_CONNECT_ERROR,
    pycurl.E_PEER_FAILED_VERIFICATION,
    pycurl.E_SSL_CERTPROBLEM,
    pycurl.E_SSL_CIPHER,
    pycurl.E_SSL_CACERT_BADFILE,
    pycurl.E_SSL_ISSUER_ERROR,
    pycurl.E_USE_SSL_FAILED,
}
_NOT_HTTP = {
    pycurl.E_UNSUPPORTED_PROTOCOL,
    getattr(pycurl, "E_WEIRD_SERVER_REPLY", 8),
    pycurl.E_HTTP2,
}
_CUT = {pycurl.E_RECV_ERROR, pycurl.E_SEND_ERROR}
_TOO_LARGE_HEADERS = {100, pycurl.E_OUT_OF_MEMORY}


_CERTIFICATE = (
    ("has expired", "its certificate has expired"),
    ("not yet valid", "its certificate is not valid yet"),
    ("does not match", "its certificate is for another host than {host}"),
    ("no alternative certificate subject name", "its certificate is for another host than {host}"),
    ("self-signed", "its certificate is signed by itself, and nobody vouches for it"),
    ("self signed", "its certificate is signed by itself, and nobody vouches for it"),
    ("unable to get", "its certificate was issued by someone whom this machine does not trust"),
    ("revoked", "its certificate has been revoked"),
    ("certificate required", "it asks for a client certificate"),
    ("bad certificate", "it does not accept the client certificate"),
    ("unknown ca", "it does not trust whoever issued the client certificate"),
    ("wrong version number", "it does not speak TLS on this port"),
    ("packet length too long", "it does not speak TLS on this port"),
    ("could not load PEM client certificate", "the client certificate's file cannot be used"),
    (
        "unable to set private key",
        "the client certificate's key cannot be used; is its password right?",
    ),
)


def _certificate(text: str, host: str) -> str:
    """What is wrong with the connection's certificates, in a sentence, with libcurl's own words
    behind it."""
    lower = text.lower()
    for mark, sentence in _CERTIFICATE:
        if mark.lower() in lower:
            return f"{sentence.format(host=host)} ({text})"
    return text or "the handshake failed"


def headers_too_large() -> Why:
    return why("headers-too-large", limit=show_size(HEADER_LIMIT))


def head_cut() -> Why:
    """libcurl takes a head that ends anywhere behind its status line for a whole one."""
    return why("cut", when="in the middle of the answer's head")


def reason(
    code: int,
    text: str,
    address: str,
    *,
    timeout_us: int,
    os_errno: int,
    connected: bool,
    received: int,
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
        return why(
            "failed-exchange",
            problem=f"{host} cannot be reached ({errno.errorcode.get(os_errno, os_errno)})",
        )
    if code == pycurl.E_OPERATION_TIMEDOUT:
        limit = show_duration(timeout_us)
        return (
            why("timed-out", limit=limit)
            if connected
            else why("timed-out-connecting", limit=limit, host=host)
        )
    if code == pycurl.E_GOT_NOTHING:
        return why("cut", when="before any answer came")
    if code == pycurl.E_PARTIAL_FILE or (code in _CUT and received):
        return why(
            "cut", when=f"in the middle of the answer, after {show_size(received)} of the body"
        )
    if code in _TOO_LARGE_HEADERS or "response header" in text.lower():
        return headers_too_large()
    # TLS 1.3 tells of a missing client certificate after the handshake
    if code in _CUT and " alert " in text:
        return why("tls", host=host, problem=_certificate(text, host))
    if code in _CUT:
        return why("cut", when="before the answer was complete")
    if code in _TLS:
        return why("tls", host=host, problem=_certificate(text, host))
    if code in _NOT_HTTP:
        return why("not-http", host=host)
    if code == pycurl.E_URL_MALFORMAT:
        return why("address-unreadable", address=address, problem=text or "it is malformed")
    return why("failed-exchange", problem=text or f"libcurl's error {code}")
