"""Where requests may go: the administrator's choice for the whole installation."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response
from msgspec import UNSET
from msgspec.structs import replace

from saltpath.core.running.reach import read_rule
from saltpath.server.context import database
from saltpath.server.declared import declared, of
from saltpath.server.entry.bodies import ReachChange
from saltpath.server.problems import json_answer
from saltpath.store import reaching
from saltpath.store.database import write

reach_api = Blueprint("reach", __name__)


@reach_api.get("/installation/reach")
@declared("readReach", "Where requests may go", of("Reach"), may="administer")
def read_reach() -> Response:
    """`nearby` is null where it follows from who comes here: `shared` are installations that others
    than this machine come to."""
    return json_answer(_view())


@reach_api.patch("/installation/reach")
@declared(
    "changeReach",
    "Open or close something to requests",
    of("Reach"),
    takes=ReachChange,
    may="administer",
    did="said where requests may go",
    again=True,
)
def change_reach(data: ReachChange) -> Response:
    """From the next run on."""
    with write(database()):
        wanted = reaching.said(database())
        for name in ("nearby", "allow", "deny", "only"):
            value = getattr(data, name)
            if value is UNSET:
                continue
            if isinstance(value, list):
                value = tuple(dict.fromkeys(rule.strip() for rule in value if rule.strip()))
                for rule in value:
                    read_rule(rule)
            wanted = replace(wanted, **{name: value})
        reaching.say(database(), wanted)
    return json_answer(_view())


def _view() -> dict[str, Any]:
    said = reaching.said(database())
    return {
        "nearby": said.nearby,
        "shared": reaching.is_shared(database()),
        "allow": list(said.allow),
        "deny": list(said.deny),
        "only": said.only,
    }
