"""Cases that set a suite up and clean up after it: which they are, which a run of others needs, and
how a case becomes one (core/running/roles.py)."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from saltpath.core.cases.case import Suite
from saltpath.core.running.roles import Role, handed_down, role_of
from saltpath.server.compiled import compiled, suite_of
from saltpath.server.context import actor, database
from saltpath.server.problems import Refused
from saltpath.store import around, cases, documents, projects
from saltpath.store.around import ROLES, NoSuchRole, names_case
from saltpath.store.cases import CaseHead, StoredCase
from saltpath.store.documents import Document


def role_in(suite: Document, case: StoredCase | CaseHead) -> Role:
    """What a case is in its suite."""
    return role_of(suite_of(suite), case.key, case.file)


def with_around(chosen: list[StoredCase], project: int) -> list[StoredCase]:
    """The chosen cases with those around them (store/around.py). Raises Refused for a case that a
    suite names and does not have."""
    try:
        return around.with_around(database(), chosen, project, suite_of)
    except NoSuchRole as problem:
        raise Refused(422, "cases", str(problem)) from None


def with_handed(suite: Document) -> Suite:
    """The suite within its folders, each with the names of the values that are handed down in
    it."""
    connection = database()
    found: Suite | None = None
    for level in projects.standing(connection, suite):
        read = suite_of(level)
        heads = cases.heads(connection, level.project) if read.set_up else []
        setting_up = [h for h in heads if h.suite == level.id and role_in(level, h) == "set up"]
        names = frozenset[str]().union(
            *(handed_down(compiled(cases.case_at(connection, h.id, h.version))) for h in setting_up)
        )
        found = replace(read, handed=names, within=found)
    assert found is not None  # it is the last of these itself
    return found


def set_role(stored: StoredCase, role: Role) -> None:
    """Have a case set up its suite, or clean up after it, or be one of its others; names that fit
    no case of the suite any more go. Within the caller's transaction."""
    suite = projects.suite_by_id(database(), stored.suite)
    if role == role_in(suite, stored):
        return

    heads = cases.heads(database(), stored.project)
    others = [head for head in heads if head.suite == suite.id and head.id != stored.id]

    def changed(document: dict[str, Any]) -> dict[str, Any]:
        now = dict(document)
        for name in ROLES:
            kept = [
                one
                for one in document.get(name, [])
                if any(names_case(str(one).removesuffix(".case.yaml"), other) for other in others)
            ]
            if name == role:
                kept.append(stored.key)
            now[name] = kept
        return {key: value for key, value in now.items() if key not in ROLES or value}

    documents.change(database(), suite, actor().id, changed)
