"""Puts the demonstration project's files into a store, once; the addresses follow the harbour that was started."""

from __future__ import annotations

from importlib.resources import as_file, files
from pathlib import Path
from typing import Any

from saltpath.core.format.source import read_source
from saltpath.demo.harbour.port import AGENTS
from saltpath.formats.project_files import load
from saltpath.store import cases, people, projects, runs, secrets
from saltpath.store.database import connect


def seed(folder: Path, harbour: str) -> None:
    """Bring in project, environments, suites and cases if the store is empty; else only set the harbour's address."""
    connection = connect(folder)
    owner = people.local_owner(connection)
    existing = projects.projects(connection)
    if existing:
        _follow(connection, existing[0].id, owner.id, harbour)
        return
    with as_file(files("saltpath.demo") / "project") as root:
        found = load([root])
        project = projects.add_project(connection, owner.id, _data(found.text))
        names = sorted(found.environment_texts, key=lambda name: name != found.project.environment)
        for name in names:
            projects.add_environment(connection, project.id, owner.id, _data(found.environment_texts[name]))
        suites = {
            name: projects.add_suite(connection, project.id, owner.id, name, _data(text))
            for name, text in found.suite_texts.items()
        }
        for case in found.cases:
            source = read_source(case.text)
            cases.add_case(
                connection, project.id, suites[case.folder].id, owner.id, source.root.data(), source.comments, case.file
            )
    secrets.set_secret(connection, folder, project.id, owner.id, "agentPassword", AGENTS["desk"])
    _follow(connection, project.id, owner.id, harbour)
    everything = [(case.id, case.version, case.name) for case in cases.cases(connection, project.id)]
    runs.ask(connection, project.id, owner.id, everything, kind="run", title="Every suite",
             environment=found.project.environment, seed=90417)  # fmt: skip
    connection.close()


def _data(text: str) -> dict[str, Any]:
    data: dict[str, Any] = read_source(text).root.data()
    return data


def _follow(connection: Any, project: int, owner: int, harbour: str) -> None:
    """Rehearsal is where the harbour answers now."""
    for environment in projects.environments(connection, project):
        values = environment.document.get("values", {})
        if environment.name == "Rehearsal" and values.get("harbour") != harbour:
            document = {**environment.document, "values": {**values, "harbour": harbour}}
            projects.set_environment(connection, environment.id, owner, document)
