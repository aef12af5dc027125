"""What steps and values are called that nobody named."""

from __future__ import annotations

import re
from collections.abc import Container

_PATH = re.compile(r"^[A-Za-z][\w+.-]*://[^/?#]*")
_WORD = re.compile(r"[A-Za-z](?:[A-Za-z_-]*[A-Za-z])?\d?")  # anything else in an address is an id
_FILE = re.compile(r"[\w-]+\.[A-Za-z][A-Za-z0-9]{0,4}")
_VERSION = re.compile(r"v\d", re.IGNORECASE)
_VERBS = {"GET": "Read", "POST": "Send", "PUT": "Replace", "PATCH": "Change", "DELETE": "Delete"}


def name_for(method: str, address: str) -> str:
    """A name that says what a request does: `Read vessels`, and with an id behind it `Read a
    vessel`; a file keeps its name."""
    parts = [part for part in _PATH.sub("", address).split("?")[0].split("/") if part]
    words = [
        at
        for at, part in enumerate(parts)
        if _WORD.fullmatch(part) and not _VERSION.fullmatch(part)
    ]
    verb = _VERBS.get(method, method)
    if parts and _FILE.fullmatch(parts[-1]):
        return f"{verb} {parts[-1]}"
    if not words:
        return f"{verb} an answer"
    noun = re.sub("[-_]", " ", parts[words[-1]])
    if words[-1] == len(parts) - 1 and method != "POST":
        return f"{verb} {noun}"
    one = re.sub("([^suia])s$", r"\1", re.sub("(ss|x|ch|sh)es$", r"\1", re.sub("ies$", "y", noun)))
    return f"{verb} {'an' if re.match('(?i)[aeio]|u(?!s|ni)', one) else 'a'} {one}"


def value_name(value: str, taken: Container[str]) -> str:
    """A name for a value by what it is: that of the host that an address goes to, else its own
    words; with a number where it is taken."""
    found = _PATH.match(value)
    words = re.findall(r"[A-Za-z]+", found[0].partition("://")[2] if found else value)
    words = [
        word
        for word in words
        if word.lower() not in ("www", "localhost", "api", "com", "org", "net")
    ][:3]
    name = (
        words[0].lower() + "".join(word.capitalize() for word in words[1:])
        if words
        else "host"
        if found
        else "value"
    )
    number = next(number for number in range(1, 10_000) if _numbered(name, number) not in taken)
    return _numbered(name, number)


def _numbered(name: str, number: int) -> str:
    return name if number == 1 else f"{name}{number}"
