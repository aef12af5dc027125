"""JSON as nodes (RFC 8259)."""

from __future__ import annotations

import json
import re
from bisect import bisect_left
from decimal import Decimal
from json.decoder import scanstring  # type: ignore[attr-defined]

from saltpath.core.format.nodes import MOST_LEVELS, FormatError, Node, refuse
from saltpath.core.values.plain import whole_text


class JsonReader:
    """A small JSON reader that keeps lines, exact numbers and refuses doubled keys (RFC 8259)."""

    _SPACE = re.compile(r"[ \t\n\r]*")
    _NUMBER = re.compile(r"-?(?:0|[1-9][0-9]*)(\.[0-9]+)?([eE][-+]?[0-9]+)?")

    def __init__(self, text: str) -> None:
        self._text = text
        self._at = 0
        self._ends = [found.start() for found in re.finditer("\n", text)]

    def read(self) -> Node:
        node = self._value(0)
        self._skip()
        if self._at < len(self._text):
            raise self._unexpected("the end of the file")
        return node

    def _skip(self) -> None:
        found = self._SPACE.match(self._text, self._at)
        assert found is not None
        self._at = found.end()

    def _line(self) -> int:
        return bisect_left(self._ends, self._at) + 1

    def _unexpected(self, wanted: str) -> FormatError:
        here = self._text[self._at : self._at + 20].split("\n")[0] or "the end of the file"
        return refuse(f"this is not JSON: expected {wanted}, found {here}", self._line())

    def _value(self, level: int) -> Node:
        self._skip()
        line = self._line()
        if level > MOST_LEVELS:
            raise refuse(f"nested deeper than {MOST_LEVELS} levels", line)
        char = self._text[self._at : self._at + 1]
        if char == "{":
            return self._object(line, level)
        if char == "[":
            return self._list(line, level)
        if char == '"':
            return Node(self._string(), line)
        for word, value in (("true", True), ("false", False), ("null", None)):
            if self._text.startswith(word, self._at):
                self._at += len(word)
                return Node(value, line)
        found = self._NUMBER.match(self._text, self._at)
        if not found or len(found[0]) > 1000:
            raise self._unexpected("a value")
        self._at = found.end()
        return Node(Decimal(found[0]) if found[1] or found[2] else int(found[0]), line)

    def _string(self) -> str:
        try:
            value, self._at = scanstring(self._text, self._at + 1, True)
        except json.JSONDecodeError as problem:
            raise refuse(f"this is not JSON: {problem.msg}", problem.lineno) from None
        return whole_text(str(value))

    def _take(self, wanted: str) -> str:
        self._skip()
        char = self._text[self._at : self._at + 1]
        if not char or char not in wanted:
            raise self._unexpected(" or ".join(wanted))
        self._at += 1
        return char

    def _list(self, line: int, level: int) -> Node:
        self._at += 1
        items: list[Node] = []
        self._skip()
        if self._text.startswith("]", self._at):
            self._at += 1
            return Node(items, line)
        while True:
            items.append(self._value(level + 1))
            if self._take(",]") == "]":
                return Node(items, line)

    def _object(self, line: int, level: int) -> Node:
        self._at += 1
        values: dict[str, Node] = {}
        keys: dict[str, int] = {}
        self._skip()
        if self._text.startswith("}", self._at):
            self._at += 1
            return Node(values, line)
        while True:
            self._skip()
            key_line = self._line()
            if not self._text.startswith('"', self._at):
                raise self._unexpected("a key in double quotes")
            key = self._string()
            if key in values:
                raise refuse(f"the key {key!r} stands twice, first in line {keys[key]}", key_line)
            self._take(":")
            values[key] = self._value(level + 1)
            keys[key] = key_line
            if self._take(",}") == "}":
                return Node(values, line, keys=keys)
