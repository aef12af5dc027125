"""A document to text: the writer's own layout, comments put back above what they belong to.

What is written reads back as the same document, number texts included.
"""

from __future__ import annotations

import re
from functools import lru_cache
from typing import Any

from saltpath.core.format.nodes import FormatError
from saltpath.core.format.source import plain_scalar
from saltpath.core.values import plain

ORDER = (
    "salt-path",
    "case",
    "project",
    "suite",
    "environment",
    "watch",
    "request",
    "look up",
    "set",
    "wait",
    "shared",
    "for each",
    "as",
    "about",
    "key",
    "register",
    "tags",
    "off",
    "zone",
    "guarded",
    "order",
    "values",
    "values in",
    "rows",
    "on failure",
    "every answer",
    "once",
    "only if",
    "in",
    "rows of",
    "columns",
    "where",
    "order by",
    "sql",
    "most rows",
    "send",
    "query",
    "headers",
    "auth",
    "json",
    "xml",
    "text",
    "file",
    "multipart",
    "type",
    "form",
    "options",
    "repeat",
    "without",
    "inputs",
    "outputs",
    "with",
    "gives",
    "kind",
    "default",
    "until",
    "every",
    "at most",
    "when",
    "then",
    "otherwise",
    "any of",
    "all of",
    "none of",
    "may be empty",
    "of",
    "steps",
    "expect",
    "keep",
    "write",
    "afterwards",
    "at the end",
)
ORDER_OF_WATCH = (
    "salt-path",
    "watch",
    "about",
    "key",
    "case",
    "suite",
    "tag",
    "every",
    "cron",
    "exact",
    "hours",
    "zone",
    "environment",
    "pick",
    "values",
    "limits",
    "bad after",
    "good after",
    "try again",
    "may change",
    "maintenance",
    "tell",
    "urgent",
    "tags",
    "supplier",
    "off",
)
WIDTH = 110
_AS_GIVEN = re.compile(
    r"(^|\.)(query|headers|form|keep|namespaces|gives|inputs|sources|databases|where)$|"
    r"(^|\.)(json|set|with|default|outputs|values|values in|fits|fits exactly|schema|is|for "
    r"each|columns|rows\[\d+\])(\.|\[|$)"
)
"""Mappings whose keys stand in the order that their writer chose."""
_BLOCK_UNSAFE = re.compile(
    r": |:$| #|^[\s\[\]{},'\"&*!|>%@`#?=<-]|\s$|[\x00-\x1f\x7f-\xa0\u2028\u2029\ufeff\ud800-\udfff]"
)
_STEP = re.compile(r"[.\[]")
"""Where a path goes one level down; also where a key has that character, which harms nothing."""
_FLOW_UNSAFE = re.compile(r"[\[\]{},'\":#?]")


def write_document(data: dict[str, Any], comments: dict[str, list[str]] | None = None) -> str:
    """The document as YAML text. `comments` maps document paths to the comment lines above them."""
    lines: list[str] = []
    placed = _Comments(comments or {})
    _mapping(data, "", 0, placed, lines)
    return "\n".join([*lines, *placed.at("")]) + "\n"


class _Comments:
    """Comment lines by the path of what they stand above."""

    def __init__(self, lines: dict[str, list[str]]) -> None:
        self._lines = lines
        self._around = {path[: found.start()] for path in lines for found in _STEP.finditer(path)}

    def at(self, path: str) -> list[str]:
        return self._lines.get(path, [])

    def are_within(self, path: str) -> bool:
        """Whether some stand above what is within."""
        return path in self._around


def _ordered(data: dict[str, Any]) -> list[str]:
    known = [key for key in (ORDER_OF_WATCH if "watch" in data else ORDER) if key in data]
    return known + [key for key in data if key not in known]


def _mapping(
    data: dict[str, Any], path: str, indent: int, comments: _Comments, lines: list[str]
) -> None:
    fixed = _AS_GIVEN.search(path) is not None
    for key in list(data) if fixed else _ordered(data):
        below = f"{path}.{key}" if path else key
        _entry(f"{_text(key, False)}:", data[key], below, indent, comments, lines)


def _entry(
    head: str, value: Any, path: str, indent: int, comments: _Comments, lines: list[str]
) -> None:
    pad = " " * indent
    lines.extend(pad + comment for comment in comments.at(path))
    if isinstance(value, str) and "\n" in value and _blockable(value):
        chomp = (
            ""
            if value.endswith("\n") and not value.endswith("\n\n")
            else "-"
            if not value.endswith("\n")
            else "+"
        )
        lines.append(f"{pad}{head} |{chomp}")
        lines.extend(
            (pad + "  " + line) if line else "" for line in value.removesuffix("\n").split("\n")
        )
        return
    short = _inline(value)
    has_comments = comments.are_within(path)
    if (
        not isinstance(value, (dict, list))
        or not value
        or (len(pad) + len(head) + len(short) < WIDTH and not has_comments and _small(value))
    ):
        lines.append(f"{pad}{head} {short}")
        return
    lines.append(pad + head)
    if isinstance(value, dict):
        _mapping(value, path, indent + 2, comments, lines)
        return
    for index, item in enumerate(value):
        _item(item, f"{path}[{index}]", indent + 2, comments, lines)


def _item(item: Any, path: str, indent: int, comments: _Comments, lines: list[str]) -> None:
    pad = " " * indent
    lines.extend(pad + comment for comment in comments.at(path))
    has_comments = comments.are_within(path)
    if isinstance(item, list) and has_comments:
        lines.append(f"{pad}-")
        for index, inner_item in enumerate(item):
            _item(inner_item, f"{path}[{index}]", indent + 2, comments, lines)
        return
    if isinstance(item, dict) and item and (has_comments or not ("of" in item and _small(item))):
        inner: list[str] = []
        _mapping(item, path, indent + 2, comments, inner)
        lines.append(f"{pad}- {inner[0].lstrip()}" if inner[0].lstrip()[:1] != "#" else f"{pad}-")
        lines.extend(inner[1:] if inner[0].lstrip()[:1] != "#" else inner)
        return
    lines.append(f"{pad}- {_inline(item)}")


def _small(value: Any) -> bool:
    """Whether a list or mapping may stand in one line: nothing nested but one level."""
    items = value.values() if isinstance(value, dict) else value
    return all(
        not (isinstance(i, (dict, list)) and any(isinstance(j, (dict, list)) for j in _inner(i)))
        and not (isinstance(i, str) and "\n" in i)
        for i in items
    )


def _inner(value: Any) -> list[Any]:
    return list(value.values()) if isinstance(value, dict) else list(value)


def _blockable(text: str) -> bool:
    """Whether a literal block keeps the text: no strange white space, no first line that is
    indented."""
    return text[:1] not in " \n\t" and None is re.search(
        r"[\r\x00-\x08\x0b-\x1f\x7f\u0085\u2028\u2029\ufeff]", text
    )


def _inline(value: Any, flow: bool = False) -> str:
    if isinstance(value, dict):
        return (
            "{ "
            + ", ".join(f"{_text(k, True)}: {_inline(v, True)}" for k, v in value.items())
            + " }"
            if value
            else "{}"
        )
    if isinstance(value, list):
        return "[" + ", ".join(_inline(item, True) for item in value) + "]"
    if isinstance(value, str):
        return _text(value, flow)
    return "null" if value is None else plain.as_text(value)


_ESCAPES = {char: f"\\u{ord(char):04x}" for char in "\x7f\x85\xa0\u2028\u2029\ufeff"}


@lru_cache(maxsize=8192)
def _text(text: str, flow: bool) -> str:
    """Plain where it can be read as nothing else, in double quotes elsewhere."""
    if (
        not text
        or _BLOCK_UNSAFE.search(text)
        or (flow and _FLOW_UNSAFE.search(text))
        or _means_else(text)
    ):
        return "".join(_ESCAPES.get(char, char) for char in plain.write_json(text).decode())
    return text


def _means_else(text: str) -> bool:
    """Whether the reader would take the plain text for a number, a boolean or null."""
    try:
        return bool(plain_scalar(text, 0, 0) != text)
    except FormatError:
        return True
