"""Who may do what: every operation of our own document, called by each role, by a key of each
scope and by nobody, does what the table says and no more. Taking out any single check, or giving
any role or scope one right more, is seen by the same test; nobody learns of another project."""

from __future__ import annotations

import random
import sqlite3
import tempfile
import unittest
from collections import Counter
from collections.abc import Iterator
from contextlib import closing, contextmanager
from functools import partial
from typing import Any
from unittest.mock import patch

from msgspec import Struct

from saltpath.server import permissions, rights
from saltpath.server.entry import cookies
from saltpath.store import (
    access_keys,
    deliveries,
    people,
    pictures,
    runs,
    sessions,
    shares,
)
from saltpath.store.database import connect, write
from saltpath.store.people import Person
from tests.calls import Calls, Operation, begun, known_in

SEED = 4711
NOT_ALLOWED = ("not-allowed", "signed-out", "key")
READ_BY_POST = {"lookAtSource", "profileSource", "compareVersions", "readRecording", "bePresent"}
"""Some that are no GET, and change nothing."""
ROLE_RIGHTS: dict[str, set[str]] = {
    "viewer": {"read"},
    "runner": {"read", "run"},
    "editor": {"read", "run", "edit"},
    "owner": {"read", "run", "edit", "own"},
}
SCOPE_RIGHTS: dict[str, set[str]] = {
    "read": {"read"},
    "run": {"read", "run"},
    "write": {"read", "edit"},
}
"""What is promised, said once more here: it must not follow from the code."""
WEAK = ("nobody", "part of none", "viewer", "key to read")
"""Callers of whom one at least is refused by every check there is."""
PLANTED = "Quagmire"


class Asker(Struct, frozen=True):
    """Somebody who calls, by some way, and what they may."""

    name: str
    may: frozenset[str]
    person: Person | None = None
    scope: str = ""
    project: int | None = None


class Rights(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        folder = cls.enterClassContext(tempfile.TemporaryDirectory())
        cls.folder, cls.app = begun(folder)
        cls.store = connect(cls.folder)
        cls.addClassCleanup(cls.store.close)
        cls.known, cls.others = known_in(cls.app), known_in(cls.app, 1)
        people.set_alone(cls.store, False)
        cls.project, cls.other = (
            cls._number(known["project"][0]) for known in (cls.known, cls.others)
        )
        cls.administrator = people.local_owner(cls.store)
        cls.people = {role: cls._person(role) for role in ROLE_RIGHTS}
        cls.operations = Calls(random.Random(SEED), cls.app, cls.known).operations
        cls.askers = list(cls._askers())

    @classmethod
    def _number(cls, oid: str) -> int:
        row = cls.store.execute("SELECT id FROM project WHERE oid = ?", (oid,)).fetchone()
        return int(row[0])

    @classmethod
    def _person(cls, role: str) -> Person:
        person = people.add_person(cls.store, f"A {role}", f"a-{role}")
        people.set_role(cls.store, cls.project, person, role, cls.administrator.id)
        return person

    @classmethod
    def _askers(cls) -> Iterator[Asker]:
        signed_in = {"open", "anyone", "self"}
        yield Asker("nobody", frozenset({"open"}))
        cls.none = people.add_person(cls.store, "Part of none", "none")
        yield Asker("part of none", frozenset(signed_in), cls.none)
        for role, held in ROLE_RIGHTS.items():
            yield Asker(role, frozenset(signed_in | held), cls.people[role])
        for scope, held in SCOPE_RIGHTS.items():
            may = frozenset({"open", "anyone"} | held)
            yield Asker(f"key to {scope}", may, cls.people["owner"], scope, cls.project)
            narrow = frozenset({"open", "anyone"} | (held & ROLE_RIGHTS["viewer"]))
            yield Asker(f"viewer's key to {scope}", narrow, cls.people["viewer"], scope)
        elsewhere = frozenset({"open", "anyone"})
        yield Asker("key to elsewhere", elsewhere, cls.people["owner"], "write", cls.other)
        everything = frozenset(signed_in | ROLE_RIGHTS["owner"] | {"administer"})
        yield Asker("administrator", everything, cls.administrator)

    def headers(self, asker: Asker) -> dict[str, str]:
        """Of a session, or a key, that is begun now: some operations end the one that they are
        called in."""
        headers = {"Origin": "http://127.0.0.1"}
        if asker.person is None:
            return headers
        if asker.scope:
            scopes: Any = [asker.scope]
            _, text = access_keys.add_key(self.store, asker.person, "K", scopes, 1, asker.project)
            return headers | {"Authorization": f"Bearer {text}"}
        _, token = sessions.begin(self.store, asker.person, "", "", "password")
        return headers | {"Cookie": f"{cookies.SESSION}={token}"}

    def faults(self, operation: Operation, askers: list[Asker], calls: int = 1) -> list[str]:
        """What an operation did, or refused, against the table."""
        found = []
        for asker in askers:
            allowed = operation[2]["x-right"] in asker.may
            client = Calls(random.Random(SEED), self.app, self.known, 0, self.headers(asker))
            for _ in range(calls):
                if operation[2]["operationId"] == "signOut":
                    client.headers = self.headers(asker)
                _, asked, status, said = client.call(operation)
                code = (said or {}).get("code", "")
                if allowed == (code in NOT_ALLOWED) or status >= 500:
                    found.append(f"{asker.name}: {asked[:200]}: {status} {said}")
        self.as_it_was()
        return found

    def as_it_was(self) -> None:
        """What people are: somebody may have done what they may, or too much."""
        with write(self.store):
            people.set_alone(self.store, False)
            self.store.execute("DELETE FROM membership WHERE project <> ?", (self.other,))
            self.store.execute(
                "UPDATE person SET ended_at = NULL, administrator = (id = ?)",
                (self.administrator.id,),
            )
            for role, person in self.people.items():
                people.set_role(self.store, self.project, person, role, self.administrator.id)

    def test_everybody_may_what_the_table_says(self) -> None:
        may_not = [asker for asker in self.askers if asker.name != "administrator"]
        for operation in self.operations:
            with self.subTest(operation=operation[2]["operationId"]):
                self.assertEqual(self.faults(operation, may_not, 2), [])
        for operation in self.operations:
            with self.subTest(operation=operation[2]["operationId"]):
                self.assertEqual(self.faults(operation, self.askers[-1:]), [])
        rights_of = Counter(told["x-right"] for _, _, told in self.operations)
        told = ", ".join(f"{number} {right}" for right, number in rights_of.items())
        print(
            f"counted: {len(self.operations)} operations ({told}) x {len(self.askers)} callers",
            file=__import__("sys").__stdout__,
        )

    def test_a_check_that_is_taken_out_is_seen(self) -> None:
        """Each operation in turn asks for less than it says."""
        begin = rights.begin
        unseen = []
        for operation in self.operations:
            name, right = operation[2]["operationId"], operation[2]["x-right"]
            weaker: Any = {"open": None, "anyone": "open", "read": "anyone"}.get(
                right, "read" if right in ("run", "edit", "own") else "anyone"
            )
            if weaker is None:
                continue
            weakened = partial(self._begin, begin, {name: weaker})
            with patch.object(rights, "begin", weakened), self.no_faults_told():
                if not self.faults(operation, [self.asker(name) for name in WEAK]):
                    unseen.append(name)
        self.assertEqual(unseen, ["readMe", "listProjects"], "they tell of whoever asks")

    @staticmethod
    def _begin(
        begin: Any, weaker: dict[str, Any], store: sqlite3.Connection, id: str, right: Any
    ) -> None:
        begin(store, id, weaker.get(id, right))

    def asker(self, name: str) -> Asker:
        return next(asker for asker in self.askers if asker.name == name)

    @contextmanager
    def no_faults_told(self) -> Iterator[None]:
        """An operation for nobody that looks at who asks fails: that, too, is seen."""
        with self.assertLogs("saltpath.web") as logs:
            logs.records.clear()
            __import__("logging").getLogger("saltpath.web").error("expected")
            yield

    def test_one_right_more_is_seen(self) -> None:
        for table, promised in ((rights.ROLES, ROLE_RIGHTS), (rights.SCOPES, SCOPE_RIGHTS)):
            for name, held in promised.items():
                for right in ("read", "run", "edit", "own"):
                    if right in held or (right == "own" and table is rights.SCOPES):
                        continue
                    more: Any = {**table, name: table[name] | {right}}  # type: ignore[index]
                    which = "ROLES" if table is rights.ROLES else "SCOPES"
                    of_right = [one for one in self.operations if one[2]["x-right"] == right]
                    with (
                        self.subTest(name=name, right=right),
                        patch.object(rights, which, more),
                        self.no_faults_told(),
                    ):
                        found = [self.faults(one, self.askers[:-1]) for one in of_right[:4]]
                        self.assertTrue(any(found))

    def test_nothing_of_another_project_is_told_or_changed(self) -> None:
        self.assertEqual(self.told_of_the_other(), [])

    def test_a_project_that_is_not_looked_at_is_seen(self) -> None:
        """The one check that every load by id makes, taken out."""

        def all_permitted(store: sqlite3.Connection, asking: Any, project: int) -> None:
            from flask import g

            g.permitted = True

        with patch("saltpath.server.asked.permit", all_permitted):
            self.assertNotEqual(self.told_of_the_other(changes=False), [])

    def told_of_the_other(self, changes: bool = True) -> list[str]:
        """What an owner of one project learns of another whose names they know, or changes in
        it."""
        self.plant()
        before = self.rows_of_other()
        owner = self.asker("owner")
        found = []
        for operation in self.operations:
            if operation[2]["operationId"] in ("signOut", "endSessions"):
                continue
            if not changes and operation[0] != "get":
                continue
            client = Calls(random.Random(SEED), self.app, self.others, 0, self.headers(owner))
            for _ in range(3):
                method, asked, answer = client.answer(operation)
                told = answer.get_data()
                if PLANTED.encode() in told:
                    found.append(f"{method} {asked[:200]}: {told[:200]!r}")
        for table, rows in self.rows_of_other().items():
            if rows != before[table]:
                found.append(f"{table} was changed")
        return found

    def plant(self) -> None:
        """A word that stands nowhere else, in everything of the other project that has a name."""
        with write(self.store):
            for table, column in (
                ("project", "name"),
                ("project", "document"),
                ("suite", "name"),
                ("suite", "document"),
                ("environment", "document"),
                ("case_revision", "document"),
                ("test_case", "name"),
                ("run", "title"),
                ("run", "note"),
                ("run_case", "name"),
            ):
                which = "id" if table == "project" else "project"
                for row in self.store.execute(
                    f"SELECT rowid AS at, * FROM {table} WHERE {which} = ?"
                    if table not in ("case_revision", "run_case")
                    else f"SELECT * FROM {table} WHERE {which} = ?",
                    (self.other,),
                ).fetchall():
                    text = str(row[column])
                    if PLANTED in text:
                        continue
                    planted = (
                        text.replace('"about":"', f'"about":"{PLANTED} ', 1)
                        if column == "document" and '"about":"' in text
                        else text
                        if column == "document"
                        else f"{text} {PLANTED}"
                    )
                    if table == "run_case":
                        self.store.execute(
                            "UPDATE run_case SET name = ? WHERE run = ? AND position = ?",
                            (planted, row["run"], row["position"]),
                        )
                    elif table == "case_revision":
                        self.store.execute(
                            "UPDATE case_revision SET document = ? WHERE test_case = ? AND version "
                            "= ?",
                            (planted, row["test_case"], row["version"]),
                        )
                    else:
                        self.store.execute(
                            f"UPDATE {table} SET {column} = ? WHERE rowid = ?", (planted, row["at"])
                        )
        run = runs.run(self.store, self.others["run"][0])
        if "share" not in self.others:
            share, _ = shares.add_share(self.store, self.other, run.id, self.administrator.id, 1)
            rule = deliveries.add_rule(
                self.store,
                self.other,
                self.administrator.id,
                deliveries.Rule(f"http://127.0.0.1:1/{PLANTED}"),
            )
            key, _ = access_keys.add_key(
                self.store, self.administrator, PLANTED, ["read"], 1, self.other
            )
            stranger = people.add_person(self.store, f"{PLANTED} Person", "quagmire")
            people.set_role(self.store, self.other, stranger, "editor", self.administrator.id)
            session, _ = sessions.begin(self.store, stranger, PLANTED, "", "password")
            picture, _ = pictures.add_picture(
                self.store, self.other, None, PLANTED, self.administrator.id
            )
            self.others |= {
                "share": [share.oid],
                "picture": [picture.oid],
                "rule": [rule.oid],
                "key": [key.oid],
                "person": [stranger.oid],
                "session": [session.oid],
            }

    def rows_of_other(self) -> dict[str, list[Any]]:
        """What the database holds of the other project, by table."""
        tables = (
            "suite",
            "environment",
            "test_case",
            "case_revision",
            "run",
            "secret",
            "delivery_rule",
            "membership",
            "share",
            "picture",
            "audit",
            "access_key",
        )
        with closing(connect(self.folder)) as store:
            return {
                table: [
                    tuple(row)
                    for row in store.execute(
                        f"SELECT * FROM {table} WHERE project = ?", (self.other,)
                    )
                ]
                for table in tables
            }

    def test_what_changes_something_says_its_right(self) -> None:
        for method, path, told in self.operations:
            if method == "get":
                self.assertNotIn("x-did", told, path)
            elif told["operationId"] not in READ_BY_POST and told["x-right"] == "read":
                self.assertRegex(told["operationId"], "^(read|list|clean|put)", path)
            if told["x-right"] in ("run", "edit", "own", "administer") and method != "get":
                self.assertIn("x-did", told, f"{path}: what it did is written down")

    def test_a_view_that_looks_at_no_right_answers_nothing(self) -> None:
        owner = self.asker("owner")
        with patch("saltpath.server.asked.permit"), self.assertLogs("saltpath.web"):
            answer = self.app.test_client(use_cookies=False).get(
                f"/api/v1/suites?project={self.known['project'][0]}",
                headers={"Host": "127.0.0.1", **self.headers(owner)},
            )
        self.assertEqual((answer.status_code, answer.json["code"]), (500, "fault"))

    def test_the_page_of_permissions_is_current(self) -> None:
        self.assertEqual(permissions.PAGE.read_text(encoding="utf-8"), permissions.page())


if __name__ == "__main__":
    unittest.main()
