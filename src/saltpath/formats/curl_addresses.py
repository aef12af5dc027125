"""The addresses of a curl command line: globs, a query that is added, the name of an upload."""

from __future__ import annotations

import re
from urllib.parse import quote

from saltpath.core.values.grammar import Unreadable

MOST_STEPS = 200


def url_query(text: str) -> str:
    """`content`, `name=content`, `=content`; a plus before it leaves it as it is."""
    if text.startswith("+"):
        return text[1:]
    name, equals, content = text.partition("=")
    if not equals:
        return quote(text, safe="-._~")
    return (f"{name}=" if name else "") + quote(content, safe="-._~")


def with_query(address: str, query: list[str]) -> str:
    address = address.partition("#")[0]
    if not query:
        return address
    return address + ("&" if "?" in address else "?") + "&".join(query)


_GLOB = re.compile(
    r"\{([^{}]*,[^{}]*)\}|\[(\d{1,18})-(\d{1,18})(?::(\d{1,18}))?\]|\[([a-zA-Z])-([a-zA-Z])\]"
)


def globbed(address: str) -> list[str]:
    """What curl makes of `{a,b}` and `[1-3]` in an address: one after the other, the last place
    changing first."""
    made, at = [""], 0
    for number, found in enumerate(_GLOB.finditer(address)):
        choices = _choices(found)
        if not choices:
            raise Unreadable(f"{found[0][:60]} in the address means nothing")
        if len(made) * len(choices) > MOST_STEPS or number >= MOST_STEPS:
            raise Unreadable(f"this curl line means more than {MOST_STEPS} addresses")
        between = address[at : found.start()]
        made = [begun + between + choice for begun in made for choice in choices]
        at = found.end()
    return [begun + address[at:] for begun in made]


def _choices(glob: re.Match[str]) -> list[str]:
    if glob[1] is not None:
        return glob[1].split(",")
    if glob[2] is None:
        return [chr(code) for code in range(ord(glob[5]), ord(glob[6]) + 1)]
    step, width = int(glob[4] or 1), len(glob[2]) if glob[2].startswith("0") else 0
    numbers = range(int(glob[2]), int(glob[3]) + 1, max(step, 1))
    return [str(number).zfill(width) for number in numbers[: MOST_STEPS + 1]]


def with_name(address: str, file: str) -> str:
    """An upload to an address that ends in / goes under the file's name."""
    path, mark, query = address.partition("?")
    return path + quote(file.rpartition("/")[2], safe="-._~") + mark + query
