"""The words of the trade as types: a case, its steps, their checks and keeps; a project, its suites
and environments.

All are frozen and hold templates already read; `format/reader.py` makes them. Durations are integer
microseconds, sizes bytes. `Place` says where in the document a thing stands, for messages.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any, ClassVar, Literal

from msgspec import Struct, field
from msgspec.structs import replace

from saltpath.core.cases.expectations import NOWHERE, Expectation, Keep, Place, Placed, Repeat
from saltpath.core.cases.options import NO_OPTIONS, Options
from saltpath.core.cases.row_sources import Source
from saltpath.core.cases.statement import Asked
from saltpath.core.references.templates import Reference, Template
from saltpath.core.values.why import Why

Part = Literal["once", "steps", "afterwards", "at the end"]
PARTS: tuple[Part, ...] = ("once", "steps", "afterwards", "at the end")
SAFE = frozenset(["GET", "HEAD", "OPTIONS", "TRACE"])
"""Methods that change nothing (RFC 9110, 9.2.1)."""
CLEANING: tuple[Part, ...] = ("once", "afterwards", "at the end")
"""Parts in which a step without checks does not count below status 400."""


class MultipartPart(Struct, frozen=True):
    """One part of a multipart body: a text, or a file of the project."""

    name: Template
    text: Template | None
    file: Template | None
    media_type: str = ""


class Body(Struct, frozen=True):
    """What is sent. `json`: a `JsonText` or a compiled tree; `xml`: an `XmlText`; `text`: a
    Template with `media_type`; `form`: pairs; `multipart`: parts; `file`: a Template of its path,
    with `media_type`."""

    kind: Literal["json", "xml", "text", "form", "multipart", "file"]
    content: Any
    media_type: str = ""


class JsonText(Struct, frozen=True):
    """A JSON text kept byte for byte; each string with references is a (Template, is an object key)
    piece."""

    pieces: tuple[str | tuple[Template, bool], ...]


class XmlText(Struct, frozen=True):
    """An XML text kept as written; each reference stands with the place it is in: `text`,
    `attribute` or `cdata`."""

    pieces: tuple[str | tuple[Reference, str], ...]


class Auth(Struct, frozen=True):
    """How a request signs in. `parts` by kind: `bearer` a token; `basic` and `digest` user and
    password; `key` its value, with its place and name in `at`; `oauth2` token url, client id,
    client secret and scope; `none` says that it does not, though what lies around it does."""

    kind: Literal["bearer", "basic", "digest", "key", "oauth2", "none"]
    parts: tuple[Template, ...]
    at: tuple[str, str] = ("", "")


class Cell(Struct, frozen=True):
    """A column of an output table: a subject, or a compiled tree; `of_step`: its verdict, or
    why."""

    of: Any
    of_step: str = ""


class Write(Placed, frozen=True):
    """A row for an output table, by its columns."""

    table: str
    columns: tuple[tuple[str, Cell], ...]
    place: Place = NOWHERE


class Database(Placed, frozen=True):
    """Where a database stands: a SQLite file, or PostgreSQL as `host:port/name`. `may_change`:
    statements that change something are allowed. `tls`: off, require, verify, or empty for whatever
    the server offers."""

    kind: Literal["sqlite", "postgres"]
    at: Template
    user: Template | None = None
    password: Template | None = None
    tls: str = ""
    may_change: bool = False
    place: Place = NOWHERE


class Step(Placed, frozen=True, eq=False):
    """One thing that a case does. What a kind has nothing of is empty here; how kinds are written
    stands in `format/reader.py` (`STEP_READERS`), how they are carried out in `engine/walk.py`
    (`CARRY_OUT`)."""

    kind: ClassVar[str] = ""
    answered: ClassVar[bool] = False
    """Whether it gets something to check and to keep."""
    sends: ClassVar[bool] = False
    """Whether that is a request's answer."""
    only_sets: ClassVar[bool] = False
    """Whether it keeps values and asks nobody."""

    @property
    def name(self) -> str:
        raise NotImplementedError

    @property
    def key(self) -> str:
        raise NotImplementedError

    @property
    def off(self) -> bool:
        raise NotImplementedError

    @property
    def only_if(self) -> tuple[Expectation, ...]:
        raise NotImplementedError

    @property
    def place(self) -> Place:
        raise NotImplementedError

    @property
    def expect(self) -> tuple[Expectation, ...]:
        return ()

    @property
    def keep(self) -> tuple[Keep, ...]:
        return ()

    @property
    def options(self) -> Options:
        return NO_OPTIONS

    @property
    def address(self) -> Template | None:
        """Where it sends to; None: it sends nothing."""
        return None

    @property
    def repeat(self) -> Repeat | None:
        return None

    @property
    def write(self) -> Write | None:
        return None

    @property
    def inside(self) -> tuple[Step, ...]:
        """The steps inside it that belong to its case."""
        return ()

    @property
    def carried_out(self) -> tuple[Step, ...]:
        """The steps that it carries out, also those of shared steps."""
        return self.inside

    @property
    def inherited(self) -> tuple[tuple[str, Expectation], ...]:
        """The checks on every answer that hold here, each with where it comes from."""
        return ()

    @property
    def asks(self) -> bool:
        """Whether its checks ask the request or the answer beyond their subjects."""
        return False

    @property
    def uses(self) -> str:
        """The name of the shared steps that it stands for; empty: of none."""
        return ""

    @property
    def problem(self) -> Why | None:
        """Why it cannot be carried out, where that is known before."""
        return None

    @property
    def item_name(self) -> str:
        """The name that each item has for the steps inside it; empty: there are no items."""
        return ""

    def with_inside(self, change: Callable[[Step], Step]) -> Step:
        """The same with the steps inside it changed."""
        return self

    def keeps(self) -> tuple[str, ...]:
        """The names under which it keeps values for those after it, those of the steps inside it
        too."""
        return tuple(keep.name for keep in self.keep)

    def may_change(self) -> bool:
        """Whether it may change something where it is sent, or looks."""
        return False

    def where_to(self) -> str:
        """Where it goes, in a line."""
        return ""


class Request(Step, frozen=True, eq=False):
    """A request step: what is sent, what must hold of the answer, what is kept. `inherited`: the
    checks on every answer that it does not except itself from, each with where it comes from.
    `signed_by`: where its sign-in comes from, `case`, `suite` or `project`; empty for its own.
    `signs`: its head asks for the finished request; `asks`: its checks ask the request or the
    answer."""

    name: str
    key: str
    method: str
    address: Template
    query: tuple[tuple[str, Template], ...] = ()
    headers: tuple[tuple[str, Template], ...] = ()
    auth: Auth | None = None
    signed_by: str = ""
    body: Body | None = None
    options: Options = NO_OPTIONS
    expect: tuple[Expectation, ...] = ()
    keep: tuple[Keep, ...] = ()
    only_if: tuple[Expectation, ...] = ()
    repeat: Repeat | None = None
    without: tuple[str, ...] = ()
    inherited: tuple[tuple[str, Expectation], ...] = ()
    write: Write | None = None
    signs: bool = False
    asks: bool = False
    off: bool = False
    place: Place = NOWHERE
    kind: ClassVar[str] = "request"
    answered: ClassVar[bool] = True
    sends: ClassVar[bool] = True

    def may_change(self) -> bool:
        return self.method.upper() not in SAFE

    def where_to(self) -> str:
        return f"{self.method} {self.address.text}"


class LookUp(Step, frozen=True, eq=False):
    """Rows that are looked up in a database of the project. `changes`: whether the statement may
    change something; `most`: how many rows at most; with more the step is blocked. It has no checks
    on every answer."""

    name: str
    key: str
    database: str
    asked: Asked
    changes: bool = False
    most: int = 1_000
    options: Options = NO_OPTIONS
    expect: tuple[Expectation, ...] = ()
    keep: tuple[Keep, ...] = ()
    only_if: tuple[Expectation, ...] = ()
    repeat: Repeat | None = None
    inherited: tuple[tuple[str, Expectation], ...] = ()
    write: Write | None = None
    asks: bool = False
    off: bool = False
    place: Place = NOWHERE
    kind: ClassVar[str] = "look up"
    answered: ClassVar[bool] = True

    def may_change(self) -> bool:
        return self.changes

    def where_to(self) -> str:
        return f"{self.database}: {self.asked.sql.text if self.asked.sql else self.asked.table}"


class SetValues(Step, frozen=True, eq=False):
    """Values computed once, under names."""

    name: str
    key: str
    values: tuple[tuple[str, Any], ...]
    only_if: tuple[Expectation, ...] = ()
    write: Write | None = None
    off: bool = False
    place: Place = NOWHERE
    kind: ClassVar[str] = "set"
    only_sets: ClassVar[bool] = True

    def keeps(self) -> tuple[str, ...]:
        return tuple(name for name, _ in self.values)


class Wait(Step, frozen=True, eq=False):
    """A pause."""

    name: str
    key: str
    us: int
    only_if: tuple[Expectation, ...] = ()
    off: bool = False
    place: Place = NOWHERE
    kind: ClassVar[str] = "wait"


class UseShared(Step, frozen=True, eq=False):
    """Shared steps, carried out here. `of`: by which name (that of their file); `given`: what their
    inputs are; `gives`: which output is kept under which name. `shared`: the steps themselves once
    they are known (see shared.py), else `problem` says why not."""

    name: str
    key: str
    of: str
    given: tuple[tuple[str, Any], ...] = ()
    gives: tuple[tuple[str, str], ...] = ()
    only_if: tuple[Expectation, ...] = ()
    off: bool = False
    shared: Case | None = None
    problem: Why | None = None
    place: Place = NOWHERE
    kind: ClassVar[str] = "shared"

    @property
    def uses(self) -> str:
        return self.of

    @property
    def carried_out(self) -> tuple[Step, ...]:
        return self.shared.steps if self.shared is not None else ()

    def keeps(self) -> tuple[str, ...]:
        return tuple(here for _, here in self.gives)


class ForEach(Step, frozen=True, eq=False):
    """Steps for each item of a list; the item has the name `item`, nearest of all."""

    name: str
    key: str
    of: Any
    item: str
    steps: tuple[Step, ...]
    only_if: tuple[Expectation, ...] = ()
    off: bool = False
    place: Place = NOWHERE
    kind: ClassVar[str] = "for each"

    @property
    def inside(self) -> tuple[Step, ...]:
        return self.steps

    @property
    def item_name(self) -> str:
        return self.item

    def with_inside(self, change: Callable[[Step], Step]) -> Step:
        return replace(self, steps=tuple(map(change, self.steps)))

    def keeps(self) -> tuple[str, ...]:
        return tuple(name for inner in self.steps for name in inner.keeps())


class Input(Struct, frozen=True):
    """What shared steps are given, under a name. `kind`: one of the kinds of JSON, or empty for
    any. `default`: a compiled tree, or `...` where a caller has to give it."""

    name: str
    kind: str = ""
    default: Any = ...


class NamedValues(Struct, frozen=True):
    """Values of a document by name; `secret` names have no value in files."""

    values: dict[str, Any] = field(default_factory=dict)
    secret: frozenset[str] = frozenset()


class Case(Placed, frozen=True):
    """One test: a path of steps with values. Shared steps are one, too (`is_shared`), with inputs,
    whose defaults are its values, and outputs."""

    name: str
    key: str = ""
    about: str = ""
    register: str = ""
    tags: tuple[str, ...] = ()
    values: NamedValues = field(default_factory=NamedValues)
    rows: Source | None = None
    options: Options = NO_OPTIONS
    stop_on_failure: bool = True
    every_answer: tuple[Expectation, ...] = ()
    auth: Auth | None = None
    once: tuple[Step, ...] = ()
    steps: tuple[Step, ...] = ()
    afterwards: tuple[Step, ...] = ()
    at_the_end: tuple[Step, ...] = ()
    is_shared: bool = False
    inputs: tuple[Input, ...] = ()
    outputs: tuple[tuple[str, Any], ...] = ()
    place: Place = NOWHERE

    def own_trees(self) -> list[Any]:
        """What is worked out beside its steps: for its rows, and what shared steps give."""
        rows = self.rows.trees() if self.rows is not None else []
        return [*rows, *(tree for _, tree in self.outputs)]

    def part(self, part: Part) -> tuple[Step, ...]:
        """The steps of one part."""
        steps: tuple[Step, ...] = getattr(self, _FIELDS[part])
        return steps

    def parts(self) -> Iterator[tuple[Part, int, Step]]:
        """Every step in the order of execution, with its part and its index there."""
        for part in PARTS:
            for index, step in enumerate(self.part(part)):
                yield part, index, step

    def every_step(self) -> Iterator[tuple[str, Step]]:
        """Every step with its number, in the order of execution: `4`, and `4.1` for the first
        inside a step for each item. What stands in shared steps belongs to them."""
        for number, (_, _, step) in enumerate(self.parts(), 1):
            yield from numbered(step, str(number))

    def mapped(self, change: Callable[[Step], Step]) -> Case:
        """The case with every step changed, those inside others first."""

        def of(step: Step) -> Step:
            return change(step.with_inside(of) if step.inside else step)

        once, steps, afterwards, at_the_end = (tuple(map(of, self.part(part))) for part in PARTS)
        return replace(self, once=once, steps=steps, afterwards=afterwards, at_the_end=at_the_end)


_FIELDS: dict[Part, str] = {
    "once": "once",
    "steps": "steps",
    "afterwards": "afterwards",
    "at the end": "at_the_end",
}


def numbered(step: Step, number: str) -> Iterator[tuple[str, Step]]:
    """A step with its number, and those inside it."""
    yield number, step
    for index, inner in enumerate(step.inside, 1):
        yield from numbered(inner, f"{number}.{index}")


class Suite(Struct, frozen=True):
    """An ordered list of cases: their file names in order, values and options they share; of
    suites, too: then it is a folder, and what it says reaches them. `values_in`: how its values
    read in an environment, by the environment's name."""

    name: str
    about: str = ""
    tags: tuple[str, ...] = ()
    """Of all its cases, as if each had them."""
    values: NamedValues = field(default_factory=NamedValues)
    values_in: dict[str, NamedValues] = field(default_factory=dict)
    options: Options = NO_OPTIONS
    every_answer: tuple[Expectation, ...] = ()
    auth: Auth | None = None
    order: tuple[str, ...] = ()
    in_order: bool = False
    """Its cases need each other: each begins when the one before it has ended."""
    set_up: tuple[str, ...] = ()
    """The cases that run once before the others, and hand their kept values down; by their keys or
    their files' names."""
    clean_up: tuple[str, ...] = ()
    """Those that run once after the others."""
    handed: frozenset[str] = frozenset()
    """The names of the values that are handed down, where these cases are known."""
    within: Suite | None = None
    """The folder that it stands in, where that is known."""
    id: str = ""
    """Which of a plan's it is; empty: that is not known."""
    secrets: dict[str, Any] = field(default_factory=dict)
    """What fills the values that it marks as secret, in the run's environment; of a name that is
    not here the plan's fill them."""

    @property
    def levels(self) -> tuple[Suite, ...]:
        """The folders that it stands in, the outermost first, and itself."""
        return (*(self.within.levels if self.within else ()), self)

    @property
    def every_tag(self) -> frozenset[str]:
        """What its cases are found by besides their own tags."""
        return frozenset(tag for level in self.levels for tag in level.tags)


class Environment(Struct, frozen=True):
    """One installation of the API: how the project's values read there."""

    name: str
    about: str = ""
    values: NamedValues = field(default_factory=NamedValues)
    guarded: bool = False


class Project(Struct, frozen=True):
    """One API landscape that a team tests."""

    name: str
    about: str = ""
    values: NamedValues = field(default_factory=NamedValues)
    options: Options = NO_OPTIONS
    every_answer: tuple[Expectation, ...] = ()
    auth: Auth | None = None
    zone: str = "UTC"
    environment: str = ""
    sources: dict[str, Source] = field(default_factory=dict)
    databases: dict[str, Database] = field(default_factory=dict)

    def source_of(self, rows: Source) -> Source | Why:
        """Rows by the name of a source as that source, or why there is none."""
        return rows.among(self.sources)
