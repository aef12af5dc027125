"""A request as it goes over the wire (RFC 9112), pasted as text, as a request step."""

from __future__ import annotations

import re

from saltpath.core.values.grammar import Unreadable
from saltpath.formats.request_step import Pasted, RequestStep

_LINE = re.compile(r"([!#$%&'*+.^_`|~0-9A-Za-z-]+) (\S+)(?: HTTP/\d(?:\.\d)?)?")
_CHUNK = re.compile(rb"([0-9A-Fa-f]{1,8})(?:;[^\n]*)?\n")
_HEADER = re.compile(r"([!#$%&'*+.^_`|~0-9A-Za-z-]+):[ \t]*(.*?)[ \t]*")


def looks_raw(text: str) -> bool:
    """Whether a text begins like a request on the wire: a request line with its version, or one
    followed by headers."""
    lines = text.strip().split("\n")
    first = _LINE.fullmatch(lines[0].strip())
    if first is None:
        return False
    return "HTTP/" in lines[0] or (
        len(lines) > 1 and _HEADER.fullmatch(lines[1].rstrip("\r")) is not None
    )


def read_raw(text: str) -> Pasted:
    """Raises Unreadable: no request line, a line that is no header, no host."""
    head, _, body = text.replace("\r\n", "\n").lstrip().partition("\n\n")
    first, *lines = head.rstrip("\n").split("\n")
    line = _LINE.fullmatch(first.strip())
    if line is None:
        raise Unreadable(
            f"“{first.strip()[:80]}” is no request line, such as GET /vessels HTTP/1.1"
        )
    pasted, step = Pasted(), RequestStep(line[1].upper())
    host = ""
    for number, text_line in enumerate(lines, 2):
        if text_line[:1] in (" ", "\t") and step.headers:  # a folded line, as older senders wrote
            name, value = step.headers.pop()
            step.headers.append((name, f"{value} {text_line.strip()}"))
            continue
        header = _HEADER.fullmatch(text_line)
        if header is None:
            raise Unreadable(f"line {number}, “{text_line.strip()[:80]}”, is no header")
        if header[1].lower() == "host":
            host = header[2]
        else:
            step.headers.append((header[1], header[2]))
    chunked = any(
        name.lower() == "transfer-encoding" and "chunked" in value.lower()
        for name, value in step.headers
    )
    if chunked:
        body = _unchunked(body)
    if body.strip():
        step.text_body(
            body.removesuffix("\n") if not chunked else body, step.media_type() or "text/plain"
        )
    pasted.steps.append(step.document(_address(line[2], host)))
    return pasted


def _address(target: str, host: str) -> str:
    if "://" in target:
        return target.partition("#")[0]
    if not host:
        raise Unreadable("there is no Host header, so it is not known where it goes")
    scheme = "https" if host.endswith(":443") else "http"
    return f"{scheme}://{host.removesuffix(':443')}{target if target != '*' else '/'}"


def _unchunked(body: str) -> str:
    """A chunked body without its sizes; one that is not chunked as its header says stays as it
    is."""
    octets, out, at = body.encode(), bytearray(), 0
    while True:
        found = _CHUNK.match(octets, at)
        if found is None:
            return body
        count = int(found[1], 16)
        if count == 0:
            return out.decode("utf-8", "replace")
        out += octets[found.end() : found.end() + count]
        at = found.end() + count
        at += octets.startswith(b"\n", at)
