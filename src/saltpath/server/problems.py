"""Errors as problem documents (RFC 9457): a code, a sentence, a place, and what to do."""

from __future__ import annotations

import errno
import logging
import sqlite3
from typing import Any

from flask import Flask, Response, request
from werkzeug.exceptions import HTTPException, RequestEntityTooLarge

from saltpath.core.format.nodes import FormatError
from saltpath.core.values import plain
from saltpath.core.values.errors import SaltPathError
from saltpath.core.values.measures import show_size
from saltpath.store.database import Conflict, Deleted, NotFound, StoreError, VersionConflict

log = logging.getLogger("saltpath.web")
FULL = "There is no room left on the disk; nothing was kept. Make room and try again."


class Refused(SaltPathError):
    """A request that cannot be carried out as asked: answered with its status and sentence."""

    def __init__(self, status: int, code: str, sentence: str, **more: Any) -> None:
        super().__init__(sentence)
        self.status, self.code, self.more = status, code, more


def not_a_name() -> Refused:
    """What was given is no name of a value."""
    sentence = (
        "A name begins with a letter and holds letters, digits, - and _; some words are reserved."
    )
    return Refused(422, "name", sentence)


def json_answer(body: Any, status: int = 200, media_type: str = "application/json") -> Response:
    """An answer in JSON with exact numbers."""
    return Response(plain.write_json(body), status, content_type=media_type)


def problem(status: int, code: str, sentence: str, **more: Any) -> Response:
    body = {
        "type": f"urn:saltpath:{code}",
        "title": sentence,
        "status": status,
        "code": code,
        **more,
    }
    return json_answer(body, status, "application/problem+json")


STATUS: dict[type[SaltPathError], int] = {
    FormatError: 422,
    Deleted: 410,
    NotFound: 404,
    VersionConflict: 412,
    Conflict: 409,
    StoreError: 503,
    SaltPathError: 422,
}
"""How errors are answered; the nearest kind counts."""


def of_error(error: SaltPathError) -> Response:
    """The problem document of an error."""
    if isinstance(error, Refused):
        answer = problem(error.status, error.code, error.sentence, **error.more)
        if error.status == 401:  # RFC 9110, 11.6.1
            answer.headers["WWW-Authenticate"] = 'Bearer realm="Salt Path"'
        if "retryAfter" in error.more:
            answer.headers["Retry-After"] = str(error.more["retryAfter"])
        return answer
    more: dict[str, Any] = {"remedy": error.remedy} if error.remedy else {}
    title = error.sentence
    if isinstance(error, FormatError):
        title = error.problems[0].sentence
        more["problems"] = [
            {"sentence": p.sentence, "path": p.path, "line": p.line} for p in error.problems
        ]
    if isinstance(error, VersionConflict):
        more["version"] = error.version
    status = next(STATUS[kind] for kind in type(error).__mro__ if kind in STATUS)
    return problem(status, error.code, title, **more)


def answer_errors(app: Flask) -> None:
    """Every error leaves as a problem document; none with a stack trace."""
    app.register_error_handler(SaltPathError, of_error)

    @app.errorhandler(OverflowError)
    def _too_great(error: OverflowError) -> Response:
        return problem(422, "too-great", "A number is larger than can be kept here.")

    @app.errorhandler(OSError)
    def _disk(error: OSError) -> Response:
        if error.errno in (errno.ENOSPC, errno.EDQUOT, errno.EFBIG):
            log.error("nothing can be written: %s", error)
            return problem(507, "disk-full", FULL)
        return _fault(error)

    @app.errorhandler(sqlite3.OperationalError)
    def _database(error: sqlite3.OperationalError) -> Response:
        log.error("the database cannot be used: %s", error)
        if "disk is full" in str(error):
            return problem(507, "disk-full", FULL)
        return problem(
            503,
            "database",
            f"The database cannot be used just now ({error}). Try again in a moment.",
        )

    @app.errorhandler(RequestEntityTooLarge)
    def _too_large(_error: RequestEntityTooLarge) -> Response:
        most = show_size(request.max_content_length or 0)
        return problem(413, "too-large", f"This is larger than the {most} that are taken here.")

    @app.errorhandler(HTTPException)
    def _http(error: HTTPException) -> Response:
        answer = problem(
            error.code or 500,
            (error.name or "error").lower().replace(" ", "-"),
            error.description or "",
        )
        for name, value in error.get_headers():
            if name.lower() == "allow":
                answer.headers[name] = value
        return answer

    @app.errorhandler(Exception)
    def _fault(error: Exception) -> Response:
        log.exception("a fault of Salt Path's own")
        return problem(500, "fault", "Salt Path itself made a mistake here; the log says more.")
