"""What references and pipes have in common: quoted texts, a pipe as written, and text that cannot
be read."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from msgspec import Struct

from saltpath.core.values.errors import SaltPathError


class Unreadable(SaltPathError, ValueError):
    """Text that is not what the grammar allows; says what was found and what was expected."""

    code = "not-understood"


class Pipe(Struct, frozen=True):
    """One pipe as written: its name, and its arguments as its kind read them.

    `inner`, a template, holds the arguments if references stand in them; they are then read when it
    is applied."""

    name: str
    args: tuple[Any, ...]
    text: str
    inner: Any = None


def unquote(text: str) -> str:
    """The text between quotes, backslash escapes decoded. Raises Unreadable."""
    if len(text) < 2 or text[0] not in "\"'" or text[-1] != text[0]:
        raise Unreadable(f"expected a text in quotes, found {text!r}")
    return re.sub(
        r"\\(.)", lambda found: {"n": "\n", "t": "\t"}.get(found[1], found[1]), text[1:-1]
    )


def quoted(text: str) -> str:
    """The text in double quotes, as `unquote` reads it back."""
    escaped = (
        text.replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n").replace("\t", "\\t")
    )
    return f'"{escaped}"'


def outside_quotes(text: str, at: int = 0) -> Iterator[int]:
    """Every index from `at` on that stands neither in quotes nor in brackets."""
    depth, quote = 0, ""
    while at < len(text):
        char = text[at]
        if quote:
            at += char == "\\"
            quote = "" if char == quote else quote
        elif char in "\"'":
            quote = char
        elif char in "[({":
            depth += 1
        elif char in "])}":
            depth -= 1
        elif depth == 0:
            yield at
        at += 1


def split_list(text: str) -> list[str]:
    """`a, "b, c", [d, e]` at its commas, each item trimmed."""
    begin, items = 0, []
    for at in outside_quotes(text):
        if text[at] == "," and at >= begin:
            items.append(text[begin:at].strip())
            begin = at + 1
    return [*items, text[begin:].strip()]
