"""Signing in by digest (RFC 7616): the answer to a server's challenge, SHA-256 and MD5, with and
without session."""

from __future__ import annotations

import hashlib
import re
import secrets
from collections.abc import Iterable
from typing import NamedTuple
from urllib.parse import urlsplit

from msgspec.structs import replace

from saltpath.core.running.prepare import Prepared
from saltpath.core.values.why import Blocked, why

_HASHES = {"sha-512-256": "sha512_256", "sha-256": "sha256", "md5": "md5"}
_ESCAPED = re.compile(r"\\(.)")
_LONGEST = 16_000
"""What is looked at of all such headers of an answer together; real challenges have some hundred
letters."""


class Challenge(NamedTuple):
    """What the server asks; `algorithm` as it wrote it, `hash` a name of hashlib."""

    realm: str
    nonce: str
    opaque: str
    algorithm: str
    hash: str
    session: bool
    qop: str
    stale: bool
    userhash: bool


def challenge_of(headers: Iterable[tuple[str, str]]) -> Challenge:
    """The strongest Digest challenge of a 401. Raises Blocked if there is none that can be
    answered."""
    found: list[Challenge] = []
    refused = "the answer asks for no Digest sign-in"
    given = ", ".join(value for name, value in headers if name.lower() == "www-authenticate")
    for scheme, fields in _challenges(given[:_LONGEST]):
        if scheme != "digest":
            continue
        algorithm = fields.get("algorithm", "MD5")
        kind = algorithm.lower().removesuffix("-sess")
        offered = [
            item.strip().lower() for item in fields.get("qop", "").split(",") if item.strip()
        ]
        if (
            kind not in _HASHES
            or "nonce" not in fields
            or (offered and not {"auth", "auth-int"} & set(offered))
        ):
            refused = f"the answer asks for Digest with {algorithm[:40]}, which is not known here"
            continue
        qop = "" if not offered else "auth" if "auth" in offered else "auth-int"
        found.append(
            Challenge(
                fields.get("realm", ""),
                fields["nonce"],
                fields.get("opaque", ""),
                algorithm,
                _HASHES[kind],
                algorithm.lower().endswith("-sess"),
                qop,
                fields.get("stale", "").lower() == "true",
                fields.get("userhash", "").lower() == "true",
            )
        )
    if not found:
        raise Blocked(why("digest", problem=refused))
    order = list(_HASHES.values())
    return min(found, key=lambda challenge: order.index(challenge.hash))


def _challenges(text: str) -> list[tuple[str, dict[str, str]]]:
    """The challenges of WWW-Authenticate headers (RFC 9110, 11.6.1): scheme and parameters, names
    in lower case. Each letter is looked at once, whatever stands there."""
    found: list[tuple[str, dict[str, str]]] = []
    for item in _items(text):
        name, equals, value = item.partition("=")
        before, space, key = name.strip().rpartition(" ")
        if space or not equals:  # a scheme begins, with its first parameter or with none
            found.append(((before if space and equals else name).strip().lower(), {}))
        if equals and found:
            found[-1][1].setdefault(key.strip().lower(), _unquoted(value.strip()))
    return found


def _items(text: str) -> list[str]:
    """What stands between commas, those within quotes left alone."""
    items: list[str] = []
    begin, quoted, escaped = 0, False, False
    for at, letter in enumerate(text):
        if escaped:
            escaped = False
        elif quoted and letter == "\\":
            escaped = True
        elif letter == '"':
            quoted = not quoted
        elif letter == "," and not quoted:
            items.append(text[begin:at])
            begin = at + 1
    return [item.strip() for item in (*items, text[begin:]) if item.strip()]


def _unquoted(value: str) -> str:
    if len(value) < 2 or value[0] != '"' or value[-1] != '"':
        return value
    return _ESCAPED.sub(r"\1", value[1:-1])


def answered(
    prepared: Prepared, challenge: Challenge, user: str, password: str, nonce: str = ""
) -> Prepared:
    """The request once more, with the answer to the challenge. `nonce`: the client's own, drawn if
    not given."""
    nonce = nonce or secrets.token_hex(8)
    parts = urlsplit(prepared.address)
    target = (parts.path or "/") + (f"?{parts.query}" if parts.query else "")
    secret = _hash(challenge, f"{user}:{challenge.realm}:{password}".encode())
    if challenge.session:
        secret = _hash(challenge, f"{secret}:{challenge.nonce}:{nonce}".encode())
    asked = f"{prepared.method}:{target}"
    if challenge.qop == "auth-int":
        asked += ":" + _hash(challenge, prepared.body or b"")
    count = "00000001"
    middle = (
        f"{challenge.nonce}:{count}:{nonce}:{challenge.qop}" if challenge.qop else challenge.nonce
    )
    response = _hash(challenge, f"{secret}:{middle}:{_hash(challenge, asked.encode())}".encode())
    name = _hash(challenge, f"{user}:{challenge.realm}".encode()) if challenge.userhash else user
    fields = [
        ("username", name),
        ("realm", challenge.realm),
        ("nonce", challenge.nonce),
        ("uri", target),
        ("response", response),
    ]
    if challenge.opaque:
        fields.append(("opaque", challenge.opaque))
    if challenge.qop or challenge.session:
        fields.append(("cnonce", nonce))
    text = (
        ", ".join(f'{key}="{_escaped(value)}"' for key, value in fields)
        + f", algorithm={challenge.algorithm}"
    )
    if challenge.qop:
        text += f", qop={challenge.qop}, nc={count}"
    if challenge.userhash:
        text += ", userhash=true"
    headers = tuple(pair for pair in prepared.headers if pair[0].lower() != "authorization")
    return replace(prepared, headers=(*headers, ("Authorization", f"Digest {text}")), private=True)


def _hash(challenge: Challenge, octets: bytes) -> str:
    return hashlib.new(challenge.hash, octets, usedforsecurity=False).hexdigest()


def _escaped(text: str) -> str:
    return text.replace("\\", "\\\\").replace('"', '\\"')
