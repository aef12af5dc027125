"""Pipes that encode and sign: base64 (RFC 4648), SHA-256 (FIPS 180-4), HMAC (RFC 2104). Hashes are
lower-case hex."""

from __future__ import annotations

import base64
import binascii
import hashlib
import hmac
from typing import Any

from saltpath.core.references.pipes.table import Unfit, pipe, text_of
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable


def _octets(value: Any) -> bytes:
    if value is None:
        raise Unfit("null has no text; put | default before it")
    return plain.as_text(value).encode()


@pipe("base64", "as base64, of its UTF-8", ("desk:salt", "base64", "ZGVzazpzYWx0"))
def _base64(value: Any) -> str:
    return base64.b64encode(_octets(value)).decode()


@pipe(
    "from base64", "the text that base64 stands for", ("ZGVzazpzYWx0", "from base64", "desk:salt")
)
def _from_base64(value: Any) -> str:
    text = "".join(text_of(value).split()).replace("-", "+").replace("_", "/")
    try:
        return base64.b64decode(text + "=" * (-len(text) % 4), validate=True).decode()
    except UnicodeDecodeError:
        raise Unfit("what it stands for is not text in UTF-8") from None
    except binascii.Error:
        raise Unfit("it is not base64") from None


@pipe(
    "sha256",
    "its SHA-256, in hex",
    ("salt", "sha256", "63479ad69a090b258277ec8fba6f99419a2ffb248981510657c944ccd1148e97"),
)
def _sha256(value: Any) -> str:
    return hashlib.sha256(_octets(value)).hexdigest()


def _read_name(rest: str) -> tuple[Any, ...]:
    if not rest or " " in rest.strip():
        raise Unreadable(
            f"hmac-sha256 is written: hmac-sha256 secretName, the name of a value; found {rest!r}"
        )
    return ()


@pipe(
    "hmac-sha256",
    "signed by the value of that name (HMAC with SHA-256), in hex",
    (
        "salt",
        'hmac-sha256 [="key"]',
        "07c26514685c092e121ba0c6535272628e1b345f2a1a94c3e3849762d619002a",
    ),
    "hmac-sha256 NAME",
    _read_name,
    by_name=True,
)
def _hmac(value: Any, secret: Any) -> str:
    return hmac.new(_octets(secret), _octets(value), hashlib.sha256).hexdigest()
