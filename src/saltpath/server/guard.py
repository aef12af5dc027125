"""Who may talk to the server: Host must be ours, writes must come from our own pages, and pages run our own code only."""

from __future__ import annotations

import re
import secrets
from urllib.parse import urlsplit

from flask import Flask, Response, g, request

from saltpath.server.problems import problem

LOCAL = ("127.0.0.1", "localhost", "::1")
_WRITES = frozenset(["POST", "PUT", "PATCH", "DELETE"])
_FILE = re.compile(r"/api/v1/(?:projects/[^/]+/files/|workbooks$|suites/[^/]+/workbook$|output-tables/into$)")


def guard(app: Flask, host: str) -> None:
    """Install the checks. `host` is the address that the server listens on."""
    known = {*LOCAL, host.lower()} - {"0.0.0.0", "::"}
    anywhere = host in ("0.0.0.0", "::")

    @app.before_request
    def _check() -> Response | None:
        g.nonce = secrets.token_urlsafe(16)
        name = _host_name(request.headers.get("Host", ""))
        if name not in known and not anywhere:
            return problem(421, "unknown-host", "This server does not answer to that name.")
        if request.method in _WRITES:
            origin = request.headers.get("Origin")
            if origin is not None and urlsplit(origin).netloc.lower() != request.headers.get("Host", "").lower():
                return problem(403, "foreign-origin", "A page of another origin cannot change anything here.")
            if request.headers.get("Sec-Fetch-Site", "same-origin") not in ("same-origin", "none"):
                return problem(403, "foreign-origin", "A page of another origin cannot change anything here.")
            has_body = bool(request.content_length) or "Transfer-Encoding" in request.headers
            if has_body and request.mimetype != (wanted := _body_of(request.path)):
                return problem(415, "not-json", f"The body must be {wanted}.")
        return None

    @app.after_request
    def _headers(answer: Response) -> Response:
        nonce = g.get("nonce", "")
        answer.headers["Content-Security-Policy"] = (
            f"default-src 'self'; script-src 'self'; style-src 'self' 'nonce-{nonce}'; img-src 'self' data:; font-src 'self';"
            " connect-src 'self'; worker-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self';"
            " frame-ancestors 'none'"
        )
        answer.headers["X-Content-Type-Options"] = "nosniff"
        answer.headers["Referrer-Policy"] = "no-referrer"
        answer.headers["Cross-Origin-Opener-Policy"] = "same-origin"
        answer.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        if request.path.startswith("/api/"):
            answer.headers.setdefault("Cache-Control", "no-store")
        return answer


def _body_of(path: str) -> str:
    """The type that a body sent to an address has."""
    if path == "/api/v1/projects/folder":
        return "application/zip"
    return "application/octet-stream" if _FILE.match(path) else "application/json"


def _host_name(header: str) -> str:
    """The name in a Host header, without its port."""
    header = header.strip().lower()
    if header.startswith("["):
        return header[1:].partition("]")[0]
    return header.partition(":")[0]
