"""Whatever a tester pastes where a step is added: a curl line, a request as it goes over the
wire."""

from __future__ import annotations

from saltpath.core.values.grammar import Unreadable
from saltpath.formats.curl import looks_curl, read_curl
from saltpath.formats.raw_http import looks_raw, read_raw
from saltpath.formats.request_step import Pasted

LONGEST = 1_000_000


def read_pasted(text: str) -> Pasted:
    """Raises Unreadable with what is expected instead."""
    if len(text) > LONGEST:
        raise Unreadable("this is more than 1 MB of text; bring a long body in as a file")
    if looks_curl(text):
        return read_curl(text)
    if looks_raw(text):
        return read_raw(text)
    raise Unreadable("this is neither a curl line nor a request as it goes over the wire")
