"""What an address, a query or a body names, loaded for whoever asks: the one way to it, which looks
at whether they may do there what the operation does (`rights.py`)."""

from __future__ import annotations

from flask import request

from saltpath.server.audited import concerns
from saltpath.server.context import database
from saltpath.server.entry.callers import caller
from saltpath.server.problems import Refused
from saltpath.server.rights import permit
from saltpath.store import cases, projects, runs, watches
from saltpath.store.cases import StoredCase
from saltpath.store.database import Deleted
from saltpath.store.documents import Document
from saltpath.store.runs import Run


def project_asked(oid: str | None = None) -> Document:
    """A project; by default that of `?project=`. Raises Refused or NotFound, as all here do."""
    named = request.args.get("project", "") if oid is None else oid
    if not named:
        raise Refused(400, "project-missing", "Name the project: ?project=project_...")
    found = projects.project(database(), named)
    permitted(found.id)
    concerns(found.id, found.oid, found.name)
    return found


def suite_asked(oid: str) -> Document:
    found = projects.suite(database(), oid)
    permitted(found.project)
    concerns(found.project, found.oid, found.name)
    return found


def environment_asked(oid: str) -> Document:
    found = projects.environment(database(), oid)
    permitted(found.project)
    concerns(found.project, found.oid, found.name)
    return found


def case_asked(oid: str, gone: bool = False) -> StoredCase:
    """A case, shared steps, or a single request; Deleted is raised for one that was removed, unless
    `gone`."""
    found = cases.case(database(), oid, gone=True)
    permitted(found.project)
    concerns(found.project, found.oid, found.name)
    if found.gone_at is not None and not gone:
        raise Deleted(f"the case “{found.name}” was deleted")
    return found


def run_asked(oid: str) -> Run:
    found = runs.run(database(), oid)
    permitted(found.project)
    concerns(found.project, found.oid, f"run {found.number}")
    return found


def watch_asked(oid: str, gone: bool = False) -> Document:
    """Deleted is raised for one that was taken away, unless `gone`."""
    found = watches.watch(database(), oid, gone=True)
    permitted(found.project)
    concerns(found.project, found.oid, found.name)
    return found if gone else watches.watch(database(), oid)


def permitted(project: int) -> None:
    """Look whether the operation may be done in a project, whatever it is about there."""
    permit(database(), caller(database()), project)
