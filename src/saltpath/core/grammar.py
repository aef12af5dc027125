"""What references and pipes have in common: quoted texts, a pipe as written, and text that cannot be read."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any


class Unreadable(ValueError):
    """Text that is not what the grammar allows; says what was found and what was expected."""


@dataclass(frozen=True, slots=True)
class Pipe:
    """One pipe as written: its name, and its arguments as `pipes.py` read them."""

    name: str
    args: tuple[Any, ...]
    text: str


def unquote(text: str) -> str:
    """The text between quotes, backslash escapes decoded. Raises Unreadable."""
    if len(text) < 2 or text[0] not in "\"'" or text[-1] != text[0]:
        raise Unreadable(f"expected a text in quotes, found {text!r}")
    return re.sub(r"\\(.)", lambda found: {"n": "\n", "t": "\t"}.get(found[1], found[1]), text[1:-1])
