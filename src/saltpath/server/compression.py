"""What is sent in fewer octets: the pages' files as they were compressed at build (brotli, gzip),
answers of the API by gzip while they are sent. What a client takes it says in Accept-Encoding (RFC
9110, 12.5.3)."""

from __future__ import annotations

import zlib
from pathlib import Path

from flask import Flask, Response, g, request, send_from_directory
from werkzeug.security import safe_join

ENCODINGS = {"br": ".br", "gzip": ".gz"}
"""Content codings of built files and how their names end, the smallest first."""
LEAST = 1024
"""Octets below which an answer is sent as it is: the head outweighs the gain."""
_LEVEL = 4
"""Of zlib: an eighth more octets than level 6, the usual one, in six tenths of its time."""
_GZIP = 16 + zlib.MAX_WBITS
_COMPRESSIBLE = frozenset(
    ["application/json", "application/problem+json", "application/yaml", "text/plain"]
)


def send_built(folder: Path, name: str) -> Response:
    """A built file as the client takes it: with its ETag, conditional, in the smallest coding that
    was made of it."""
    for coding, ending in ENCODINGS.items():
        packed = safe_join(str(folder), name + ending)
        if packed and _taken(coding) and Path(packed).is_file():
            answer = send_from_directory(folder, name + ending, mimetype=_type_of(name))
            answer.headers["Content-Encoding"] = coding
            break
    else:
        answer = send_from_directory(folder, name, mimetype=_type_of(name))
    answer.vary.add("Accept-Encoding")
    return answer


_TYPES = {
    ".js": "text/javascript",
    ".css": "text/css",
    ".svg": "image/svg+xml",
    ".woff2": "font/woff2",
}


def _type_of(name: str) -> str | None:
    """The type of a built file, whatever this machine's own table of types says; None for others,
    which are looked up there."""
    return _TYPES.get(Path(name).suffix)


def compress_answers(app: Flask) -> None:
    """Install gzip for the answers of the API that are held whole; streams and files go as they
    are."""

    @app.after_request
    def _compress(answer: Response) -> Response:
        if g.get("uncompressed", False):  # it holds a secret (person_view.py)
            return answer
        if answer.mimetype not in _COMPRESSIBLE or answer.is_streamed or answer.direct_passthrough:
            return answer
        if not request.path.startswith("/api/") or "Content-Encoding" in answer.headers:
            return answer
        answer.vary.add("Accept-Encoding")
        octets = answer.get_data()
        if len(octets) < LEAST or request.method == "HEAD" or not _taken("gzip"):
            return answer
        packing = zlib.compressobj(_LEVEL, wbits=_GZIP)
        answer.set_data(packing.compress(octets) + packing.flush())
        answer.headers["Content-Encoding"] = "gzip"
        return answer


def _taken(coding: str) -> bool:
    """Whether the client says that it takes a coding; one that says nothing is sent plain
    octets."""
    return "Accept-Encoding" in request.headers and request.accept_encodings.quality(coding) > 0
