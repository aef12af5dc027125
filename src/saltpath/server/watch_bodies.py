"""What the API takes of watches (see bodies.py)."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from msgspec import UNSET, Meta, UnsetType

from saltpath.server.bodies import Body, Id, Name

Sentence = Annotated[
    str, Meta(max_length=2_000, description="when and where as a sentence, such as every 5 min")
]
Short = Annotated[str, Meta(max_length=2_000, description="a text of at most 2,000 characters")]


class NewWatch(Body, frozen=True):
    """A watch of one thing: a case or a suite by id, or a tag."""

    project: Id
    sentence: Sentence
    case: Id = ""
    suite: Id = ""
    tag: Annotated[str, Meta(max_length=200, description="a tag as a text")] = ""
    name: Annotated[str, Meta(max_length=200, description="a name of at most 200 characters")] = ""
    """Empty: that of the case or the suite."""
    may_change: bool | UnsetType = UNSET
    """Whether steps that may change something are sent in a guarded environment."""


class WatchChange(Body, frozen=True):
    """Only what is given changes."""

    name: Name | UnsetType = UNSET
    sentence: Sentence | UnsetType = UNSET
    about: Short | UnsetType = UNSET
    supplier: Short | UnsetType = UNSET
    tags: list[Annotated[str, Meta(min_length=1, max_length=200)]] | UnsetType = UNSET
    off: bool | UnsetType = UNSET
    may_change: bool | UnsetType = UNSET
    document: dict[str, Any] | UnsetType = UNSET
    """The whole of it, as its file has it; in place of all else."""


class SaidWatch(Body, frozen=True):
    project: Id
    sentence: Sentence


class TroubleNote(Body, frozen=True):
    note: Annotated[str, Meta(max_length=10_000, description="a note as a text")]
    seen: Annotated[str, Meta(max_length=10_000)] | UnsetType = UNSET
    """The note that it replaces."""


class RouteChange(Body, frozen=True):
    """Only what is given changes."""

    name: Name | UnsetType = UNSET
    to: (
        Annotated[
            list[Annotated[str, Meta(max_length=320)]],
            Meta(max_length=50, description="addresses as a list of at most 50"),
        ]
        | UnsetType
    ) = UNSET
    server: Annotated[str, Meta(max_length=300, description="a mail server")] | UnsetType = UNSET
    security: Literal["starttls", "tls", "none"] | UnsetType = UNSET
    user: Annotated[str, Meta(max_length=320, description="who signs in")] | UnsetType = UNSET
    sender: Annotated[str, Meta(max_length=320, description="from whom")] | UnsetType = UNSET
    address: Annotated[str, Meta(max_length=2_000, description="an address")] | UnsetType = UNSET
    template: (
        Annotated[str, Meta(max_length=10_000, description="JSON with places in braces")]
        | UnsetType
    ) = UNSET
    hours: list[Annotated[str, Meta(max_length=300)]] | UnsetType = UNSET
    """When it may be used; none: always."""
    tags: (
        Annotated[
            list[Annotated[str, Meta(min_length=1, max_length=200)]],
            Meta(max_length=50, description="at most 50 tags of 1 to 200 characters each"),
        ]
        | UnsetType
    ) = UNSET
    """It also tells of watches with one of these tags."""
    only_urgent: bool | UnsetType = UNSET
    """It tells only of outages and of allowances that are used up too fast, of urgent watches."""
    daily: Annotated[str, Meta(max_length=20, description="a time such as 07:30")] | UnsetType = (
        UNSET
    )
    """When it sends what Today says, on working days, by the project's clocks; empty: never."""
    heads: bool | UnsetType = UNSET
    """Whether it sends, each day, the heads of the sealed record of watches."""
    then: Annotated[str, Meta(max_length=200, description="another route")] | UnsetType = UNSET
    """The route that is used when nobody has taken it after a while; empty: none."""
    then_after: Annotated[str, Meta(max_length=50)] | UnsetType = UNSET
    secret: (
        Annotated[str, Meta(max_length=2_000, description="a password or key as a text")]
        | UnsetType
    ) = UNSET
    """The password of the sign-in at the mail server, or the key that signs webhooks."""


class NewRoute(RouteChange, frozen=True, kw_only=True):
    project: Id
    kind: Literal["mail", "webhook"]


class Mute(Body, frozen=True):
    minutes: Annotated[
        int, Meta(ge=0, le=10_080, description="minutes as a whole number from 0 to 10080")
    ]
