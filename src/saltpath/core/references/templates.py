"""References `[=name | pipe]`: parsed once, resolved against scopes, encoded for the place where
they stand.

The grammar is the one of the case format (docs/case-format.md). What was inserted is never read
again.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import lru_cache
from typing import Any

from msgspec import Struct
from msgspec.structs import force_setattr

from saltpath.core.references.generators import FIRST_WORDS, Generated, read_generator
from saltpath.core.references.pipes import read_pipe
from saltpath.core.values.grammar import Pipe, Unreadable, unquote

RESERVED = frozenset(
    [
        "any",
        "now",
        "today",
        "clock",
        "count",
        "sent",
        "answer",
        "request",
        "run",
        "row",
        "kept",
        "case",
        "suite",
    ]
    + ["project", "step"]
)
SCOPES = ("run", "kept", "row", "case", "suite", "project")
ASKED = frozenset(["sent", "answer"])
OF_REQUEST = frozenset(["request.body", "request.method", "request.path"])
BUILT_IN = frozenset(
    [
        "row.number",
        "run.number",
        "run.seed",
        "run.start",
        "run.environment",
        "case.name",
        "step.name",
    ]
)
_BEFORE_PATTERN = ("replace", "matching", "matches")
_NAME = re.compile(r"[^\W\d_][\w-]*")


class Reference(Struct, frozen=True):
    """`[=scope.name | pipes]`. A quoted source has `literal`, a generator `made`, and no name.

    `built_in`: it is one of BUILT_IN, and no column of that name. `asks`: what is asked of this
    request or this answer, as (`sent`, subject), (`answer`, subject) or (`request`, part)."""

    text: str
    scope: str | None = None
    name: str = ""
    literal: str | None = None
    pipes: tuple[Pipe, ...] = ()
    raw: bool = False
    made: Generated | None = None
    asks: tuple[str, str] | None = None
    built_in: bool = False

    def inner(self) -> Iterator[Reference]:
        """The references inside its arguments."""
        if self.made is not None and self.made.inner is not None:
            yield from self.made.inner.references()
        for pipe in self.pipes:
            if pipe.inner is not None:
                yield from pipe.inner.references()

    @property
    def forgiving(self) -> bool:
        """Whether it has a default for a value that is missing."""
        return any(pipe.name == "default" for pipe in self.pipes)

    @property
    def full_name(self) -> str:
        return f"{self.scope}.{self.name}" if self.scope else self.name


class Template(Struct, frozen=True):
    """Text with references in it. `parts` alternate freely; adjacent references are allowed."""

    text: str
    parts: tuple[str | Reference, ...]
    single: Reference | None = None
    """The reference, if the text is exactly one (and so takes the value's own type); found in the
    parts."""

    def __post_init__(self) -> None:
        alone = self.parts[0] if len(self.parts) == 1 else None
        force_setattr(self, "single", alone if isinstance(alone, Reference) else None)

    @property
    def fixed(self) -> str | None:
        """The text, if no reference stands in it."""
        if not self.parts:
            return ""
        return self.parts[0] if len(self.parts) == 1 and isinstance(self.parts[0], str) else None

    def references(self) -> Iterator[Reference]:
        """Every reference, those inside arguments too."""
        for part in self.parts:
            if isinstance(part, Reference):
                yield part
                yield from part.inner()


NO_TEMPLATE = Template("", ())


@lru_cache(maxsize=4096)
def read_template(text: str) -> Template:
    """Split text into fixed parts and references. Raises Unreadable."""
    parts: list[str | Reference] = []
    at = 0
    while True:
        begin = text.find("[=", at)
        if begin < 0:
            break
        if begin > at:
            parts.append(text[at:begin])
        end, pieces = split_pieces(text, begin + 2)
        parts.append(_reference(text[begin:end], pieces))
        at = end
    if at < len(text):
        parts.append(text[at:])
    return Template(text, tuple(parts))


def split_pieces(text: str, at: int) -> tuple[int, list[str]]:
    """Cut `source | pipe | pipe]` into its pieces. Returns the index after the closing bracket."""
    pieces: list[str] = []
    begin = at
    depth = 0
    while at < len(text):
        char = text[at]
        if char in "\"'":
            at = _after_quote(text, at)
            continue
        if char == "/" and text[begin:at].rstrip().endswith(_BEFORE_PATTERN):
            at = _after_quote(text, at)
            continue
        if char == "[":
            depth += 1
        elif char == "]":
            if depth == 0:
                pieces.append(text[begin:at])
                return at + 1, pieces
            depth -= 1
        elif char == "|" and depth == 0 and text[at - 1 : at] == " ":
            pieces.append(text[begin:at])
            begin = at + 1
        at += 1
    raise Unreadable(f"the reference {text[max(begin - 2, 0) : begin + 20]!r} is not closed with ]")


def _after_quote(text: str, at: int) -> int:
    quote = text[at]
    at += 1
    while at < len(text):
        if text[at] == "\\":
            at += 2
        elif text[at] == quote:
            return at + 1
        else:
            at += 1
    raise Unreadable(f"a {quote} is not closed in {text[-40:]!r}")


def _reference(text: str, pieces: list[str]) -> Reference:
    source = pieces[0].strip()
    pipes = tuple(read_pipe(piece.strip(), read_template) for piece in pieces[1:])
    raw = any(pipe.name == "raw" for pipe in pipes)
    kept = tuple(pipe for pipe in pipes if pipe.name != "raw")
    if source[:1] in ("'", '"'):
        return Reference(text, literal=unquote(source), pipes=kept, raw=raw)
    if source in BUILT_IN:
        scope, _, name = source.partition(".")
        return Reference(text, scope, name, pipes=kept, raw=raw, built_in=True)
    if source in OF_REQUEST:
        return Reference(text, pipes=kept, raw=raw, asks=("request", source.partition(".")[2]))
    first, _, rest = source.partition(" ")
    if first in FIRST_WORDS:
        return Reference(text, pipes=kept, raw=raw, made=_generated(source, text))
    if first in ASKED:
        return Reference(
            text, pipes=kept, raw=raw, asks=(first, _subject(first, rest.strip(), text))
        )
    scope, dot, rest = source.partition(".")
    if dot and scope in SCOPES:
        return Reference(text, scope, _name(rest, text), pipes=kept, raw=raw)
    if dot and _NAME.fullmatch(scope):
        raise Unreadable(f"{text}: there is no scope {scope!r}; the scopes are {', '.join(SCOPES)}")
    if source in RESERVED:
        raise Unreadable(
            f"{text}: {source!r} is a reserved word; name a value in it, such as [={source}.name]"
        )
    return Reference(text, None, _name(source, text), pipes=kept, raw=raw)


def _generated(source: str, whole: str) -> Generated:
    try:
        return read_generator(source, read_template)
    except Unreadable as problem:
        raise Unreadable(f"{whole}: {problem}") from None


def _subject(first: str, rest: str, whole: str) -> str:
    if not rest:
        raise Unreadable(f"{whole}: {first} needs what is asked for, such as [={first} $.id]")
    return unquote(rest) if rest[0] in "\"'" else rest


def _name(text: str, whole: str) -> str:
    if len(text) > 2 and text[0] == "'" and text[-1] == "'":
        return text[1:-1].replace("''", "'")
    if _NAME.fullmatch(text):
        return text
    raise Unreadable(
        f"{whole}: {text!r} is not a name; a name begins with a letter and holds letters, digits, "
        "- and _"
        if text
        else f"{whole}: a name is missing"
    )


def named(text: str) -> Reference:
    """The reference of a value's name, with or without its scope. Raises Unreadable."""
    reference = read_template(f"[={text}]").single
    if reference is None or not reference.name or reference.pipes:
        raise Unreadable(f"{text!r} is not the name of a value")
    return reference


def literal(text: str) -> str:
    """Text of somebody else's in a document: what would read as a reference is written so that it
    does not."""
    return text.replace("[=", "[='[=']")


def written_name(name: str) -> str:
    """A name as a reference has it: `length`, or in quotes `'Gross tonnage'`."""
    return name if is_name(name) else "'" + name.replace("'", "''") + "'"


def is_name(text: str) -> bool:
    """Whether text can name a value without quotes and is not reserved."""
    return bool(_NAME.fullmatch(text)) and text not in RESERVED


def compile_tree(data: Any) -> Any:
    """A plain value with every text that holds references turned into a Template; unchanged if none
    does."""
    if isinstance(data, str):
        return read_template(data) if "[=" in data else data
    if isinstance(data, list):
        return [compile_tree(item) for item in data] if holds_reference(data) else data
    if isinstance(data, dict):
        return (
            {key: compile_tree(item) for key, item in data.items()}
            if holds_reference(data)
            else data
        )
    return data


def holds_reference(data: Any) -> bool:
    if isinstance(data, str):
        return "[=" in data
    if isinstance(data, list):
        return any(map(holds_reference, data))
    if isinstance(data, dict):
        return any(map(holds_reference, data.values()))
    return False


def references_in(data: Any) -> Iterator[Reference]:
    """Every reference in a compiled tree, a template or a list of them."""
    if isinstance(data, Template):
        yield from data.references()
    elif isinstance(data, (list, tuple)):
        for item in data:
            yield from references_in(item)
    elif isinstance(data, dict):
        for item in data.values():
            yield from references_in(item)


def written_tree(tree: Any) -> Any:
    """A compiled tree as a document has it."""
    if isinstance(tree, Template):
        return tree.text
    if isinstance(tree, list):
        return [written_tree(item) for item in tree]
    if isinstance(tree, dict):
        return {key: written_tree(item) for key, item in tree.items()}
    return tree
