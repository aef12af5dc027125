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
from saltpath.store import cases, documents, projects
from saltpath.store.cases import CaseHead, StoredCase
from saltpath.store.documents import Document

ROLES: tuple[Role, ...] = ("set up", "clean up")


def role_in(suite: Document, case: StoredCase | CaseHead) -> Role:
    """What a case is in its suite."""
    return role_of(suite_of(suite), case.key, case.file)


def with_around(chosen: list[StoredCase], project: int) -> list[StoredCase]:
    """The chosen cases between those that set up, and clean up after, the suites that they are in
    and the folders around these. Raises Refused for a case that a suite names and does not have."""
    meant = {case.suite for case in chosen}
    suites = projects.suites(database(), project)
    standing = projects.standing_of_each(suites)
    of_meant = {level.id for one in meant for level in standing.get(one, ())}
    around = [
        suite
        for suite in sorted(suites, key=lambda suite: len(standing[suite.id]))
        if suite.id in of_meant and any(suite.document.get(role) for role in ROLES)
    ]
    if not around:
        return chosen
    there = {case.id for case in chosen}
    before, behind = list[StoredCase](), list[StoredCase]()
    heads = cases.heads(database(), project)
    for suite in around:
        own = [head for head in heads if head.suite == suite.id]
        _all_there(suite, own)
        missing: dict[Role, list[StoredCase]] = {"set up": [], "clean up": []}
        for head in own:
            if head.id not in there and (role := role_in(suite, head)):
                missing[role].append(cases.case_at(database(), head.id, head.version))
        before, behind = [*before, *missing["set up"]], [*missing["clean up"], *behind]
    return [*before, *chosen, *behind]


def _all_there(suite: Document, own: list[CaseHead]) -> None:
    read = suite_of(suite)
    for role, names in zip(ROLES, (read.set_up, read.clean_up), strict=True):
        for name in names:
            if not any(_names(name, case) for case in own):
                does = {"set up": "sets it up", "clean up": "cleans up after it"}[role]
                raise Refused(
                    422,
                    "cases",
                    f"The suite {suite.name} has no case {name}, which {does}: "
                    "bring it back, or say anew which of its cases do.",
                )


def _names(name: str, case: CaseHead) -> bool:
    """Whether a suite's name of a case is that of this one."""
    return bool(role_of(Suite("", set_up=(name,)), case.key, case.file))


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
                if any(_names(str(one).removesuffix(".case.yaml"), other) for other in others)
            ]
            if name == role:
                kept.append(stored.key)
            now[name] = kept
        return {key: value for key, value in now.items() if key not in ROLES or value}

    documents.change(database(), suite, actor().id, changed)
