"""What operations on people, keys and links take (see `server/bodies.py`)."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import UNSET, Meta, UnsetType

from saltpath.core.running.reach import MOST_RULES
from saltpath.server.bodies import Body, Id, Name
from saltpath.store.access_keys import MOST_DAYS
from saltpath.store.people import Role
from saltpath.store.shares import MOST_DAYS as MOST_DAYS_SHARED

_HIDDEN = {"writeOnly": True}
"""Not told again in any answer, also not in one that says why it was not taken (taking.py)."""
Typed = Annotated[str, Meta(max_length=1000, extra_json_schema=_HIDDEN)]
"""What somebody typed to be let in: it is compared, and never kept."""
Token = Annotated[
    str, Meta(max_length=200, description="the link's token", extra_json_schema=_HIDDEN)
]
NameToSignIn = Annotated[
    str,
    Meta(
        min_length=2,
        max_length=100,
        pattern=r"^\S+$",
        description="a name to sign in by, of 2 to 100 characters without spaces",
    ),
]


class NameAndPassword(Body, frozen=True):
    name: Typed
    password: Typed
    code: Typed = ""
    """Of the second factor, where one is asked."""


class LinkToLookAt(Body, frozen=True):
    token: Token


class LinkToUse(Body, frozen=True):
    token: Token
    name: Name | UnsetType = UNSET
    """How somebody new is called."""
    sign_in: NameToSignIn | UnsetType = UNSET
    password: Typed | UnsetType = UNSET
    alone: bool = False
    """Of the owner's first link: go on without sign-in on this machine."""
    as_me: bool = False
    """Of an invitation: whoever is signed in takes it."""


class AccountChange(Body, frozen=True):
    """Only what is given changes."""

    name: Name | UnsetType = UNSET
    sign_in: NameToSignIn | UnsetType = UNSET


class PasswordChange(Body, frozen=True):
    old: Typed
    new: Typed


class SecondFactor(Body, frozen=True):
    secret: Annotated[str, Meta(pattern="^[A-Z2-7]{32}$", description="the secret that was made")]
    code: Typed
    password: Typed


class PasswordAgain(Body, frozen=True):
    password: Typed


class SecondFactorSaid(Body, frozen=True):
    administrators: bool | None
    """Whether they need one; null: where others than this machine come here."""


class Alone(Body, frozen=True):
    alone: bool


class Part(Body, frozen=True):
    """What somebody is in a project."""

    role: Role


class EnvironmentGuard(Body, frozen=True):
    """The least role for each; empty: whoever may run."""

    run: Literal["", "owner", "editor"] = ""
    change: Literal["", "owner", "editor"] = ""


class Invitation(Body, frozen=True):
    name: Name
    """Whom it is made for, in words."""
    role: Role | UnsetType = UNSET
    administrator: bool = False


class PersonChange(Body, frozen=True):
    """Only what is given changes."""

    administrator: bool | UnsetType = UNSET
    ended: bool | UnsetType = UNSET


class NewKey(Body, frozen=True):
    name: Name
    scopes: Annotated[
        list[Literal["read", "run", "write"]],
        Meta(min_length=1, max_length=3, description="what it may: read, run, write"),
    ]
    days: Annotated[
        int, Meta(ge=1, le=MOST_DAYS, description=f"how many days it is good for, 1 to {MOST_DAYS}")
    ]
    project: Id | UnsetType = UNSET
    """The only project that it is for."""


Rules = Annotated[
    list[Annotated[str, Meta(max_length=300)]],
    Meta(max_length=MOST_RULES, description=f"a list of at most {MOST_RULES} names and networks"),
]


class ReachChange(Body, frozen=True):
    """Only what is given changes."""

    nearby: bool | UnsetType | None = UNSET
    """Whether this machine and private networks may be asked; null: where only this machine comes
    here."""
    allow: Rules | UnsetType = UNSET
    deny: Rules | UnsetType = UNSET
    only: bool | UnsetType = UNSET


class ProviderChange(Body, frozen=True):
    """Who vouches for people: what is given changes, the rest stays."""

    issuer: Annotated[str, Meta(max_length=500)] | UnsetType = UNSET
    """Empty: nobody."""
    client_id: Annotated[str, Meta(max_length=300)] | UnsetType = UNSET
    secret: Annotated[str, Meta(max_length=1000, extra_json_schema=_HIDDEN)] | UnsetType = UNSET
    """Unless it is given, the one that stands stays, as long as the issuer does."""
    called: Annotated[str, Meta(max_length=60)] | UnsetType = UNSET
    claim: Annotated[str, Meta(max_length=100)] | UnsetType = UNSET
    given: (
        Annotated[list[Annotated[str, Meta(max_length=500)]], Meta(max_length=200)] | UnsetType
    ) = UNSET
    """What each value of the claim gives: `testers: editor in Fernholm Harbour`."""
    newcomers: bool | UnsetType = UNSET


class NewShare(Body, frozen=True):
    days: Annotated[
        int,
        Meta(
            ge=1,
            le=MOST_DAYS_SHARED,
            description=f"how many days the link leads there, 1 to {MOST_DAYS_SHARED}",
        ),
    ]
