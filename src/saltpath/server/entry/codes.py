"""Second factors: codes of an app (RFC 6238: SHA-1, 6 digits, 30 s), and those for the day on which
the phone is lost."""

from __future__ import annotations

import secrets
import sqlite3
import time
from pathlib import Path

import pyotp
import segno

from saltpath.store import second_factors
from saltpath.store.people import Person

STEP_S = 30
AROUND = 1
"""A code of the step before or after counts, too: clocks differ."""
CODES = 10
_LETTERS = "23456789abcdefghjkmnpqrstvwxyz"


def new_secret() -> str:
    """160 random bits in base32."""
    return pyotp.random_base32(32)


def address_of(secret: str, person: Person, installation: str) -> str:
    """What apps read out of the picture: otpauth://totp/..."""
    name = person.sign_in or person.name
    return pyotp.TOTP(secret).provisioning_uri(name=name, issuer_name=installation)


def picture_of(address: str) -> list[str]:
    """A QR code (ISO/IEC 18004) as rows of 0 and 1, with its margin."""
    return [
        "".join("1" if cell else "0" for cell in row)
        for row in segno.make(address).matrix_iter(border=2)
    ]


def new_codes() -> list[str]:
    """Each of 12 letters and digits that are not mistaken for others, 58 bits."""
    return [
        "-".join("".join(secrets.choice(_LETTERS) for _ in range(4)) for _ in range(3))
        for _ in range(CODES)
    ]


def step_of(secret: str, code: str, now: float | None = None) -> int | None:
    """The step of time that a code is of, around now; None: of none."""
    step = int((time.time() if now is None else now) // STEP_S)
    made = pyotp.TOTP(secret)
    typed = code.replace(" ", "")
    fitting = (
        [
            at
            for at in range(step - AROUND, step + AROUND + 1)
            if secrets.compare_digest(
                made.at(at * STEP_S), typed.encode().decode("ascii", "replace")
            )
        ]
        if typed.isascii()
        else []
    )
    return fitting[0] if fitting else None


def accepted(connection: sqlite3.Connection, folder: Path, person: Person, code: str) -> bool:
    """Whether a code lets this person in. Each counts once."""
    typed = code.strip().lower()
    secret = second_factors.second_of(connection, folder, person)
    step = step_of(secret, typed)
    if step is not None:
        return second_factors.use_step(connection, person, step)
    return second_factors.use_code(connection, person, typed)
