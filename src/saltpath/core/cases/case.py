"""The words of the trade as types: a case, its steps, their checks and keeps; a project, its suites
and environments.

All are frozen and hold templates already read; `format/reader.py` makes them. Durations are integer
microseconds, sizes bytes. `Place` says where in the document a thing stands, for messages.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any, Literal

from msgspec import Struct, field
from msgspec.structs import replace

from saltpath.core.answers.subjects import Subject
from saltpath.core.cases.options import NO_OPTIONS, Options
from saltpath.core.cases.row_sources import Source
from saltpath.core.cases.statement import Asked
from saltpath.core.references.templates import Reference, Template
from saltpath.core.values.why import Why

Part = Literal["once", "steps", "afterwards", "at the end"]
PARTS: tuple[Part, ...] = ("once", "steps", "afterwards", "at the end")
CLEANING: tuple[Part, ...] = ("once", "afterwards", "at the end")
"""Parts in which a step without checks does not count below status 400."""


class Place(Struct, frozen=True):
    """Where something stands: a document path such as `steps[0].expect[1]`, and the line (1-based;
    0 unknown)."""

    path: str = ""
    line: int = 0


NOWHERE = Place()


class Placed(Struct, frozen=True, eq=False):
    """What stands somewhere in a document. Two of a kind are equal if all that is written in them
    is: neither where they stand (`place`) nor the quick way made of them (`quick`) counts."""

    def __eq__(self, other: object) -> bool:
        return type(self) is type(other) and self._written() == other._written()

    def __hash__(self) -> int:
        return hash(self._written())

    def _written(self) -> tuple[object, ...]:
        names = self.__struct_fields__
        return tuple(getattr(self, name) for name in names if name not in ("place", "quick"))


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


def unsure(status: int, document: Any) -> None:
    """The quick way of what has none."""


class Check(Placed, frozen=True):
    """One thing that must hold: of a subject, a relation, an expected value (a compiled tree;
    `fixed`: no reference in it, so it is the value itself).

    `quick`, from the status and the body's document (MISSING if it is not JSON), gives the outcome
    of a check that passes, or None where it is not sure (see `judge.quickly`). Most checks pass
    most of the time, and this is their way."""

    of: Subject
    relation: str
    expected: Any
    any: bool = False
    advice: bool = False
    off: bool = False
    note: str = ""
    sentence: str = ""
    fixed: bool = False
    quick: Callable[[int, Any], Any] = unsure
    place: Place = NOWHERE


class Group(Placed, frozen=True):
    """Several checks as one. `when`: if those hold, `parts` must, else `otherwise`; `for each`:
    `parts` must hold of every item of the subject `of`; `any of`, `all of`, `none of` of
    `parts`."""

    kind: Literal["when", "any of", "all of", "none of", "for each"]
    parts: tuple[Expectation, ...]
    when: tuple[Expectation, ...] = ()
    otherwise: tuple[Expectation, ...] = ()
    of: Subject | None = None
    may_be_empty: bool = False
    advice: bool = False
    off: bool = False
    note: str = ""
    sentence: str = ""
    quick: Callable[[int, Any], Any] = unsure
    place: Place = NOWHERE


Expectation = Check | Group


def checks_in(items: Iterable[Expectation]) -> Iterator[Check]:
    """Every check, those inside groups too."""
    for item in items:
        if isinstance(item, Check):
            yield item
        else:
            yield from checks_in((*item.when, *item.parts, *item.otherwise))


def subjects_in(items: Iterable[Expectation]) -> Iterator[Subject]:
    """Every subject, in the order of the document."""
    for item in items:
        if isinstance(item, Check):
            yield item.of
        else:
            if item.of is not None:
                yield item.of
            yield from subjects_in((*item.when, *item.parts, *item.otherwise))


class Keep(Placed, frozen=True):
    """A value taken from an answer under a name."""

    name: str
    of: Subject
    secret: bool = False
    place: Place = NOWHERE


class Repeat(Struct, frozen=True):
    """Send again until the checks hold, or so long at most. Lengths in microseconds."""

    until: tuple[Expectation, ...]
    every_us: int
    at_most_us: int


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


class Request(Placed, frozen=True):
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
    kind: Literal["request"] = "request"


class LookUp(Placed, frozen=True):
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
    kind: Literal["look up"] = "look up"


class SetValues(Placed, frozen=True):
    """Values computed once, under names."""

    name: str
    key: str
    values: tuple[tuple[str, Any], ...]
    only_if: tuple[Expectation, ...] = ()
    write: Write | None = None
    off: bool = False
    place: Place = NOWHERE
    kind: Literal["set"] = "set"


class Wait(Placed, frozen=True):
    """A pause."""

    name: str
    key: str
    us: int
    only_if: tuple[Expectation, ...] = ()
    off: bool = False
    place: Place = NOWHERE
    kind: Literal["wait"] = "wait"


class UseShared(Placed, frozen=True):
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
    kind: Literal["shared"] = "shared"


class ForEach(Placed, frozen=True):
    """Steps for each item of a list; the item has the name `item`, nearest of all."""

    name: str
    key: str
    of: Any
    item: str
    steps: tuple[Step, ...]
    only_if: tuple[Expectation, ...] = ()
    off: bool = False
    place: Place = NOWHERE
    kind: Literal["for each"] = "for each"


Answered = Request | LookUp
"""Steps that get something to check and to keep."""

Step = Request | LookUp | SetValues | Wait | UseShared | ForEach


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
            if isinstance(step, ForEach):
                step = replace(step, steps=tuple(map(of, step.steps)))
            return change(step)

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
    if isinstance(step, ForEach):
        for index, inner in enumerate(step.steps, 1):
            yield from numbered(inner, f"{number}.{index}")


def keeps_of(step: Step) -> tuple[str, ...]:
    """The names under which a step keeps values for those after it, those of the steps inside it
    too."""
    if isinstance(step, Answered):
        return tuple(keep.name for keep in step.keep)
    if isinstance(step, SetValues):
        return tuple(name for name, _ in step.values)
    if isinstance(step, UseShared):
        return tuple(here for _, here in step.gives)
    if isinstance(step, ForEach):
        return tuple(name for inner in step.steps for name in keeps_of(inner))
    return ()


class Suite(Struct, frozen=True):
    """An ordered list of cases: their file names in order, values and options they share.
    `values_in`: how its values read in an environment, by the environment's name."""

    name: str
    about: str = ""
    values: NamedValues = field(default_factory=NamedValues)
    values_in: dict[str, NamedValues] = field(default_factory=dict)
    options: Options = NO_OPTIONS
    every_answer: tuple[Expectation, ...] = ()
    auth: Auth | None = None
    order: tuple[str, ...] = ()


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
