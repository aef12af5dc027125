"""What a step is called that nobody named."""

from __future__ import annotations

import re

_PATH = re.compile(r"^[A-Za-z][\w+.-]*://[^/?#]*")
_WORD = re.compile(r"[A-Za-z](?:[A-Za-z_-]*[A-Za-z])?\d?")  # anything else in an address is an id
_VERSION = re.compile(r"v\d", re.IGNORECASE)
_VERBS = {"GET": "Read", "POST": "Send", "PUT": "Replace", "PATCH": "Change", "DELETE": "Delete"}


def name_for(method: str, address: str) -> str:
    """A name that says what a request does: `Read vessels`, and with an id behind it `Read a vessel`."""
    parts = [part for part in _PATH.sub("", address).split("?")[0].split("/") if part]
    words = [at for at, part in enumerate(parts) if _WORD.fullmatch(part) and not _VERSION.fullmatch(part)]
    verb = _VERBS.get(method, method)
    if not words:
        return f"{verb} an answer"
    noun = re.sub("[-_]", " ", parts[words[-1]])
    if words[-1] == len(parts) - 1 and method != "POST":
        return f"{verb} {noun}"
    one = re.sub("([^suia])s$", r"\1", re.sub("(ss|x|ch|sh)es$", r"\1", re.sub("ies$", "y", noun)))
    return f"{verb} {'an' if re.match('(?i)[aeio]|u(?!s|ni)', one) else 'a'} {one}"
