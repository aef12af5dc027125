"""Puts the demonstration project's files into a store, once; the addresses follow the harbour that was started."""

from __future__ import annotations

from importlib.resources import as_file, files
from pathlib import Path
from typing import Any

from saltpath.core.format.folder import read_folder
from saltpath.demo.harbour.desks import SECRET
from saltpath.demo.harbour.port import AGENTS
from saltpath.formats.folders import read_disk
from saltpath.store import cases, people, projects, runs, secrets
from saltpath.store.database import connect
from saltpath.store.folders import bring_in


def seed(folder: Path, harbour: str) -> None:
    """Bring in project, environments, suites and cases if the store is empty; else only set the harbour's address."""
    connection = connect(folder)
    owner = people.local_owner(connection)
    existing = projects.projects(connection)
    if existing:
        _follow(connection, existing[0].id, owner.id, harbour)
        return
    with as_file(files("saltpath.demo") / "project") as root:
        found = read_folder(read_disk(root))
    bring_in(connection, owner.id, found)
    project = projects.projects(connection)[0]
    secrets.set_secret(connection, folder, project.id, owner.id, "agentPassword", AGENTS["desk"])
    secrets.set_secret(connection, folder, project.id, owner.id, "clientSecret", SECRET)
    _follow(connection, project.id, owner.id, harbour)
    everything = [(case.id, case.version, case.name) for case in cases.cases(connection, project.id)]
    runs.ask(connection, project.id, owner.id, everything, kind="run", title="Every suite",
             environment=str(project.document["environment"]), seed=90417, request={"jobs": 2})  # fmt: skip
    connection.close()


def _follow(connection: Any, project: int, owner: int, harbour: str) -> None:
    """Rehearsal is where the harbour answers now."""
    for environment in projects.environments(connection, project):
        values = environment.document.get("values", {})
        if environment.name == "Rehearsal" and values.get("harbour") != harbour:
            document = {**environment.document, "values": {**values, "harbour": harbour}}
            projects.set_environment(connection, environment.id, owner, document)
