"""How large a body may be at each address of our API, in bytes: known before it is read."""

from __future__ import annotations

import re

from saltpath.formats import har

MOST_MEMORY = 1_200_000_000
"""Bytes that a process which works on strangers' files may take."""
LARGEST_BODY = 10_000_000
LARGEST_FILE = 1_000_000_000
LARGEST_FOLDER = 100_000_000
LARGEST_BOOK = 20_000_000
_LARGER = (
    (re.compile(r"/api/v1/projects/folder/?"), LARGEST_FOLDER),
    (re.compile(r"/api/v1/projects/[^/]+/files/.*"), LARGEST_FILE),
    (re.compile(r"/api/v1/recordings/?"), har.LARGEST),
    (re.compile(r"/api/v1/(?:workbooks|suites/[^/]+/workbook|output-tables/into)/?"), LARGEST_BOOK),
)


def largest_body(path: str) -> int:
    """The limit of a request's body by the path that it goes to."""
    return next((most for pattern, most in _LARGER if pattern.fullmatch(path)), LARGEST_BODY)
