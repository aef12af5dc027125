"""What the API takes, as types: each is the shape of an endpoint's body in our OpenAPI document and
what its view works with (`taking.py`). A description completes “Give …”, which is what the answer
says where a body does not fit."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from msgspec import UNSET, Meta, Struct, UnsetType

from saltpath.formats.workbook import MOST_COLUMNS, MOST_ROWS

MOST_SHEET_ROWS = 5_000


def _filled(most: int, what: str) -> Meta:
    """That a text is not empty, nor longer than so many characters."""
    said = f"{what} of 1 to {most} characters"
    return Meta(min_length=1, max_length=most, pattern=r"\S", description=said)


class Body(Struct, frozen=True, rename="camel", forbid_unknown_fields=True):
    """A JSON object with just these properties."""


Id = Annotated[str, Meta(max_length=100)]
Name = Annotated[str, _filled(200, "a name")]
NameOfSource = Annotated[str, _filled(100, "the source a name")]
NameOfEnvironment = Annotated[str, _filled(60, "a name")]
NameOfValue = Annotated[
    str,
    Meta(
        max_length=200,
        description="a name that begins with a letter and holds letters, digits, - and _; some "
        "words are reserved",
    ),
]
StepKey = Annotated[str, Meta(max_length=64, description="the key of a step")]
Document = dict[str, Any]


# ---- projects, suites, environments


class NewProject(Body, frozen=True):
    name: Name


class NewSuite(Body, frozen=True):
    project: Id
    name: Name
    into: Id | UnsetType = UNSET
    """The suite that is the folder it stands in."""


class SuiteChange(Body, frozen=True):
    """Only what is given changes."""

    name: Name | UnsetType = UNSET
    about: Annotated[str, Meta(description="what it is about as a text")] | UnsetType = UNSET
    in_order: bool | UnsetType = UNSET
    """Its cases need each other: they run one after the other."""
    tags: list[str] | UnsetType = UNSET
    """What all its cases are found by."""
    into: Id | UnsetType | None = UNSET
    """The suite that is the folder it stands in; null: none."""
    before: Id | UnsetType | None = UNSET
    """The suite that it stands before; null: it is the last."""


class EveryAnswerChange(Body, frozen=True):
    checks: Annotated[list[Any], Meta(description="the checks as a list")]


class SignInChange(Body, frozen=True):
    auth: Annotated[
        Document | str | None,
        Meta(
            description="the sign-in as auth: an object of one kind, none, or null for nothing said"
        ),
    ]


class NewEnvironment(Body, frozen=True):
    project: Id
    name: NameOfEnvironment
    like: Id = ""
    """Another one, whose values it begins with."""


class EnvironmentChange(Body, frozen=True):
    """Only what is given changes."""

    name: NameOfEnvironment | UnsetType = UNSET
    about: str | UnsetType = UNSET
    guarded: bool | UnsetType = UNSET
    usual: bool = False


class KeptRules(Body, frozen=True):
    """Some of the rules of what is kept."""

    run_days: int | UnsetType = UNSET
    least_runs: int | UnsetType = UNSET
    most_runs: int | UnsetType = UNSET
    evidence_days: int | UnsetType = UNSET
    bad_evidence_days: int | UnsetType = UNSET
    trial_days: int | UnsetType = UNSET
    event_days: int | UnsetType = UNSET
    watch_days: int | UnsetType = UNSET
    watch_evidence_days: int | UnsetType = UNSET


class KeepingChange(KeptRules, frozen=True):
    seen: KeptRules = KeptRules()
    """Rules that must still be as they were seen."""


class HistoryMost(Body, frozen=True):
    megabytes: (
        Annotated[
            int,
            Meta(ge=50, le=100_000_000, description="megabytes as a whole number of at least 50"),
        ]
        | None
    )
    """null: as much as there is."""


# ---- deliveries


class DeliveryRuleChange(Body, frozen=True):
    """Only what is given changes."""

    address: (
        Annotated[
            str, Meta(max_length=2_000, description="an address such as https://host/results")
        ]
        | UnsetType
    ) = UNSET
    form: Literal["junit", "json", "markdown"] | UnsetType = UNSET
    header: (
        Annotated[
            str,
            Meta(
                max_length=100,
                pattern=r"^([!#$%&'*+.^_`|~0-9A-Za-z-]+)?$",
                description="the name of a header, such as X-Key",
            ),
        ]
        | UnsetType
    ) = UNSET
    key: (
        Annotated[
            str,
            Meta(
                max_length=4_000,
                pattern=r"^[\x20-\x7e]*$",
                description="the key as a text of ASCII letters without line breaks",
                extra_json_schema={"writeOnly": True},
            ),
        ]
        | UnsetType
    ) = UNSET
    """The header's value, which nobody reads again."""
    suite: Id | UnsetType = UNSET
    environment: Annotated[str, Meta(max_length=200)] | UnsetType = UNSET
    bad: bool | UnsetType = UNSET


class NewDeliveryRule(DeliveryRuleChange, frozen=True, kw_only=True):
    """Where results of runs are to go."""

    project: Id


# ---- known causes


class SaidOfCause(Body, frozen=True):
    """What is said of a cause that is known."""

    owner: Annotated[str, Meta(max_length=200, description="who looks after it as a text")]
    note: Annotated[str, Meta(max_length=2_000, description="a note as a text")]
    until: Annotated[
        str,
        Meta(
            pattern=r"^\d{4}-\d{2}-\d{2}$",
            description="the last day on which it is no news, as 2026-12-24",
        ),
    ]


class KnownCause(Body, frozen=True):
    run: Id
    """A run in which it was met."""
    said: SaidOfCause
    seen: SaidOfCause | None
    """What must still be said of it; null: nothing."""


# ---- values


class ValueChange(Body, frozen=True):
    kind: Literal["put", "clear", "hide", "remove", "restore"]
    name: str
    suite: Id = ""
    environment: str = ""
    text: str = ""


class ValueChanges(Body, frozen=True):
    project: Id
    changes: Annotated[
        list[ValueChange], Meta(max_length=20_000, description="a list of at most 20000 changes")
    ]


class NewValueName(Body, frozen=True):
    project: Id
    name: str
    to: NameOfValue
    suite: Id = ""


class Lift(Body, frozen=True):
    project: Id
    literal: Annotated[
        str,
        Meta(
            min_length=1,
            max_length=2_000,
            description="what is to be lifted, a text of 1 to 2000 letters",
        ),
    ]
    name: NameOfValue
    take: bool = False
    left: dict[str, list[str]] = {}
    """By case, the places that stay as they are."""


# ---- cases


class TextToRead(Body, frozen=True):
    text: Annotated[str, Meta(description="it as text")]


class CaseDocument(Body, frozen=True):
    """Either of both."""

    document: Document | UnsetType = UNSET
    text: str | UnsetType = UNSET


class NewCase(CaseDocument, frozen=True, kw_only=True):
    project: Id
    suite: Id


class CaseMove(Body, frozen=True):
    suite: Id
    before: Id | None = None
    """The case that it stands before; null: it is the last."""


class CaseRole(Body, frozen=True):
    role: Literal["", "set up", "clean up"]
    """Whether it sets its suite up, once before the others, or cleans up after it."""


class Tab(Body, frozen=True):
    tab: Annotated[
        str,
        Meta(min_length=1, max_length=64, description="the tab as a text of at most 64 characters"),
    ]
    step: StepKey = ""
    leaving: bool = False


class Typed(Body, frozen=True):
    text: Annotated[str, Meta(max_length=300_000, description="the sentence as text")]
    step: StepKey


class ToInsert(Body, frozen=True):
    text: Annotated[str, Meta(max_length=2_000, description="what is typed after [= as text")]
    step: StepKey


class ToClean(Body, frozen=True):
    of: Annotated[str, Meta(max_length=20_000, description="the place with its pipes as of")]
    step: StepKey


class NewSharedSteps(Body, frozen=True):
    project: Id
    document: Annotated[
        Document,
        Meta(description="the shared steps as document; it begins with shared: and their name"),
    ]


class ToShare(Body, frozen=True):
    steps: Annotated[list[str], Meta(min_length=1, description="the keys of the steps as steps")]
    name: Name


class NewSingleRequest(Body, frozen=True):
    project: Id
    step: Annotated[
        Document, Meta(description="the request as step, a request step of the case format")
    ]


class PlaceForRequest(Body, frozen=True):
    """A case; or a suite, and what a new case there is called."""

    suite: Id = ""
    name: str = ""
    case: Id = ""


# ---- sheets and workbooks


class SheetCells(Body, frozen=True):
    """The cells of a check's row."""

    step: Annotated[str, Meta(max_length=20_000)] = ""
    of: Annotated[str, Meta(max_length=20_000)] = ""
    relation: Annotated[str, Meta(max_length=20_000)] = ""
    expected: Annotated[str, Meta(max_length=20_000)] = ""


class SheetRows(Body, frozen=True):
    rows: Annotated[
        list[SheetCells],
        Meta(
            max_length=MOST_SHEET_ROWS,
            description=f"a list of at most {MOST_SHEET_ROWS} rows as rows",
        ),
    ]


class RequestCells(Body, frozen=True):
    step: StepKey
    cells: Annotated[dict[str, str], Meta(description="the request's cells, each a text")]


class TableRows(Body, frozen=True):
    columns: Annotated[list[str], Meta(min_length=1, max_length=MOST_COLUMNS)]
    table: Annotated[
        list[list[str]],
        Meta(
            max_length=MOST_ROWS,
            description=f"a table of at most {MOST_ROWS} rows, each a list of texts",
        ),
    ]
    first: Annotated[
        int, Meta(ge=0, lt=2**31, description="the number of the table's first row")
    ] = 0
    otherwise: Annotated[
        str, Meta(max_length=200, description="the name of the case for rows that name none")
    ] = ""
    case: Id | UnsetType = UNSET
    take: bool = False
    headings: list[str] | UnsetType = UNSET


# ---- rows of data


class NewSource(Body, frozen=True):
    project: Id
    name: NameOfSource
    document: Any


class SourceChange(Body, frozen=True):
    """Only what is given changes."""

    document: Any | UnsetType = UNSET
    to: NameOfSource | UnsetType = UNSET
    seen: Any | UnsetType = UNSET
    """What it must still be."""


class SourceToLookAt(Body, frozen=True):
    project: Id
    document: Any


class VersionsToCompare(Body, frozen=True):
    project: Id
    document: Any
    before: int
    after: int


class DatabaseDocument(Body, frozen=True):
    document: Any
    seen: Any | UnsetType = UNSET
    """What must still stand there; null: nothing."""


class NewLook(Body, frozen=True):
    """The tables of a database, the first rows of one, or those of a data source."""

    project: Id
    database: str = ""
    table: Annotated[str, Meta(max_length=300, description="the name of a table")] = ""
    rows: Any | UnsetType = UNSET
    environment: str = ""
