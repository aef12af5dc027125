"""A document as nodes: every value with its line and column, its keys with their lines; and what is
wrong in it."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from msgspec import Struct, field

from saltpath.core.values.errors import SaltPathError

MOST_LEVELS = 100


class Problem(Struct, frozen=True):
    """What is wrong in a file: `line` and `column` count from 1, `path` is the place in the
    document."""

    sentence: str
    line: int = 0
    column: int = 0
    path: str = ""
    file: str = ""

    def __str__(self) -> str:
        place = (
            f"{self.file}:{self.line}: "
            if self.file and self.line
            else f"{self.file}: "
            if self.file
            else ""
        )
        if not place and self.line:
            place = f"line {self.line}: "
        return f"{place}{self.sentence}"


class FormatError(SaltPathError, ValueError):
    """A file that does not match the format, with every problem found."""

    code = "not-the-format"

    def __init__(self, problems: list[Problem]) -> None:
        super().__init__("; ".join(map(str, problems)))
        self.problems = problems


class Node(Struct):
    """A value with its place. `value` is a scalar, a list of nodes, or a dict of nodes. `keys`:
    each key's line."""

    value: Any
    line: int = 0
    column: int = 0
    plain: bool = False
    keys: dict[str, int] = field(default_factory=dict)

    def data(self) -> Any:
        """The plain value without its places."""
        if isinstance(self.value, dict):
            return {key: node.data() for key, node in self.value.items()}
        if isinstance(self.value, list):
            return [node.data() for node in self.value]
        return self.value


class Source(Struct, frozen=True):
    """A text as read: its root node, and its comment lines by the document path that they stand
    above."""

    root: Node
    comments: dict[str, list[str]] = field(default_factory=dict)


def from_data(data: Any, level: int = 0) -> Node:
    """Nodes of a document that has no lines (one from the store or the API). Raises FormatError if
    nested too deeply."""
    if level > MOST_LEVELS:
        raise refuse(f"nested deeper than {MOST_LEVELS} levels", 0)
    if isinstance(data, dict):
        return Node({str(key): from_data(value, level + 1) for key, value in data.items()})
    if isinstance(data, list):
        return Node([from_data(item, level + 1) for item in data])
    if isinstance(data, float):
        return Node(Decimal(repr(data)))
    return Node(data)


def refuse(sentence: str, line: int, column: int = 0) -> FormatError:
    """What is raised for one thing that is wrong."""
    return FormatError([Problem(sentence, line, column)])
