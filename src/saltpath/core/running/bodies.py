"""The body of a finished request, as octets with its media type; every reference encoded for the
place it stands in."""

from __future__ import annotations

import re
from hashlib import blake2b
from typing import Any
from urllib.parse import quote

from saltpath.core.cases.case import Body, JsonText, MultipartPart, XmlText
from saltpath.core.references.scopes import Scopes
from saltpath.core.references.templates import Reference
from saltpath.core.values import plain
from saltpath.core.values.why import Blocked, why

_NOT_IN_XML = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]")
_IN_TEXT = {"&": "&amp;", "<": "&lt;", ">": "&gt;", "\r": "&#13;"}
_IN_ATTRIBUTE = {**_IN_TEXT, '"': "&quot;", "'": "&apos;", "\n": "&#10;", "\t": "&#9;"}


def body_of(body: Body, scopes: Scopes) -> tuple[bytes, str]:
    """(octets, media type). Raises Blocked."""
    if body.kind == "json":
        return _json(body.content, scopes), "application/json"
    if body.kind == "xml":
        return _xml(body.content, scopes), body.media_type
    if body.kind == "form":
        pairs = [
            f"{_form(name)}={scopes.text(value, lambda t, v, r: _form(t), _form)}"
            for name, value in body.content
        ]
        return "&".join(pairs).encode(), "application/x-www-form-urlencoded"
    if body.kind == "multipart":
        return _multipart(body.content, scopes)
    if body.kind == "file":
        path = scopes.text(body.content)
        return scopes.file(path), body.media_type or media_type_of(path)
    return scopes.text(body.content).encode("utf-8", "surrogatepass"), body.media_type


def media_type_of(path: str) -> str:
    """What a file's name says it is."""
    import mimetypes  # only a file's body needs it

    return mimetypes.guess_type(path)[0] or "application/octet-stream"


def _form(text: str) -> str:
    return quote(text, safe=" *-._", errors="surrogatepass").replace(" ", "+")


def _json(content: Any, scopes: Scopes) -> bytes:
    if not isinstance(content, JsonText):
        return plain.write_json(scopes.fill(content))
    pieces: list[bytes] = []
    for piece in content.pieces:
        if isinstance(piece, str):
            pieces.append(piece.encode())
            continue
        template, is_key = piece
        single = None if is_key else template.single
        value = scopes.text(template) if single is None else scopes.resolve(single)
        pieces.append(plain.write_json(value))
    return b"".join(pieces)


def _xml(content: XmlText, scopes: Scopes) -> bytes:
    pieces: list[str] = []
    for piece in content.pieces:
        if isinstance(piece, str):
            pieces.append(piece)
            continue
        reference, place = piece
        value = scopes.resolve(reference)
        if value is None:
            raise Blocked(why("null-inserted", name=reference.full_name))
        text = plain.as_text(value)
        pieces.append(text if reference.raw else _escaped(text, place, reference))
    return "".join(pieces).encode()


def _escaped(text: str, place: str, reference: Reference) -> str:
    if _NOT_IN_XML.search(text):
        raise Blocked(why("not-in-xml", reference=reference.text))
    if place == "cdata":
        return text.replace("]]>", "]]]]><![CDATA[>")
    escapes = _IN_ATTRIBUTE if place == "attribute" else _IN_TEXT
    return "".join(escapes.get(char, char) for char in text)


def _multipart(parts: tuple[MultipartPart, ...], scopes: Scopes) -> tuple[bytes, str]:
    """multipart/form-data (RFC 7578). The boundary follows from the content, and does not stand in
    it."""
    written: list[tuple[bytes, bytes]] = []
    for part in parts:
        name = _in_quotes(scopes.text(part.name))
        head = f'Content-Disposition: form-data; name="{name}"'
        media_type = part.media_type
        if part.file is not None:
            path = scopes.text(part.file)
            content = scopes.file(path)
            head += f'; filename="{_in_quotes(path.rpartition("/")[2])}"'
            media_type = media_type or media_type_of(path)
        else:
            assert part.text is not None
            content = scopes.text(part.text).encode("utf-8", "surrogatepass")
        head += f"\r\nContent-Type: {media_type}" if media_type else ""
        written.append((head.encode("utf-8", "surrogatepass"), content))
    boundary = _boundary(written)
    pieces = [b"--%s\r\n%s\r\n\r\n%s\r\n" % (boundary, head, content) for head, content in written]
    return b"".join(
        pieces
    ) + b"--" + boundary + b"--\r\n", f"multipart/form-data; boundary={boundary.decode()}"


def _boundary(written: list[tuple[bytes, bytes]]) -> bytes:
    turn = 0
    while True:
        hasher = blake2b(turn.to_bytes(4, "big"), digest_size=12)
        for head, content in written:
            hasher.update(head + content)
        boundary = b"salt-" + hasher.hexdigest().encode()
        if not any(boundary in content for _, content in written):
            return boundary
        turn += 1


def _in_quotes(text: str) -> str:
    """A name in a Content-Disposition, as HTML's forms write it."""
    return text.replace('"', "%22").replace("\r", "%0D").replace("\n", "%0A")
