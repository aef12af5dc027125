"""Secrets that let somebody in: 256 random bits, of which only the hash is stored. Nobody who reads
the database can come in with what stands there, and they cannot be guessed, so that a fast hash is
enough."""

from __future__ import annotations

import secrets
from hashlib import sha256


def new_token(prefix: str = "") -> str:
    """43 letters, digits, - and _, behind the prefix."""
    return prefix + secrets.token_urlsafe(32)


def hash_of(token: str) -> bytes:
    """What is stored of one, and what it is found by. A text that cannot be one is found
    nowhere."""
    return sha256(token.encode("utf-8", "surrogatepass")).digest()
