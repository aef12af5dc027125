"""What is kept for how long, and how much room there is."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response
from msgspec import UNSET
from msgspec.structs import asdict

from saltpath.server.api.views import moment
from saltpath.server.asked import project_asked
from saltpath.server.bodies import HistoryMost, KeepingChange, KeptRules
from saltpath.server.context import actor, database, folder
from saltpath.server.declared import ID, declared, of
from saltpath.server.problems import json_answer
from saltpath.store import keeping
from saltpath.store.disk import LEAST_FREE, disk
from saltpath.store.history import bounds

keeping_api = Blueprint("keeping", __name__)
_NAMES = {
    "runDays": "run_days",
    "leastRuns": "least_runs",
    "mostRuns": "most_runs",
    "evidenceDays": "evidence_days",
    "badEvidenceDays": "bad_evidence_days",
    "trialDays": "trial_days",
    "eventDays": "event_days",
    "watchDays": "watch_days",
    "watchEvidenceDays": "watch_evidence_days",
}


@keeping_api.get("/projects/<id>/keeping")
@declared("readKeeping", "What is kept for how long", of("Keeping"), ID)
def read_keeping(id: str) -> Response:
    """What a project keeps for how long."""
    return json_answer(_view(keeping.rules_of(database(), project_asked(id).id)))


@keeping_api.patch("/projects/<id>/keeping")
@declared(
    "changeKeeping",
    "Change some of it",
    of("Keeping"),
    ID,
    takes=KeepingChange,
    may="own",
    did="changed what {} keeps for how long",
)
def change_keeping(data: KeepingChange, id: str) -> Response:
    """Change some of it. What is kept no more goes within ten minutes, and cannot be brought back.
    `seen`: rules that must still be as they were seen; 409 where they are not."""
    project = project_asked(id)
    rules = keeping.set_rules(database(), project.id, actor().id, _said(data), _said(data.seen))
    return json_answer(_view(rules))


def _said(rules: KeptRules) -> dict[str, Any]:
    """Those that are said, by the names of their fields."""
    fields = KeptRules.__struct_fields__
    return {name: rule for name in fields if (rule := getattr(rules, name)) is not UNSET}


def _view(rules: keeping.Rules) -> dict[str, Any]:
    by_field = {field: name for name, field in _NAMES.items()}
    return {by_field[name]: value for name, value in asdict(rules).items()}


@keeping_api.get("/storage")
@declared("readStorage", "How much room is taken, and free", of("Storage"), may="anyone")
def read_storage() -> Response:
    """How much the installation takes, in bytes, and how much is free; `low`: what steps see is not
    kept until there is more room."""
    found = disk(folder())
    return json_answer(
        {
            "results": found.results,
            "evidence": found.evidence,
            "files": found.files,
            "history": found.history,
            "historyMost": bounds.most(database()),
            "historyDropped": [
                {
                    "what": one.what,
                    "before": moment(one.before * 1_000_000),
                    "rows": one.rows,
                    "at": moment(one.at),
                }
                for one in bounds.dropped(database("history"))
            ],
            "free": found.free,
            "low": found.low,
            "least": LEAST_FREE,
        }
    )


@keeping_api.put("/installation/history-most")
@declared(
    "sayHistoryMost",
    "Say how much room watches may take",
    of("Gone"),
    takes=HistoryMost,
    may="administer",
    did="said how much room watches may take",
)
def say_history_most(data: HistoryMost) -> Response:
    """Where more is taken, what good runs saw goes first, then what the others saw, then runs; the
    oldest first. What was summed up stays. null: no limit."""
    octets = None if data.megabytes is None else data.megabytes * 1_000_000
    bounds.say_most(database(), octets)
    return json_answer({"gone": False})
