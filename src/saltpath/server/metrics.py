"""Salt Path's own numbers at `/metrics`, for whoever watches it, behind an administrator's key."""

from __future__ import annotations

from importlib.metadata import version

from flask import Flask, Response

from saltpath.formats.openmetrics import MEDIA, Family, Sample, write
from saltpath.server.context import database, folder
from saltpath.server.entry.callers import caller
from saltpath.server.problems import Refused
from saltpath.store.disk import disk
from saltpath.store.gauges import gauges

SECOND_US = 1_000_000


def add_metrics(app: Flask) -> None:
    """What is shown at that address."""

    @app.get("/metrics")
    def metrics() -> Response:
        asking = caller(database())
        if not asking.person.administrator:
            raise Refused(403, "not-allowed", "These numbers are for an administrator's key.")
        return Response(write(families()), content_type=MEDIA)


def families() -> list[Family]:
    """All that is told; nothing of it names a project, a case or a person."""
    found = gauges(database(), database("history"))
    room = disk(folder())
    return [
        Family(
            "saltpath", "info", "Which version runs", [Sample(1, {"version": version("saltpath")})]
        ),
        _gauge("projects", "Projects", found.projects),
        _gauge("people", "People who may come in", found.people),
        _gauge("cases", "Cases of all projects", found.cases),
        Family(
            "saltpath_runs",
            "counter",
            "Runs that have ended, as far as they are kept",
            [Sample(number, {"verdict": one}) for one, number in sorted(found.runs.items())],
        ),
        _gauge("runs_waiting", "Runs that no runner has begun", found.waiting),
        _gauge("runs_going_on", "Runs that go on", found.running),
        _gauge("watches", "Watches that are looked after", found.watches),
        _gauge("outages", "Outages of watches that last", found.outages),
        _by_state("messages", "Messages of watches", found.messages),
        _by_state("deliveries", "Results on their way to an address", found.deliveries),
        _gauge(
            "last_run_seconds", "When the last run ended", found.last_run_at / SECOND_US, "seconds"
        ),
        _gauge(
            "last_watch_run_seconds",
            "When the last run of a watch was due",
            found.last_watch_due,
            "seconds",
        ),
        Family(
            "saltpath_stored_bytes",
            "gauge",
            "What is stored",
            [
                Sample(size, {"what": what})
                for what, size in (
                    ("results", room.results),
                    ("evidence", room.evidence),
                    ("history", room.history),
                    ("files", room.files),
                )
            ],
            "bytes",
        ),
        _gauge("free_bytes", "Room where it is stored", room.free, "bytes"),
    ]


def _gauge(name: str, about: str, value: float, unit: str = "") -> Family:
    return Family(f"saltpath_{name}", "gauge", about, [Sample(value)], unit)


def _by_state(name: str, about: str, numbers: dict[str, int]) -> Family:
    samples = [Sample(number, {"state": state}) for state, number in sorted(numbers.items())]
    return Family(f"saltpath_{name}", "gauge", about, samples)
