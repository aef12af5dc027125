"""One reading of one file: shapes of nodes, and everything that is wrong collected with its
line."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable
from typing import Any

from msgspec import Struct

from saltpath.core.answers.subjects import read_subject
from saltpath.core.format.nodes import FormatError, Node, Problem
from saltpath.core.references.templates import (
    Reference,
    Template,
    compile_tree,
    read_template,
    references_in,
)
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.nearest import listed, nearest


class Reading(Struct):
    """One reading of one file: collects what is wrong, so that a file's problems are reported
    together."""

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
        self,
        node: Node,
        path: str,
        known: Collection[str],
        later: Collection[str] = (),
        what: str = "this",
    ) -> dict[str, Node]:
        """The node as a mapping with known keys only; unknown ones are reported with the
        nearest."""
        if not isinstance(node.value, dict):
            self.wrong(
                f"{what} must be a mapping of {listed(known, 4)}; found {found(node)}",
                path,
                node.line,
            )
            return {}
        for key in node.value:
            if key in known:
                continue
            line = node.keys.get(key, node.line)
            if key in later:
                self.wrong(
                    f"{key!r} is part of the format, and this version cannot carry it out yet",
                    path,
                    line,
                )
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

    def template(self, node: Node, path: str, what: str, asks: tuple[str, ...] = ()) -> Template:
        """A text with references; a number or boolean stands as its text. `asks`: what its
        references may ask of this request or answer."""
        if isinstance(node.value, (list, dict)) or node.value is None:
            self.wrong(f"{what} must be a text; found {found(node)}", path, node.line)
            return Template("", ())
        text = plain.as_text(node.value)
        try:
            template = read_template(text)
            check_asked(template.references(), asks)
        except Unreadable as problem:
            self.wrong(str(problem), path, node.line)
            return Template("", ())
        return template

    def tree(self, node: Node, path: str, asks: bool = False) -> Any:
        """A plain value whose texts may hold references; with `asks` also [=sent ...] and [=answer
        ...]."""
        try:
            tree = compile_tree(node.data())
            check_asked(references_in(tree), ("sent", "answer") if asks else ())
        except Unreadable as problem:
            self.wrong(str(problem), path, node.line)
            return None
        return tree

    def measure(self, node: Node | None, path: str, read: Callable[[object], int]) -> int | None:
        if node is None:
            return None
        try:
            return read(node.value)
        except ValueError as problem:
            self.wrong(f"{problem}; found {found(node)}", path, node.line)
            return None


def check_asked(references: Iterable[Reference], allowed: tuple[str, ...]) -> None:
    """Raises Unreadable if a reference asks what cannot be asked where it stands, or for an
    unreadable subject."""
    for reference in references:
        if reference.asks is None:
            continue
        kind, subject = reference.asks
        if kind not in allowed:
            place = "a header or a query" if kind == "request" else "what is expected"
            raise Unreadable(f"{reference.text} can only stand in {place}")
        if kind == "sent" and not re.match(r"\$|(header|query) \S", subject):
            raise Unreadable(
                f"{reference.text}: sent is followed by a path, header NAME or query NAME"
            )
        if kind != "request" and not subject.startswith("query "):
            read_subject(subject)


def found(node: Node) -> str:
    """A node's value as a message shows it."""
    if isinstance(node.value, dict):
        return "a mapping"
    return "a list" if isinstance(node.value, list) else plain.show(node.value, 60)
