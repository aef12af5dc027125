"""What the API takes of runs, and of what is made of them (see bodies.py)."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import UNSET, Meta, UnsetType

from saltpath.server.bodies import Body, Id, Name

MOST_JOBS = 64
MOST_ENVIRONMENTS = 6
MOST_REMOVED = 300
"""Things that are told of, and removed, at once."""
MOST_WAIT_S = 3_600
Title = Annotated[str, Meta(max_length=200, description="a title of at most 200 characters")]
Build = Annotated[str, Meta(max_length=200, description="the build as at most 200 characters")]
Note = Annotated[str, Meta(max_length=10_000, description="a note of at most 10,000 characters")]


class RunChange(Body, frozen=True):
    """What is said of a run; only what is given changes."""

    title: Name | UnsetType = UNSET
    build: Build | UnsetType = UNSET
    note: Note | UnsetType = UNSET


class NewRun(Body, frozen=True):
    """A run of cases, of a suite, or of everything; or a trial of some steps."""

    project: Id
    cases: (
        Annotated[list[Id], Meta(min_length=1, description="a list of at least one case's id")]
        | UnsetType
    ) = UNSET
    suite: Id | UnsetType = UNSET
    paths: (
        Annotated[
            list[Annotated[str, Meta(max_length=1_000)]],
            Meta(
                min_length=1,
                max_length=1_000,
                description="paths of cases and folders, as an export has them, as a list",
            ),
        ]
        | UnsetType
    ) = UNSET
    tags: Annotated[
        list[Annotated[str, Meta(max_length=200)]],
        Meta(max_length=100, description="tags as a list of texts"),
    ] = []
    """Of those that are meant, only cases with all of these tags."""
    only: Annotated[str, Meta(max_length=200, description="a part of a name as a text")] = ""
    """Of those that are meant, only cases whose name holds this text."""
    environment: str | UnsetType = UNSET
    environments: (
        Annotated[
            list[str],
            Meta(
                min_length=1,
                max_length=MOST_ENVIRONMENTS,
                description=f"at most {MOST_ENVIRONMENTS} environments as a list of names",
            ),
        ]
        | UnsetType
    ) = UNSET
    """Against each of these, side by side."""
    kind: Literal["run", "trial"] = "run"
    title: Title = ""
    build: Build = ""
    note: Note = ""
    wait: Annotated[
        float,
        Meta(ge=0, le=MOST_WAIT_S, description=f"wait as seconds, from 0 to {MOST_WAIT_S}"),
    ] = 0
    """The answer comes when the run has ended, or after so many seconds."""
    beat: Annotated[float, Meta(ge=0.1, le=55, description="beat as seconds, from 0.1 to 55")] = 15
    """While it waits, it sends a line break this often, so that nothing on the way hangs up."""
    wait_until_up: Annotated[
        float, Meta(ge=0, le=MOST_WAIT_S, description=f"seconds, from 0 to {MOST_WAIT_S}")
    ] = 0
    """So long it waits first until the services that it asks answer."""
    up_at: Annotated[str, Meta(max_length=2_000, description="an address as a text")] = ""
    """Until this address answers well, rather than the services at all; `[=name]` stands for a
    value of the project."""
    stop_after: Annotated[
        int, Meta(ge=0, le=1_000_000, description="how many cases, from 0 to 1000000")
    ] = 0
    """It stops once so many cases have failed or were blocked; 0: it does not."""
    want: Annotated[
        list[Annotated[str, Meta(max_length=200)]],
        Meta(max_length=100, description="names of kept values as a list"),
    ] = []
    """The kept values that the answer is to tell."""
    allow: Annotated[
        list[Literal["known", "unchecked"]],
        Meta(description="known, unchecked or both, as a list"),
    ] = []
    """What is not held against the run in `ok`."""
    seed: (
        Annotated[
            int, Meta(ge=0, lt=2**53, description="the seed as a whole number from 0 to 2^53")
        ]
        | None
    ) = None
    jobs: Annotated[
        int, Meta(ge=1, le=MOST_JOBS, description=f"jobs as a whole number from 1 to {MOST_JOBS}")
    ] = 1
    steps: (
        Annotated[
            list[int],
            Meta(min_length=1, description="the steps of one case by their indexes, from 0"),
        ]
        | UnsetType
    ) = UNSET
    values: Annotated[
        dict[str, str], Meta(description="values as an object of names and texts")
    ] = {}
    pick: (
        Annotated[str, Meta(max_length=2_000, description="the rows as a text, such as 1 to 20")]
        | UnsetType
    ) = UNSET
    bad: Id | UnsetType = UNSET
    """A run: only the rows that did not pass there."""
    again: Id | UnsetType = UNSET
    """A run whose data are to be drawn again."""
    changes: (
        Annotated[
            list[str] | Literal["all"],
            Meta(description="the keys of the steps that may change something, or all"),
        ]
        | UnsetType
    ) = UNSET


class NewPicture(Body, frozen=True):
    suite: Id = ""
    """Only its cases; empty: the whole project."""
    environment: Annotated[str, Meta(max_length=200)] = ""
    """Only runs against it; empty: whichever."""


class ToRemove(Body, frozen=True):
    addresses: Annotated[
        list[Annotated[str, Meta(min_length=1, max_length=20_000)]],
        Meta(
            min_length=1,
            max_length=MOST_REMOVED,
            description=f"at most {MOST_REMOVED} addresses as a list",
        ),
    ]
