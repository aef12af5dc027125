"""Who may talk to the server: Host must be ours, writes must come from our own pages, and pages run
our own code only."""

from __future__ import annotations

import re
import secrets
import socket
from collections.abc import Iterable
from ipaddress import ip_address
from urllib.parse import urlsplit

from flask import Flask, Response, g, request
from werkzeug.exceptions import RequestEntityTooLarge

from saltpath.server.limits import largest_body
from saltpath.server.problems import problem

LOCAL = ("127.0.0.1", "localhost", "::1")
_WRITES = frozenset(["POST", "PUT", "PATCH", "DELETE"])
_FILE = re.compile(
    r"/api/v1/(?:projects/[^/]+/files/|workbooks$|suites/[^/]+/workbook$|output-tables/into$)"
)


def guard(app: Flask, host: str, names: Iterable[str] = ()) -> None:
    """Install the checks. `host` is the address that the server listens on, `names` are further
    ones that it answers to. Listening everywhere it also answers to IP addresses and to this
    machine's name: a page of a stranger's, whose name leads here (DNS rebinding), has none of
    them."""
    known = {*LOCAL, host.lower(), *(name.lower() for name in names)} - {"0.0.0.0", "::"}
    anywhere = host in ("0.0.0.0", "::")
    if anywhere:
        known |= {socket.gethostname().lower(), socket.getfqdn().lower()}

    @app.before_request
    def _check() -> Response | None:
        g.nonce = secrets.token_urlsafe(16)
        name = host_name(request.headers.get("Host", ""))
        if name not in known and not (anywhere and _is_address(name)):
            told = "saltpath serve --name gives it further names"
            return problem(
                421, "unknown-host", f"This server does not answer to that name; {told}."
            )
        most = largest_body(request.path)
        request.max_content_length = most
        if (request.content_length or 0) > most:
            raise RequestEntityTooLarge
        if (refused := _from_elsewhere()) is not None:
            return refused
        if request.method in _WRITES:
            has_body = bool(request.content_length) or "Transfer-Encoding" in request.headers
            if has_body and request.mimetype != (wanted := _body_of(request.path)):
                return problem(415, "not-json", f"The body must be {wanted}.")
        return None

    @app.after_request
    def _headers(answer: Response) -> Response:
        nonce = g.get("nonce", "")
        answer.headers.setdefault(
            "Content-Security-Policy",
            f"default-src 'self'; script-src 'self'; style-src 'self' 'nonce-{nonce}'; img-src "
            "'self' data:; font-src 'self';"
            " connect-src 'self'; worker-src 'self'; object-src 'none'; base-uri 'none'; "
            "form-action 'self';"
            " frame-ancestors 'none'",
        )
        answer.headers["X-Content-Type-Options"] = "nosniff"
        answer.headers["Referrer-Policy"] = "no-referrer"
        answer.headers["Cross-Origin-Opener-Policy"] = "same-origin"
        answer.headers.setdefault("Cross-Origin-Resource-Policy", "same-origin")
        answer.headers["Permissions-Policy"] = "camera=(), microphone=(), geolocation=()"
        if request.is_secure:
            answer.headers["Strict-Transport-Security"] = "max-age=31536000"
        if request.path.startswith("/api/"):
            answer.headers.setdefault("Cache-Control", "no-store")
        return answer


def _from_elsewhere() -> Response | None:
    """The refusal of what a page of another origin asks for: it is given nothing of the API, and
    changes nothing. A link from elsewhere may lead here."""
    site = request.headers.get("Sec-Fetch-Site", "same-origin")
    is_visit = request.headers.get("Sec-Fetch-Mode") == "navigate" and request.method == "GET"
    is_api, foreign = request.path.startswith("/api/"), site in ("cross-site", "same-site")
    if is_api and foreign and not is_visit:
        return problem(403, "foreign-origin", "A page of another origin is given nothing here.")
    if request.method not in _WRITES:
        return None
    origin = request.headers.get("Origin")
    is_other = (
        origin is not None
        and urlsplit(origin).netloc.lower() != request.headers.get("Host", "").lower()
    )
    if is_other or site not in ("same-origin", "none"):
        told = "A page of another origin cannot change anything here."
        return problem(403, "foreign-origin", told)
    return None


def _body_of(path: str) -> str:
    """The type that a body sent to an address has."""
    if path == "/api/v1/projects/folder":
        return "application/zip"
    return "application/octet-stream" if _FILE.match(path) else "application/json"


_HOST = re.compile(r"(?:\[([0-9a-f:.]+)\]|([a-z0-9._-]+))(?::[0-9]{1,5})?")


def host_name(header: str) -> str:
    """The name in a Host header, without its port (RFC 9110, 7.2); empty for what is none."""
    found = _HOST.fullmatch(header.strip().lower())
    return (found[1] or found[2]) if found else ""


def _is_address(name: str) -> bool:
    try:
        ip_address(name)
    except ValueError:
        return False
    return True
