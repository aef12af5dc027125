"""What a run made and left, and the cases by which it is removed: their steps sign in as those did
that made it (core/assist/removal.py)."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from msgspec import Struct

from saltpath.core.answers.exchange import MASK
from saltpath.core.assist.removal import (
    CannotRemove,
    Made,
    Seen,
    SignedIn,
    removal,
    removal_case,
)
from saltpath.core.cases.case import Case
from saltpath.core.references.templates import is_name
from saltpath.core.values import plain
from saltpath.server.compiled import compiled
from saltpath.server.context import database
from saltpath.server.run_bodies import MOST_REMOVED
from saltpath.server.shared_cases import with_shared
from saltpath.server.suite_roles import role_in
from saltpath.store import cases, evidence, projects, resources, run_rows, runs, shared_steps
from saltpath.store.cases import StoredCase
from saltpath.store.database import NotFound
from saltpath.store.documents import Document
from saltpath.store.evidence import StepEvidence
from saltpath.store.resources import Left
from saltpath.store.runs import Run, RunCase

_KNOWN_FROM = ("kept", "row", "case", "run")
_ELSEWHERE = "it stands at another host, which is not sent what signs in at this one"
_SECRET = "a secret stands in its address"
_GONE = "what its step saw is not kept any more, and so it is not known how it signed in"


class Leaving(Struct, frozen=True):
    """A thing that is left, which case of the run made it, and how it is removed, or (`why`) why it
    cannot be."""

    thing: Left
    entry: RunCase
    signed_in: SignedIn | None
    why: str = ""


class RemovalCase(Struct, frozen=True):
    """A case that removes things, and where it is carried out: within which suite, by its oid, and
    against which environment."""

    document: dict[str, Any]
    suite: str
    environment: str


def leavings(run: Run) -> tuple[list[Leaving], int]:
    """What a run left, at most MOST_REMOVED of it, and how much that is in all."""
    found = resources.left_by(database(), database("evidence"), run)
    return _Finder(run).leavings(found[:MOST_REMOVED]) if found else [], len(found)


def removal_cases(run: Run, chosen: Iterable[Leaving]) -> list[RemovalCase]:
    """The cases that remove these: one for all that are signed in for alike."""
    groups: dict[bytes, list[tuple[Leaving, SignedIn]]] = {}
    for one in chosen:
        if one.signed_in is not None:
            alike = plain.write_json([one.entry.case, one.entry.environment, *one.signed_in.before])
            groups.setdefault(alike, []).append((one, one.signed_in))
    # what was made last goes first, across cases, too
    ordered = sorted(groups.values(), key=lambda group: -group[-1][0].thing.event.at)
    return [_case(run, group) for group in ordered]


def _case(run: Run, group: list[tuple[Leaving, SignedIn]]) -> RemovalCase:
    entry = group[0][0].entry
    stored = cases.case_at(database(), entry.case_id, entry.version)
    document = removal_case(
        f"What “{entry.name}” left in run {run.number}",
        stored.document.get("options"),
        [signed_in for _, signed_in in group],
    )
    suite = projects.suite_by_id(database(), stored.suite)
    return RemovalCase(document, "" if suite.hidden else suite.oid, entry.environment)


class _Finder:
    """Finds how things of one run are removed; what it has read it keeps."""

    def __init__(self, run: Run) -> None:
        self._run = run
        self._entries = {one.position: one for one in runs.run_cases(database(), run.id)}
        self._shared = {
            cases.called(stored): (stored.document, compiled(stored))
            for stored in shared_steps.shared_steps(database(), run.project)
        }
        self._read: dict[int, tuple[dict[str, Any], Case]] = {}
        self._steps: dict[tuple[int, int], list[StepEvidence]] = {}
        self._set_up_by: dict[int, list[RunCase]] = {}

    def leavings(self, found: Sequence[Left]) -> list[Leaving]:
        return [self._leaving(thing) for thing in found]

    def _leaving(self, thing: Left) -> Leaving:
        entry = self._entries[thing.place.position]
        if thing.event.elsewhere:
            return Leaving(thing, entry, None, _ELSEWHERE)
        if thing.event.is_masked:
            return Leaving(thing, entry, None, _SECRET)
        try:
            return Leaving(thing, entry, self._signed_in(thing, entry))
        except (CannotRemove, NotFound) as problem:
            return Leaving(thing, entry, None, str(problem))

    def _signed_in(self, thing: Left, entry: RunCase) -> SignedIn:
        place = thing.place
        around = self._steps_of(place.position, 0) if place.row else []
        row = self._steps_of(place.position, place.row)
        maker = next((one for one in row if _is_at(one, thing)), None)
        if maker is None or not maker.exchanges:
            raise CannotRemove(_GONE)
        before = [one for one in around if one.head.part == "once"]
        before += row[: row.index(maker) + 1]
        setting_up = self._setting_up(entry)
        for other in setting_up:
            steps = [*self._steps_of(other.position, 0), *self._steps_of(other.position, 1)]
            before = [*steps, *before]
        sent = b"\n".join(one.sent_head for one in maker.exchanges).lower()
        made = Made(
            thing.event.address,
            place.part,
            place.step,
            place.inner,
            b"\ncookie:" in sent,
            thing.event.how == "identity",
            maker.key,
        )
        known = _known(before, place.inner)
        ended = run_rows.finished(database("evidence"), self._run.id, place.position, place.row)
        columns = ended.data if ended else {}
        data = {name: value for name, value in columns.items() if _told(value)}
        cookies = {
            (one.head.part, one.head.step, one.head.inner) for one in before if _sets_cookie(one)
        }
        return removal(
            made,
            Seen({**data, **known}, cookies),
            self._case(entry),
            self._shared,
            [self._case(other) for other in setting_up],
        )

    def _case(self, entry: RunCase) -> tuple[dict[str, Any], Case]:
        if entry.position not in self._read:
            stored = cases.case_at(database(), entry.case_id, entry.version)
            if stored.unread is not None:
                raise CannotRemove("its case cannot be read")
            self._read[entry.position] = stored.document, with_shared(stored)
        return self._read[entry.position]

    def _steps_of(self, position: int, row: int) -> list[StepEvidence]:
        if (position, row) not in self._steps:
            found = evidence.steps_of_row(database("evidence"), self._run.id, position, row)
            self._steps[position, row] = found
        return self._steps[position, row]

    def _setting_up(self, entry: RunCase) -> list[RunCase]:
        """The cases of the run that set up the suites around one, the outermost first."""
        if entry.position not in self._set_up_by:
            self._set_up_by[entry.position] = self._found_setting_up(entry)
        return self._set_up_by[entry.position]

    def _found_setting_up(self, entry: RunCase) -> list[RunCase]:
        stored = cases.case_at(database(), entry.case_id, entry.version)
        suite = projects.suite_by_id(database(), stored.suite)
        levels = [] if suite.hidden else projects.standing(database(), suite)
        return [other for level in levels for other in self._of_level(level, entry)]

    def _of_level(self, level: Document, entry: RunCase) -> list[RunCase]:
        if not level.document.get("set up"):
            return []
        return [
            other
            for other in self._entries.values()
            if other.suite_id == level.id
            and other.environment == entry.environment
            and other.position != entry.position
            and role_in(level, self._stored(other)) == "set up"
        ]

    def _stored(self, entry: RunCase) -> StoredCase:
        return cases.case_at(database(), entry.case_id, entry.version)


def _is_at(step: StepEvidence, thing: Left) -> bool:
    head, place = step.head, thing.place
    return (head.part, head.step, head.inner) == (place.part, place.step, place.inner)


def _known(before: Iterable[StepEvidence], inner: str) -> Mapping[str, Any]:
    """By name the values that the steps kept, and those that stood in their references; without
    what stayed inside other steps, and without secrets."""
    outer = inner.rpartition("/")[0]
    known: dict[str, Any] = {}
    for one in before:
        if evidence.hidden(one.head.inner) and one.head.inner.rpartition("/")[0] != outer:
            continue
        if evidence.hidden(one.head.inner) and not inner:
            continue
        for text, use in one.used.items():
            scope, _, name = str(use["from"]).partition(".")
            bare = text in (f"[={name}]", f"[={scope}.{name}]")
            if scope in _KNOWN_FROM and bare and is_name(name) and _told(use["value"]):
                known[name] = use["value"]
        for name, value in one.kept.items():
            if name not in one.secret_kept and _told(value):
                known[name] = value
    return known


def _told(value: Any) -> bool:
    return MASK not in plain.as_text(value)


def _sets_cookie(step: StepEvidence) -> bool:
    return any(name.lower() == "set-cookie" for one in step.exchanges for name, _ in one.headers)
