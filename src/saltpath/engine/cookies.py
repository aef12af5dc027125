"""Cookies of a row (RFC 6265): what answers set is sent back where it belongs, until the row
ends."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any
from urllib.parse import urlsplit

from msgspec import Struct
from msgspec.structs import astuple

from saltpath.core.answers.header_values import attributes_of, max_age_of, moment_of

MOST = 1_000


class Cookie(Struct):
    """`exact`: only for the very host that set it. `ends_us`: UTC microseconds; None: at the row's
    end."""

    name: str
    value: str
    host: str
    path: str
    exact: bool
    secure: bool
    ends_us: int | None


class Jar:
    """The cookies of one row. Each row begins with a copy of those that `once` left."""

    __slots__ = ("cookies",)

    def __init__(self, cookies: dict[tuple[str, str, str], Cookie] | None = None) -> None:
        self.cookies = dict(cookies or {})

    def copy(self) -> Jar:
        return Jar(self.cookies)

    def given_away(self) -> tuple[tuple[Any, ...], ...]:
        """The cookies as tuples of their fields, for whoever goes on with the run."""
        return tuple(astuple(cookie) for cookie in self.cookies.values())

    def take_over(self, cookies: Iterable[tuple[Any, ...]]) -> None:
        """What `given_away` gave."""
        for fields in cookies:
            cookie = Cookie(*fields)
            self.cookies[cookie.host, cookie.path, cookie.name] = cookie

    def take(self, address: str, headers: list[tuple[str, str]], now_us: int) -> None:
        """Take the cookies that an answer from the address sets."""
        parts = urlsplit(address)
        for name, value in headers:
            if name.lower() == "set-cookie":
                cookie = _read(value, parts.hostname or "", parts.path, now_us)
                if cookie is not None and (
                    not cookie.secure or parts.scheme == "https" or _is_here(parts.hostname)
                ):
                    key = (cookie.host, cookie.path, cookie.name)
                    self.cookies.pop(key, None)
                    if (cookie.ends_us is None or cookie.ends_us > now_us) and len(
                        self.cookies
                    ) < MOST:
                        self.cookies[key] = cookie

    def header(self, address: str, own: str, now_us: int) -> str:
        """The Cookie header for a request to the address; `own`: what the request itself gives,
        which wins by name."""
        parts = urlsplit(address)
        host, path = parts.hostname or "", parts.path or "/"
        given = {pair.partition("=")[0].strip() for pair in own.split(";")} if own else set()
        fitting = [
            cookie
            for cookie in self.cookies.values()
            if (host == cookie.host if cookie.exact else _within(host, cookie.host))
            and _below(path, cookie.path)
            and (not cookie.secure or parts.scheme == "https" or _is_here(host))
            and (cookie.ends_us is None or cookie.ends_us > now_us)
            and cookie.name not in given
        ]
        fitting.sort(key=lambda cookie: -len(cookie.path))
        pairs = [f"{cookie.name}={cookie.value}" for cookie in fitting]
        return "; ".join(([own] if own else []) + pairs)


def _is_here(host: str | None) -> bool:
    """This machine is a trustworthy place without TLS, as browsers hold too."""
    return host in ("localhost", "127.0.0.1", "::1")


def _read(text: str, host: str, path: str, now_us: int) -> Cookie | None:
    name, equals, value = text.partition(";")[0].partition("=")
    if not equals or not name.strip():
        return None
    given = attributes_of(text)
    domain = given.get("domain", "").lstrip(".").lower()
    if domain and not (_within(host, domain) and ("." in domain or domain == host)):
        return None
    at = given.get("path", "")
    default = path[: path.rfind("/")] or "/" if path.startswith("/") else "/"
    return Cookie(
        name.strip(),
        value.strip(),
        domain or host,
        at if at.startswith("/") else default,
        not domain,
        "secure" in given,
        _ends(given, now_us),
    )


def _ends(given: dict[str, str], now_us: int) -> int | None:
    age = max_age_of(given.get("max-age", ""))
    if age is not None:
        return now_us + age * 1_000_000
    moment = moment_of(given["expires"]) if "expires" in given else None
    return None if moment is None else int(moment.timestamp() * 1e6)


def _within(host: str, domain: str) -> bool:
    return host == domain or (host.endswith("." + domain) and not host.replace(".", "").isdigit())


def _below(path: str, prefix: str) -> bool:
    return path == prefix or (
        path.startswith(prefix) and (prefix.endswith("/") or path[len(prefix)] == "/")
    )
