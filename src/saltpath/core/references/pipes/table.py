"""The table of pipes, and how one is read and applied.

Text and number pipes work on each item of a list. A pipe that does not fit its input blocks the
step.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, tzinfo
from typing import Any, Protocol

from msgspec import Struct

from saltpath.core.paths.offloading import LIMIT_S
from saltpath.core.values import plain
from saltpath.core.values.errors import SaltPathError
from saltpath.core.values.grammar import Pipe, Unreadable
from saltpath.core.values.nearest import nearest
from saltpath.core.values.why import Blocked, why

PATTERN_LIMIT_S = LIMIT_S
Args = tuple[Any, ...]
Read = Callable[[str], Args]


class Context(Protocol):
    """What a pipe may need beyond its input: the project's zone, and the references in its
    arguments."""

    @property
    def zone(self) -> tzinfo: ...

    def as_literals(self, template: Any, in_path: bool = False) -> str:
        """A template with its references written as literals, as an argument is written, or as
        names of a path."""
        ...

    def fill(self, tree: Any) -> Any:
        """A template's value."""
        ...


class _Alone:
    """Where a pipe is applied outside a run: UTC, and nothing to refer to."""

    zone = UTC

    def as_literals(self, template: Any, in_path: bool = False) -> str:
        raise Unfit("there are no values to refer to here")

    def fill(self, tree: Any) -> Any:
        raise Unfit("there are no values to refer to here")


ALONE: Context = _Alone()


class Unfit(SaltPathError, ValueError):
    """The pipe does not fit its input; the sentence says why."""

    code = "unfit"


class PipeKind(Struct, frozen=True):
    """One pipe. `shape` shows how it is written, `example` is (input, pipe as written, output).
    `each`: it works on each item of a list. `by_name`: its argument is the name of a value.
    `placed`: its function also takes the context."""

    name: str
    shape: str
    about: str
    read: Read
    apply: Callable[..., Any]
    example: tuple[Any, str, Any]
    each: bool = True
    by_name: bool = False
    placed: bool = False


KINDS: dict[str, PipeKind] = {}


def pipe(
    name: str,
    about: str,
    example: tuple[Any, str, Any],
    shape: str = "",
    read: Read | None = None,
    each: bool = True,
    by_name: bool = False,
    placed: bool = False,
) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Enter a function into the table under its name."""

    def register(apply: Callable[..., Any]) -> Callable[..., Any]:
        kind = PipeKind(
            name, shape or name, about, read or nothing(name), apply, example, each, by_name, placed
        )
        KINDS[name] = kind
        return apply

    return register


def nothing(name: str) -> Read:
    """Reads the arguments of a pipe that takes none."""

    def read(rest: str) -> Args:
        if rest:
            raise Unreadable(f"the pipe {name} takes nothing after it, found {rest!r}")
        return ()

    return read


def read_pipe(text: str, read_inner: Callable[[str], Any] | None = None) -> Pipe:
    """One pipe as written, `cut 0 to 5`. `read_inner` reads a template, for arguments that hold
    references.

    Raises Unreadable with the nearest known pipe."""
    name, rest = _named(text)
    rest = rest.strip()
    if name == "raw":
        return Pipe("raw", nothing("raw")(rest), text)
    kind = KINDS.get(name)
    if kind is None:
        near = nearest(name, KINDS)
        raise Unreadable(f"there is no pipe {name!r}" + (f"; did you mean {near}?" if near else ""))
    if kind.by_name:
        kind.read(rest)
        inner = read_inner(rest if rest.startswith("[=") else f"[={rest}]") if read_inner else None
        return Pipe(name, (), text, inner)
    if "[=" in rest and read_inner is not None:
        return Pipe(name, (), text, read_inner(rest))
    return Pipe(name, kind.read(rest), text)


def _named(text: str) -> tuple[str, str]:
    """The pipe's name, of up to two words, and the rest."""
    first, _, rest = text.partition(" ")
    second, _, after = rest.strip().partition(" ")
    return (f"{first} {second}", after) if f"{first} {second}" in KINDS else (first, rest)


def apply_pipes(value: Any, pipes: tuple[Pipe, ...], context: Context = ALONE) -> Any:
    """The value after its pipes, left to right. Raises Blocked."""
    for one in pipes:
        kind = KINDS[one.name]
        try:
            args = one.args if one.inner is None else _arguments(kind, one, context)
            if kind.placed:
                args = (context, *args)
            if kind.each and isinstance(value, list):
                value = [kind.apply(item, *args) for item in value]
            else:
                value = kind.apply(value, *args)
        except Unfit as problem:
            raise Blocked(
                why("pipe", pipe=one.text, value=plain.show(value, 60), problem=str(problem))
            ) from None
    return value


def _arguments(kind: PipeKind, one: Pipe, context: Context) -> Args:
    if kind.by_name:
        return (context.fill(one.inner),)
    try:
        return kind.read(context.as_literals(one.inner, in_path=one.name == "at"))
    except Unreadable as problem:
        raise Unfit(str(problem)) from None


def text_of(value: Any) -> str:
    """The input of a text pipe. Raises Unfit."""
    if not isinstance(value, str):
        raise Unfit(f"it is {plain.with_kind(value)}, not text; put | text before it")
    return value


def list_of(value: Any) -> list[Any]:
    """The input of a list pipe. Raises Unfit."""
    if not isinstance(value, list):
        raise Unfit(f"it is {plain.with_kind(value)}, not a list")
    return value
