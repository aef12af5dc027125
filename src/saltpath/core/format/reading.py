"""One reading of one file: shapes of nodes, and everything that is wrong collected with its line."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass
from typing import Any

from saltpath.core import plain
from saltpath.core.format.source import FormatError, Node, Problem
from saltpath.core.grammar import Unreadable
from saltpath.core.nearest import listed, nearest
from saltpath.core.references import Template, compile_tree, read_template


@dataclass(slots=True)
class Reading:
    """One reading of one file: collects what is wrong, so that a file's problems are reported together."""

    file: str = ""
    problems: list[Problem] | None = None

    def wrong(self, sentence: str, path: str, line: int) -> None:
        if self.problems is None:
            self.problems = []
        self.problems.append(Problem(sentence, line, path=path, file=self.file))

    def finish(self) -> None:
        """Raise FormatError if anything was wrong."""
        if self.problems:
            raise FormatError(self.problems)

    # ---- shapes

    def mapping(
        self, node: Node, path: str, known: Collection[str], later: Collection[str] = (), what: str = "this"
    ) -> dict[str, Node]:
        """The node as a mapping with known keys only; unknown ones are reported with the nearest."""
        if not isinstance(node.value, dict):
            self.wrong(f"{what} must be a mapping of {listed(known, 4)}; found {found(node)}", path, node.line)
            return {}
        for key in node.value:
            if key in known:
                continue
            line = node.keys.get(key, node.line)
            if key in later:
                self.wrong(f"{key!r} is part of the format, and this version cannot carry it out yet", path, line)
                continue
            near = nearest(key, [*known, *later])
            hint = f"did you mean {near!r}?" if near else f"expected {listed(known, 20)}"
            self.wrong(f"unknown key {key!r} in {what}; {hint}", path, line)
        return {key: value for key, value in node.value.items() if key in known}

    def text(self, node: Node | None, path: str, what: str) -> str:
        """The node as non-empty text; numbers and booleans are taken as they are written."""
        if node is None:
            return ""
        if isinstance(node.value, (str, int)) or plain.is_number(node.value):
            text = plain.as_text(node.value)
            if text.strip():
                return text
        self.wrong(f"{what} must be a text; found {found(node)}", path, node.line)
        return ""

    def flag(self, node: Node | None, path: str, what: str, default: bool = False) -> bool:
        if node is None:
            return default
        if isinstance(node.value, bool):
            return node.value
        self.wrong(f"{what} must be true or false; found {found(node)}", path, node.line)
        return default

    def items(self, node: Node | None, path: str, what: str) -> list[Node]:
        if node is None:
            return []
        if isinstance(node.value, list):
            return node.value
        self.wrong(f"{what} must be a list; found {found(node)}", path, node.line)
        return []

    def template(self, node: Node, path: str, what: str) -> Template:
        """A text with references; a number or boolean stands as its text."""
        if isinstance(node.value, (list, dict)) or node.value is None:
            self.wrong(f"{what} must be a text; found {found(node)}", path, node.line)
            return Template("", ())
        text = plain.as_text(node.value)
        try:
            return read_template(text)
        except Unreadable as problem:
            self.wrong(str(problem), path, node.line)
            return Template("", ())

    def tree(self, node: Node, path: str) -> Any:
        """A plain value whose texts may hold references."""
        try:
            return compile_tree(node.data())
        except Unreadable as problem:
            self.wrong(str(problem), path, node.line)
            return None

    def measure(self, node: Node | None, path: str, read: Callable[[object], int]) -> int | None:
        if node is None:
            return None
        try:
            return read(node.value)
        except ValueError as problem:
            self.wrong(f"{problem}; found {found(node)}", path, node.line)
            return None


def found(node: Node) -> str:
    """A node's value as a message shows it."""
    if isinstance(node.value, dict):
        return "a mapping"
    return "a list" if isinstance(node.value, list) else plain.show(node.value, 60)
