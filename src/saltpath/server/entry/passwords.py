"""Passwords: Argon2id (RFC 9106) with the parameters below, one at a time, so that those who sign
in do not hold up those who work; and what makes one too easy to guess."""

from __future__ import annotations

import threading
from functools import cache

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

MEMORY_KIB, ROUNDS, LANES = 19_456, 2, 1
"""The least that OWASP's cheat sheet on storing passwords gives: 50 ms on the machine that
`docs/security.md` speaks of."""
AT_ONCE = 1
"""Passwords that are hashed at the same time: one core of two stays free for everybody else."""
SHORTEST, LONGEST = 12, 200
_hasher = PasswordHasher(time_cost=ROUNDS, memory_cost=MEMORY_KIB, parallelism=LANES)
_turn = threading.BoundedSemaphore(AT_ONCE)


def hashed(password: str) -> str:
    """As it is stored."""
    with _turn:
        return _hasher.hash(password.encode("utf-8", "surrogatepass"))


@cache
def _nobodys() -> str:
    return _hasher.hash(b"nobody signs in by this")


def fits(stored: str, password: str) -> bool:
    """Whether a password is the one whose hash is stored. It takes as long where none is stored, so
    that nobody learns who there is."""
    with _turn:
        try:
            _hasher.verify(stored or _nobodys(), password.encode("utf-8", "surrogatepass"))
        except (VerificationError, InvalidHashError):
            return False
    return bool(stored)


def is_outdated(stored: str) -> bool:
    """Whether it was hashed with other parameters than those of now."""
    return _hasher.check_needs_rehash(stored)


def fault(password: str, *about: str) -> str:
    """Why it cannot be taken, as a sentence; empty: it can. `about`: what others would try first,
    such as the names of whose it is."""
    if len(password) < SHORTEST:
        return f"Give a password of at least {SHORTEST} characters; a few words will do."
    if len(password) > LONGEST:
        return f"Give a password of at most {LONGEST} characters."
    from zxcvbn import zxcvbn  # type: ignore[import-untyped]  # lists of words, 2 MB: wanted seldom

    told = [word.lower() for name in about for word in [name, *name.split()] if word]
    found = zxcvbn(password[:72], user_inputs=["saltpath", "salt path", *told])
    if found["score"] >= 3:
        return ""
    warning = str(found["feedback"]["warning"] or "It is too easy to guess").rstrip(".")
    return f"{warning}. Take another one, such as four words that do not belong together."
