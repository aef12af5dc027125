"""Puts the demonstration project's files into a store, once; the addresses follow the harbour that was started."""

from __future__ import annotations

from importlib.resources import as_file, files
from pathlib import Path
from typing import Any

from saltpath.core.format.folder import read_folder
from saltpath.demo.harbour.desks import SECRET
from saltpath.demo.harbour.port import AGENTS, LIVE_AGENTS
from saltpath.demo.harbour.server import Harbour
from saltpath.formats.folders import read_disk
from saltpath.store import cases, documents, people, projects, runs, secrets
from saltpath.store.database import connect
from saltpath.store.folders import bring_in


def seed(folder: Path, harbours: dict[str, Harbour]) -> None:
    """Bring in project, environments, suites and cases if the store is empty; else only set the harbours' addresses and databases, by
    environment."""
    connection = connect(folder)
    owner = people.local_owner(connection)
    existing = projects.projects(connection)
    if existing:
        _follow(connection, existing[0].id, owner.id, harbours)
        return
    with as_file(files("saltpath.demo") / "project") as root:
        found = read_folder(read_disk(root))
    bring_in(connection, owner.id, found)
    project = projects.projects(connection)[0]
    for name, value, environment in (
        ("agentPassword", AGENTS["desk"], ""),
        ("clientSecret", SECRET, ""),
        ("agentPassword", LIVE_AGENTS["desk"], "Live"),
    ):
        place = secrets.Place(project.id, name, environment=environment)
        secrets.set_secret(connection, folder, place, owner.id, value)
    _follow(connection, project.id, owner.id, harbours)
    everything = [(case.id, case.version, case.name) for case in cases.cases(connection, project.id)]
    runs.ask(connection, project.id, owner.id, everything, kind="run", title="Every suite",
             environment=str(project.document["environment"]), seed=90417, request={"jobs": 2})  # fmt: skip
    connection.close()


def _follow(connection: Any, project: int, owner: int, harbours: dict[str, Harbour]) -> None:
    """The environments are where the harbours answer now."""
    for environment in projects.environments(connection, project):
        harbour = harbours.get(environment.name)
        if harbour is not None:
            there = {"harbour": harbour.address, "harbourDatabase": str(harbour.database)}
            values = {**environment.document.get("values", {}), **there}
            documents.put(connection, environment, owner, {**environment.document, "values": values})
