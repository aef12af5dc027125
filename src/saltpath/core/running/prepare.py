"""A request step and its scopes make the finished request: every reference resolved and encoded for
its place."""

from __future__ import annotations

import base64
import re
from functools import lru_cache
from typing import Any
from urllib.parse import quote, urlsplit

import msgspec

from saltpath.core.cases.case import Auth, Request
from saltpath.core.references.scopes import Scopes
from saltpath.core.references.templates import Reference, Template
from saltpath.core.running.bodies import body_of
from saltpath.core.values import plain
from saltpath.core.values.why import Blocked, why

_HOST = re.compile(r"[A-Za-z0-9._~:\[\]-]*")
_ORDINARY = re.compile(
    r"https?://[A-Za-z0-9-]+(?:\.[A-Za-z0-9-]+)*(?::[1-9]\d{0,3}|:[1-5]\d{4})?"
    r"(?:[/?][!-\"$-Z^-z|~]*)?"
)
"""An address of which a glance tells that it can be sent to; most are."""
_UNFILLED = re.compile(r"\{[^\W\d][\w.-]*\}")
"""A place for a value as contracts and people write it; a brace that is meant is `%7B`."""
_LITERAL_SAFE = "!#$%&'()*+,/:;=?@[]~-._"
_QUERY_SAFE = "!$'()*,/:;?@~"
_MOST_BARE = 512
_CONTROL = re.compile(r"[\x00-\x08\x0a-\x1f\x7f]")
_DEFAULT_HEADERS = (
    ("User-Agent", "saltpath"),
    ("Accept", "*/*"),
    ("Accept-Encoding", "gzip, deflate, br, zstd"),
)


class Prepared(msgspec.Struct, frozen=True, gc=False):
    """A finished request. `headers` in the order in which they are sent; `body` None sends none."""

    method: str
    address: str
    headers: tuple[tuple[str, str], ...]
    body: bytes | None
    private: bool = True
    """Whether its head may carry what is always masked: Authorization or Cookie, also from the
    address's user."""
    redirected: bool = False
    """Whether an answer led there: then it does not reach Salt Path itself."""
    stranger: bool = False
    """Whether that is another origin, which gets no client certificate."""


def prepare(step: Request, scopes: Scopes, token: str = "") -> Prepared:
    """The finished request; `token` is OAuth 2's. Raises Blocked where a value is missing or cannot
    stand where it should."""
    auth = step.auth
    if step.signs:
        return _signed(step, scopes, token)
    if not step.headers and auth is None and step.body is None and not step.query:
        whole = step.address.single
        text = _filled(whole, scopes) if whole is not None else _fill_address(step.address, scopes)
        try:
            return _bares[step.method, text]
        except KeyError:
            return _bare(step.method, text)
    address = prepare_address(step.address, _query(step), scopes)
    body, media_type = body_of(step.body, scopes) if step.body else (None, "")
    return Prepared(step.method, address, _head(step, scopes, media_type, token), body)


def _query(step: Request) -> tuple[tuple[str, Template], ...]:
    if step.auth is not None and step.auth.at[0] == "query":
        return (*step.query, (step.auth.at[1], step.auth.parts[0]))
    return step.query


def _head(
    step: Request, scopes: Scopes, media_type: str, token: str
) -> tuple[tuple[str, str], ...]:
    headers = [(name, _header(name, template, scopes)) for name, template in step.headers]
    given = {name.lower() for name, _ in headers}
    if media_type and "content-type" not in given:
        headers.append(("Content-Type", media_type))
    if step.auth is not None and "authorization" not in given:
        _sign_in(step.auth, scopes, headers, token)
    headers += [pair for pair in _DEFAULT_HEADERS if pair[0].lower() not in given]
    return tuple(headers)


def _signed(step: Request, scopes: Scopes, token: str) -> Prepared:
    """A request whose head asks for its own body, method or path: these are finished first."""
    body, media_type = body_of(step.body, scopes) if step.body else (None, "")
    bare = prepare_address(step.address, (), scopes)
    parts = {
        "body": (body or b"").decode("utf-8", "replace"),
        "method": step.method,
        "path": urlsplit(bare).path or "/",
    }
    scopes.asking = lambda reference: parts[(reference.asks or ("", ""))[1]]
    try:
        address = _usable(_with_query(bare, _query(step), scopes))
        return Prepared(step.method, address, _head(step, scopes, media_type, token), body)
    finally:
        scopes.asking = None


_bares: dict[tuple[str, str], Prepared] = {}
"""Requests that send nothing of their own, by method and what stands as their address."""


def _bare(method: str, text: str) -> Prepared:
    """One that is not in `_bares` yet. Raises Blocked."""
    address = _usable(text.strip())
    if len(_bares) >= _MOST_BARE:
        _bares.clear()
    made = _bares[method, text] = Prepared(
        method, address, _DEFAULT_HEADERS, None, private="@" in address
    )
    return made


# ---- the address


def prepare_address(
    template: Template, query: tuple[tuple[str, Template], ...], scopes: Scopes
) -> str:
    """The address with its query. A value at the very start is inserted as it is; later ones by
    their place."""
    return _usable(_with_query(_fill_address(template, scopes).strip(), query, scopes))


def _with_query(text: str, query: tuple[tuple[str, Template], ...], scopes: Scopes) -> str:
    if not query:
        return text
    pairs = [f"{_percent(name)}={scopes.text(value, _encoded, _in_query)}" for name, value in query]
    path, hash_sign, fragment = text.partition("#")
    joint = "" if path.endswith(("?", "&")) else "&" if "?" in path else "?"
    return path + joint + "&".join(pairs) + hash_sign + fragment


@lru_cache(maxsize=512)
def _usable(text: str) -> str:
    """The address without its fragment, if it can be sent to. Raises Blocked."""
    if _ORDINARY.fullmatch(text):
        return text
    _filled_everywhere(text)
    try:
        parts = urlsplit(text)
        port = parts.port
    except ValueError as problem:
        raise Blocked(why("address-unreadable", address=text, problem=str(problem))) from None
    if parts.scheme not in ("http", "https"):
        reason = "it must begin with http:// or https://"
        raise Blocked(why("address-unreadable", address=text, problem=reason))
    if not parts.hostname or port == 0:
        raise Blocked(
            why("address-unreadable", address=text, problem="it names no host to send to")
        )
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


def unfilled(address: Template) -> str:
    """The first place in an address that waits for a value, such as `{id}`; empty where none
    does."""
    places = (_UNFILLED.search(part) for part in address.parts if isinstance(part, str))
    return next((found[0] for found in places if found), "")


def _filled_everywhere(text: str) -> None:
    """Raises Blocked."""
    found = _UNFILLED.search(text)
    if found:
        raise Blocked(why("unfilled", place=found[0]))


@lru_cache(maxsize=512)
def _literal(text: str) -> str:
    _filled_everywhere(text)
    return quote(text, safe=_LITERAL_SAFE, errors="surrogatepass")


def _filled(reference: Reference, scopes: Scopes) -> str:
    value = scopes.resolve(reference)
    if value is None:
        raise Blocked(why("null-inserted", name=reference.full_name))
    return value if type(value) is str else plain.as_text(value)


def _in_host(text: str) -> bool:
    scheme, separator, rest = text.partition("://")
    return not separator or "/" not in rest


def _segment(text: str) -> str:
    """One path segment; a whole `.` or `..` would climb, so its dots are encoded too."""
    return text.replace(".", "%2E") if text in (".", "..") else _percent(text)


def _percent(text: str) -> str:
    return (
        text if text.isalnum() and text.isascii() else quote(text, safe="", errors="surrogatepass")
    )


@lru_cache(maxsize=512)
def _in_query(text: str) -> str:
    """What is written out in a parameter's value, so that it arrives as it stands there."""
    return quote(text, safe=_QUERY_SAFE, errors="surrogatepass")


def _encoded(text: str, value: Any, reference: Reference) -> str:
    return _percent(text)


# ---- headers


def _header(name: str, template: Template, scopes: Scopes) -> str:
    value = scopes.text(template).strip()
    if _CONTROL.search(value):
        raise Blocked(why("header-break", name=name))
    return value


def _sign_in(auth: Auth, scopes: Scopes, headers: list[tuple[str, str]], token: str) -> None:
    """Add what a sign-in puts into the head. Digest has nothing to say before it was asked."""
    if auth.kind == "digest" or auth.at[0] == "query":
        return
    values = [token] if auth.kind == "oauth2" else [scopes.text(part) for part in auth.parts]
    if any(_CONTROL.search(value) for value in values):
        raise Blocked(why("header-break", name=auth.at[1] or "Authorization"))
    if auth.kind == "key":
        place, name = auth.at
        headers.append(
            ("Cookie", f"{name}={_cookie_value(values[0])}")
            if place == "cookie"
            else (name, values[0].strip())
        )
    elif auth.kind == "basic":
        headers.append(
            ("Authorization", "Basic " + base64.b64encode(":".join(values).encode()).decode())
        )
    else:
        headers.append(("Authorization", f"Bearer {values[0]}"))


def _cookie_value(text: str) -> str:
    """The value as a cookie can hold it (RFC 6265, 4.1.1)."""
    return quote(text, safe="!#$&'()*+-./:<=>?@[]^_`{|}~")
