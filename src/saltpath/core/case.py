"""The words of the trade as types: a case, its steps, their checks and keeps; a project, its suites and environments.

All are frozen and hold templates already read; `format/reader.py` makes them. Durations are integer microseconds, sizes
bytes. `Place` says where in the document a thing stands, for messages.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any, Literal

from saltpath.core.references import Template
from saltpath.core.subjects import Subject

Part = Literal["steps", "afterwards"]


@dataclass(frozen=True, slots=True)
class Place:
    """Where something stands: a document path such as `steps[0].expect[1]`, and the line (1-based; 0 unknown)."""

    path: str = ""
    line: int = 0


@dataclass(frozen=True, slots=True)
class Options:
    """How an exchange is carried out. None: the next wider level, or the default of `defaults`, decides."""

    timeout_us: int | None = None
    follow_redirects: bool | None = None
    verify_tls: bool | None = None
    largest_body: int | None = None

    def over(self, wider: Options) -> Options:
        """These options, with what they leave open taken from the wider level."""
        if self is NO_OPTIONS:
            return wider
        return Options(
            self.timeout_us if self.timeout_us is not None else wider.timeout_us,
            self.follow_redirects if self.follow_redirects is not None else wider.follow_redirects,
            self.verify_tls if self.verify_tls is not None else wider.verify_tls,
            self.largest_body if self.largest_body is not None else wider.largest_body,
        )


NO_OPTIONS = Options()
DEFAULTS = Options(timeout_us=30_000_000, follow_redirects=True, verify_tls=True, largest_body=50_000_000)


@dataclass(frozen=True, slots=True)
class Body:
    """What is sent. `json`: a `JsonText` or a compiled tree; `text`: a Template with `media_type`; `form`: pairs."""

    kind: Literal["json", "text", "form"]
    content: Any
    media_type: str = ""


@dataclass(frozen=True, slots=True)
class JsonText:
    """A JSON text kept byte for byte; each string with references is a (Template, is an object key) piece."""

    pieces: tuple[str | tuple[Template, bool], ...]


@dataclass(frozen=True, slots=True)
class Auth:
    """`bearer` with a token, or `basic` with a user and a password."""

    kind: Literal["bearer", "basic"]
    parts: tuple[Template, ...]


@dataclass(frozen=True, slots=True)
class Check:
    """One thing that must hold: of a subject, a relation, an expected value (a compiled tree; `fixed`: no reference in
    it, so it is the value itself).

    `quick`, from the status and the body's document, gives the outcome of a check that passes, or None where it is not
    sure (see `judge.quickly`). Most checks pass most of the time, and this is their way."""

    of: Subject
    relation: str
    expected: Any
    any: bool = False
    advice: bool = False
    off: bool = False
    note: str = ""
    sentence: str = ""
    fixed: bool = False
    quick: Callable[[int, Any], Any] | None = field(default=None, compare=False, repr=False)
    place: Place = field(default_factory=Place, compare=False)


@dataclass(frozen=True, slots=True)
class Keep:
    """A value taken from an answer under a name."""

    name: str
    of: Subject
    secret: bool = False
    place: Place = field(default_factory=Place, compare=False)


@dataclass(frozen=True, slots=True)
class Request:
    """A request step: what is sent, what must hold of the answer, what is kept."""

    name: str
    key: str
    method: str
    address: Template
    query: tuple[tuple[str, Template], ...] = ()
    headers: tuple[tuple[str, Template], ...] = ()
    auth: Auth | None = None
    body: Body | None = None
    options: Options = NO_OPTIONS
    expect: tuple[Check, ...] = ()
    keep: tuple[Keep, ...] = ()
    off: bool = False
    place: Place = field(default_factory=Place, compare=False)
    kind: Literal["request"] = "request"


@dataclass(frozen=True, slots=True)
class SetValues:
    """Values computed once, under names."""

    name: str
    key: str
    values: tuple[tuple[str, Any], ...]
    off: bool = False
    place: Place = field(default_factory=Place, compare=False)
    kind: Literal["set"] = "set"


@dataclass(frozen=True, slots=True)
class Wait:
    """A pause."""

    name: str
    key: str
    us: int
    off: bool = False
    place: Place = field(default_factory=Place, compare=False)
    kind: Literal["wait"] = "wait"


Step = Request | SetValues | Wait


@dataclass(frozen=True, slots=True)
class NamedValues:
    """Values of a document by name; `secret` names have no value in files."""

    values: dict[str, Any] = field(default_factory=dict)
    secret: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Case:
    """One test: a path of steps with values."""

    name: str
    key: str = ""
    about: str = ""
    register: str = ""
    tags: tuple[str, ...] = ()
    values: NamedValues = field(default_factory=NamedValues)
    options: Options = NO_OPTIONS
    stop_on_failure: bool = True
    steps: tuple[Step, ...] = ()
    afterwards: tuple[Step, ...] = ()
    place: Place = field(default_factory=Place, compare=False)

    def parts(self) -> Iterator[tuple[Part, int, Step]]:
        """Every step in the order of execution, with its part and its index there."""
        for index, step in enumerate(self.steps):
            yield "steps", index, step
        for index, step in enumerate(self.afterwards):
            yield "afterwards", index, step


@dataclass(frozen=True, slots=True)
class Suite:
    """An ordered list of cases: their file names in order, values and options they share."""

    name: str
    about: str = ""
    values: NamedValues = field(default_factory=NamedValues)
    options: Options = NO_OPTIONS
    order: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Environment:
    """One installation of the API: how the project's values read there."""

    name: str
    about: str = ""
    values: NamedValues = field(default_factory=NamedValues)
    guarded: bool = False


@dataclass(frozen=True, slots=True)
class Project:
    """One API landscape that a team tests."""

    name: str
    about: str = ""
    values: NamedValues = field(default_factory=NamedValues)
    options: Options = NO_OPTIONS
    zone: str = "UTC"
    environment: str = ""
