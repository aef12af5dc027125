"""A request step and its scopes make the finished request: every reference resolved and encoded for its place."""

from __future__ import annotations

import base64
import re
from functools import lru_cache
from typing import Any, NamedTuple
from urllib.parse import quote, urlsplit

from saltpath.core import plain
from saltpath.core.case import Auth, Body, JsonText, Request
from saltpath.core.references import Reference, Template
from saltpath.core.scopes import Scopes
from saltpath.core.why import Blocked, why

_HOST = re.compile(r"[A-Za-z0-9._~:\[\]-]*")
_LITERAL_SAFE = "!#$%&'()*+,/:;=?@[]~-._"
_CONTROL = re.compile(r"[\x00-\x08\x0a-\x1f\x7f]")
_DEFAULT_HEADERS = (("User-Agent", "saltpath"), ("Accept", "*/*"), ("Accept-Encoding", "gzip, deflate"))


class Prepared(NamedTuple):
    """A finished request. `headers` in the order in which they are sent; `body` None sends none."""

    method: str
    address: str
    headers: tuple[tuple[str, str], ...]
    body: bytes | None
    private: bool = True
    """Whether its head may carry what is always masked: Authorization or Cookie, also from the address's user."""


def prepare(step: Request, scopes: Scopes) -> Prepared:
    """The finished request. Raises Blocked where a value is missing or cannot stand where it should."""
    address = prepare_address(step.address, step.query, scopes)
    if not step.headers and step.auth is None and step.body is None:
        return _bare(step.method, address)
    body, media_type = _body(step.body, scopes) if step.body else (None, "")
    headers = [(name, _header(name, template, scopes)) for name, template in step.headers]
    given = {name.lower() for name, _ in headers}
    if media_type and "content-type" not in given:
        headers.append(("Content-Type", media_type))
    if step.auth is not None and "authorization" not in given:
        headers.append(("Authorization", _authorization(step.auth, scopes)))
    headers += [pair for pair in _DEFAULT_HEADERS if pair[0].lower() not in given]
    return Prepared(step.method, address, tuple(headers), body)


@lru_cache(maxsize=512)
def _bare(method: str, address: str) -> Prepared:
    """A request that sends nothing of its own."""
    return Prepared(method, address, _DEFAULT_HEADERS, None, private="@" in address)


# ---- the address


def prepare_address(template: Template, query: tuple[tuple[str, Template], ...], scopes: Scopes) -> str:
    """The address with its query. A value at the very start is inserted as it is; later ones by their place."""
    text = _fill_address(template, scopes).strip()
    if query:
        pairs = [f"{_percent(name)}={scopes.text(value, _encoded)}" for name, value in query]
        path, hash_sign, fragment = text.partition("#")
        joint = "" if path.endswith(("?", "&")) else "&" if "?" in path else "?"
        text = path + joint + "&".join(pairs) + hash_sign + fragment
    return _usable(text)


@lru_cache(maxsize=512)
def _usable(text: str) -> str:
    """The address without its fragment, if it can be sent to. Raises Blocked."""
    try:
        parts = urlsplit(text)
        port = parts.port
    except ValueError as problem:
        raise Blocked(why("address-unreadable", address=text, problem=str(problem))) from None
    if parts.scheme not in ("http", "https"):
        reason = "it must begin with http:// or https://"
        raise Blocked(why("address-unreadable", address=text, problem=reason))
    if not parts.hostname or port == 0:
        raise Blocked(why("address-unreadable", address=text, problem="it names no host to send to"))
    return text.partition("#")[0]


def _fill_address(template: Template, scopes: Scopes) -> str:
    if template.single is not None:
        return _filled(template.single, scopes)
    text = ""
    for index, part in enumerate(template.parts):
        if isinstance(part, str):
            text += _literal(part)
            continue
        inserted = _filled(part, scopes)
        if part.raw or index == 0:
            text += inserted.strip() if index == 0 else inserted
        elif "?" in text:
            text += _percent(inserted)
        elif _in_host(text):
            if not _HOST.fullmatch(inserted):
                raise Blocked(why("host-characters", value=plain.show(inserted)))
            text += inserted
        else:
            text += _segment(inserted)
    return text


@lru_cache(maxsize=512)
def _literal(text: str) -> str:
    return quote(text, safe=_LITERAL_SAFE)


def _filled(reference: Reference, scopes: Scopes) -> str:
    value = scopes.resolve(reference)
    if value is None:
        raise Blocked(why("null-inserted", name=reference.full_name))
    return plain.as_text(value)


def _in_host(text: str) -> bool:
    scheme, separator, rest = text.partition("://")
    return not separator or "/" not in rest


def _segment(text: str) -> str:
    """One path segment; a whole `.` or `..` would climb, so its dots are encoded too."""
    return text.replace(".", "%2E") if text in (".", "..") else _percent(text)


def _percent(text: str) -> str:
    return quote(text, safe="")


def _encoded(text: str, value: Any, reference: Reference) -> str:
    return _percent(text)


# ---- headers and bodies


def _header(name: str, template: Template, scopes: Scopes) -> str:
    value = scopes.text(template).strip()
    if _CONTROL.search(value):
        raise Blocked(why("header-break", name=name))
    return value


def _authorization(auth: Auth, scopes: Scopes) -> str:
    values = [scopes.text(part) for part in auth.parts]
    if any(_CONTROL.search(value) for value in values):
        raise Blocked(why("header-break", name="Authorization"))
    if auth.kind == "bearer":
        return f"Bearer {values[0]}"
    return "Basic " + base64.b64encode(":".join(values).encode()).decode()


def _body(body: Body, scopes: Scopes) -> tuple[bytes, str]:
    if body.kind == "json":
        return _json(body.content, scopes), "application/json"
    if body.kind == "form":
        pairs = [f"{_form(name)}={scopes.text(value, lambda t, v, r: _form(t))}" for name, value in body.content]
        return "&".join(pairs).encode(), "application/x-www-form-urlencoded"
    return scopes.text(body.content).encode(), body.media_type


def _form(text: str) -> str:
    return quote(text, safe=" *-._").replace(" ", "+")


def _json(content: Any, scopes: Scopes) -> bytes:
    if not isinstance(content, JsonText):
        return plain.write_json(scopes.fill(content))
    pieces: list[bytes] = []
    for piece in content.pieces:
        if isinstance(piece, str):
            pieces.append(piece.encode())
            continue
        template, is_key = piece
        value = scopes.text(template) if is_key or template.single is None else scopes.resolve(template.parts[0])  # type: ignore[arg-type]
        pieces.append(plain.write_json(value))
    return b"".join(pieces)
