"""The store: migrations, revisions, secrets, evidence packed and read back."""

import os
import random
import sqlite3
import stat
import tempfile
import unittest
import unittest.mock
import zipfile
from contextlib import closing
from decimal import Decimal
from pathlib import Path

from msgspec import structs

from saltpath.core.answers.exchange import Exchange, Times
from saltpath.core.checks.judge import Outcome
from saltpath.core.running.events import StepFinished
from saltpath.core.running.plan import RunRequest
from saltpath.core.values import plain
from saltpath.core.values.why import why
from saltpath.store import (
    backup,
    cases,
    database,
    environments,
    evidence,
    identity,
    jobs,
    last_verdicts,
    people,
    projects,
    run_records,
    runs,
    secrets,
    step_rows,
    workbooks,
)
from saltpath.store.database import StoreError, VersionConflict, connect, migrate, write
from saltpath.store.packing import Packer
from saltpath.store.values import CellChange, change_values, rename_value

DOCUMENT = {
    "salt-path": 1,
    "case": "A",
    "steps": [
        {"request": "B", "send": "GET http://h/", "expect": [{"of": "$.a", "is": Decimal("1.50")}]}
    ],
}


def owner_before_roles(old: sqlite3.Connection) -> int:
    """The one local owner, as versions up to 22 had them."""
    made = old.execute(
        "INSERT INTO person (oid, name, role, made_at) VALUES ('person_1', 'Ines', 'owner', 1)"
    )
    return made.lastrowid


class Store(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        migrate(self.folder)
        self.main = connect(self.folder)
        self.addCleanup(self.main.close)
        self.owner = people.local_owner(self.main)
        self.project = projects.add_project(
            self.main, self.owner.id, {"salt-path": 1, "project": "P"}
        )
        self.suite = projects.add_suite(
            self.main, self.project.id, self.owner.id, "s", {"salt-path": 1, "suite": "S"}
        )
        self.case = cases.add_case(
            self.main, self.project.id, self.suite.id, self.owner.id, DOCUMENT
        )

    def ask(self, **more) -> runs.Run:
        chosen = [(self.case.id, self.case.version, "A")]
        return runs.ask(
            self.main,
            self.project.id,
            self.owner.id,
            chosen,
            kind="run",
            title="A",
            environments=[""],
            seed=1,
            **more,
        )[0]

    def seal(self, name: str, value: str, environment: str = "", suite: str = "") -> None:
        place = secrets.Place(self.project.id, name, suite, environment)
        secrets.set_secret(self.main, self.folder, place, self.owner.id, value)

    def read_in(self, environment: str = "", suite: str = "") -> dict[str, str]:
        return secrets.secrets_for(self.main, self.folder, self.project.id, environment, suite)

    def test_a_suites_secret_is_not_the_projects(self):
        """The fault: hiding a suite's value `tok` overwrote the project's secret `tok`; renaming a
        suite's lost its value."""
        suite = self.suite.oid

        def change(
            kind: str, name: str, suite: str = "", value: str = "", environment: str = ""
        ) -> None:
            change_values(
                self.main,
                self.folder,
                self.project,
                self.owner.id,
                [CellChange(kind, name, suite, environment, value)],
            )

        for name in ("Live", "Rehearsal"):
            projects.add_environment(
                self.main, self.project.id, self.owner.id, {"salt-path": 1, "environment": name}
            )
        for of, value in (("", "of the project"), (suite, "of the suite")):
            change("put", "tok", of, value)
            change("hide", "tok", of)
        change("put", "tok", suite, "live one", "Live")
        self.assertEqual(
            (self.read_in(), self.read_in(suite=suite)),
            ({"tok": "of the project"}, {"tok": "of the suite"}),
        )
        rename_value(
            self.main, self.folder, self.project, self.owner.id, suite, "tok", "token", keep=True
        )
        self.assertEqual(self.read_in("Live", suite), {"tok": "live one", "token": "live one"})
        rename_value(
            self.main, self.folder, self.project, self.owner.id, suite, "tok", "token", keep=False
        )
        rename_value(
            self.main, self.folder, self.project, self.owner.id, "", "tok", "key", keep=False
        )
        live = next(
            e for e in projects.environments(self.main, self.project.id) if e.name == "Live"
        )
        environments.change_environment(
            self.main,
            self.folder,
            self.project,
            live,
            self.owner.id,
            lambda held: {**held, "environment": "Sea"},
        )
        self.assertEqual(
            (self.read_in("Sea"), self.read_in("Sea", suite)),
            ({"key": "of the project"}, {"token": "live one"}),
        )
        self.assertEqual(secrets.change_key(self.main, self.folder), 3)
        self.assertEqual(
            (self.read_in(), self.read_in(suite=suite)),
            ({"key": "of the project"}, {"token": "of the suite"}),
        )
        change("clear", "token", suite, environment="Sea")
        self.assertEqual(self.read_in("Sea", suite), {"token": "of the suite"})
        change("remove", "token", suite)
        self.assertEqual(
            (self.read_in(), self.read_in(suite=suite)), ({"key": "of the project"}, {})
        )

    def test_secrets_of_suites_that_an_older_version_kept_as_the_projects_are_read(self):
        scripts = sorted((Path(database.__file__).parent / "migrations/main").glob("*.sql"))
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            old = connect(folder)
            for script in scripts[:7]:
                old.executescript(script.read_text())
            old.execute("PRAGMA user_version = 7")
            owner = owner_before_roles(old)
            project = projects.add_project(old, owner, {"salt-path": 1, "project": "P"}).id
            document = {"salt-path": 1, "suite": "S", "values": {"tok": {"secret": True}}}
            suite = projects.add_suite(old, project, owner, "s", document).oid
            (folder / "secret.key").write_bytes(bytes(range(32)))  # as it was made then
            sealed = secrets._seal(folder, f"{project}/Live/tok", "salt-and-tar")
            old.execute(
                "INSERT INTO secret VALUES (?, 'Live', 'tok', ?, ?, 1)", (project, sealed, owner)
            )
            old.close()
            migrate(folder)
            with closing(connect(folder)) as main:
                for of in ("", suite):
                    self.assertEqual(
                        secrets.secrets_for(main, folder, project, "Live", of),
                        {"tok": "salt-and-tar"},
                    )
                secrets.change_key(main, folder)
                self.assertEqual(
                    secrets.secrets_for(main, folder, project, "Live", suite),
                    {"tok": "salt-and-tar"},
                )

    def test_migrating_again_changes_nothing_and_a_newer_file_is_refused(self):
        migrate(self.folder)
        self.assertEqual(cases.case(self.main, self.case.oid).name, "A")
        self.main.execute("PRAGMA user_version = 99")
        with self.assertRaises(StoreError) as caught:
            migrate(self.folder)
        self.assertIn("newer Salt Path", str(caught.exception))

    def test_a_file_of_an_older_version_is_brought_up_and_a_copy_of_it_kept(self):
        scripts = sorted((Path(database.__file__).parent / "migrations/main").glob("*.sql"))
        newest = int(scripts[-1].name[:3])
        for version in range(1, newest):
            with self.subTest(version), tempfile.TemporaryDirectory() as name:
                folder = Path(name)
                old = connect(folder)
                for script in scripts[:version]:
                    old.executescript(script.read_text())
                old.execute(f"PRAGMA user_version = {version}")
                owner = people.local_owner(old).id if version > 22 else owner_before_roles(old)
                old.execute(
                    "INSERT INTO project (oid, name, document, version, actor, made_at) VALUES "
                    "('p', 'P', '{}', 1, ?, 0)",
                    (owner,),
                )
                old.execute(
                    "INSERT INTO suite (project, oid, name, folder, document, version, position, "
                    "actor, made_at)"
                    " VALUES (1, 's', 'S', 'suites/s', '{}', 1, 0, ?, 0)",
                    (owner,),
                )
                old.close()
                migrate(folder)
                self.assertTrue((folder / f"saltpath.db.before-{newest:03d}").exists())
                new = connect(folder)
                self.addCleanup(new.close)
                self.assertEqual([suite.name for suite in projects.suites(new, 1)], ["S"])
                self.assertEqual(cases.single_requests(new, 1, 10), [])
                self.assertIsNone(workbooks.kept(new, 1))

    def test_revisions(self):
        self.assertEqual(str(self.case.document["steps"][0]["expect"][0]["is"]), "1.50")
        self.assertRegex(self.case.document["steps"][0]["key"], "^[a-z0-9]{6}$")
        second = cases.save_case(
            self.main, self.case.oid, self.owner.id, 1, {**self.case.document, "case": "A2"}, {}
        )
        third = cases.save_case(
            self.main, self.case.oid, self.owner.id, 2, {**self.case.document, "case": "A3"}, {}
        )
        self.assertEqual(
            (second.version, third.version, third.name, third.key), (2, 3, "A3", self.case.key)
        )
        with self.assertRaises(VersionConflict):
            cases.save_case(self.main, self.case.oid, self.owner.id, 2, DOCUMENT, {})
        kept = [
            row[0]
            for row in self.main.execute("SELECT version FROM case_revision ORDER BY version")
        ]
        self.assertEqual(kept, [1, 3], "autosaves of one person fold")
        self.case = third
        self.ask()
        cases.save_case(self.main, self.case.oid, self.owner.id, 3, DOCUMENT, {})
        self.assertEqual(
            cases.case_at(self.main, self.case.id, 3).name, "A3", "a revision that a run used stays"
        )

    def test_copied_step_keys_are_made_new(self):
        step = {**DOCUMENT["steps"][0], "key": "abcdef"}
        keys = [s["key"] for s in identity.with_keys({**DOCUMENT, "steps": [step, step]})["steps"]]
        self.assertEqual((keys[0], len(set(keys))), ("abcdef", 2))

    def test_the_key_is_changed(self):
        self.seal("pin", "salt-and-tar")
        given = secrets.seal_given(self.folder, self.project.id, {"pin": "low-water"})
        runs.ask(
            self.main,
            self.project.id,
            self.owner.id,
            [],
            kind="run",
            title="x",
            environments=[""],
            seed=1,
            request=RunRequest(sealed=given),
        )
        old = (self.folder / "secret.key").read_bytes()
        self.assertEqual(secrets.change_key(self.main, self.folder), 2)
        self.assertNotEqual((self.folder / "secret.key").read_bytes(), old)
        self.assertEqual(
            secrets.secrets_for(self.main, self.folder, self.project.id, ""),
            {"pin": "salt-and-tar"},
        )
        sealed = runs.run_by_id(self.main, 1).request.sealed
        self.assertEqual(secrets.given(self.folder, self.project.id, sealed), {"pin": "low-water"})

    def test_a_change_of_key_that_was_broken_off_loses_nothing(self):
        self.seal("pin", "salt-and-tar")
        old = (self.folder / "secret.key").read_bytes()
        secrets.change_key(self.main, self.folder)
        # killed after what is sealed was written, before the new key took the old one's place
        (self.folder / "secret.key").rename(self.folder / "secret.key.next")
        (self.folder / "secret.key").write_bytes(old)
        self.seal("gate", "low-water")
        both = {"pin": "salt-and-tar", "gate": "low-water"}
        self.assertEqual(secrets.secrets_for(self.main, self.folder, self.project.id, ""), both)
        secrets.change_key(self.main, self.folder)
        self.assertFalse((self.folder / "secret.key.next").exists())
        self.assertEqual(secrets.secrets_for(self.main, self.folder, self.project.id, ""), both)
        # a value that cannot be read: nothing changes
        (self.folder / "secret.key").write_bytes(bytes(32))
        with self.assertRaises(database.StoreError):
            secrets.change_key(self.main, self.folder)
        self.assertFalse((self.folder / "secret.key.next").exists())

    def test_a_backup_is_whole_and_says_when_it_cannot_be(self):
        archive = self.folder / "all.zip"
        self.assertGreater(backup.back_up(self.folder, archive, with_key=False), 1000)
        with zipfile.ZipFile(archive) as made:
            self.assertEqual(made.namelist(), ["saltpath.db", "evidence.db", "history.db"])
        self.seal("pin", "salt-and-tar")
        backup.back_up(self.folder, archive, with_key=True)
        restored = self.folder / "restored"
        with zipfile.ZipFile(archive) as made:
            made.extractall(restored)
        with closing(database.connect(restored)) as main:
            self.assertEqual(
                secrets.secrets_for(main, restored, self.project.id, ""), {"pin": "salt-and-tar"}
            )
        with self.assertRaises(database.StoreError):
            backup.back_up(self.folder, self.folder / "nowhere" / "all.zip")

    def test_secrets_are_encrypted(self):
        self.seal("pin", "salt-and-tar")
        self.seal("pin", "low-water", "Live")
        self.assertEqual(
            secrets.secrets_for(self.main, self.folder, self.project.id, ""),
            {"pin": "salt-and-tar"},
        )
        self.assertEqual(
            secrets.secrets_for(self.main, self.folder, self.project.id, "Live"),
            {"pin": "low-water"},
        )
        self.assertEqual(stat.S_IMODE(os.stat(self.folder / "secret.key").st_mode), 0o600)
        self.main.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        self.assertNotIn(b"salt-and-tar", (self.folder / "saltpath.db").read_bytes())
        (self.folder / "secret.key").write_bytes(bytes(32))
        with self.assertRaises(StoreError):
            secrets.secrets_for(self.main, self.folder, self.project.id, "")

    def test_a_job_is_held_until_its_runner_has_ended_whatever_clocks_say(self):
        self.ask()
        first = jobs.take(self.main, "one")
        with unittest.mock.patch("time.time_ns", return_value=2**62):
            self.assertEqual((first.epoch, jobs.take(self.main, "two")), (1, None))
        self.assertEqual(jobs.stop_asked(self.main, first), "")
        jobs.ask_to_stop(self.main, first.run, "Ines")
        self.assertEqual(jobs.stop_asked(self.main, first), "Ines")
        self.assertEqual(jobs.asked_to_stop(self.main), {"one"})
        self.assertEqual(
            (jobs.release(self.main, "another"), jobs.take(self.main, "two")), (0, None)
        )
        jobs.release(self.main, "one")
        self.assertTrue(
            jobs.held(self.main, first.run, 1),
            "what its process had reported before it ended is still taken",
        )
        second = jobs.take(self.main, "two")
        self.assertEqual(
            (second.epoch, jobs.held(self.main, first.run, 1), jobs.held(self.main, first.run, 2)),
            (2, False, True),
        )
        self.assertIsNone(jobs.stop_asked(self.main, first), "it is another's now")
        self.assertFalse(jobs.finish(self.main, first), "and not the first one's to end")
        self.assertTrue(jobs.finish(self.main, second))
        self.assertFalse(jobs.ask_to_stop(self.main, first.run, "Ines"))
        self.assertFalse(
            jobs.held(self.main, first.run, 2), "what comes when all is over changes nothing"
        )

    def test_a_job_whose_runners_end_without_any_progress_is_known(self):
        run = self.ask()
        stuck = []
        for number in range(5):
            stuck.append(jobs.take(self.main, "one").stuck)
            if number == 2:
                run_records.record_steps(self.main, run.id, 0, 1)
            jobs.release(self.main, "one")
        self.assertEqual(stuck, [0, 1, 2, 0, 1])

    def test_the_run_s_verdict_comes_from_its_cases(self):
        run = self.ask()
        with write(self.main):
            run_records.record_started(self.main, run.id, 5)
            run_records.record_case_started(self.main, run.id, 0, 6)
            run_records.record_case_finished(
                self.main, run.id, 0, "failed", why("not-json", problem="x").to_json(), 7
            )
            run_records.record_case_finished(self.main, run.id, 0, "passed", None, 8)
            run_records.record_finished(self.main, run.id, 9, "")
        done = runs.run(self.main, run.oid)
        self.assertEqual(
            (done.verdict, done.counts, done.state), ("failed", {"failed": 1}, "finished")
        )
        self.assertEqual(
            last_verdicts.of_project(self.main, self.project.id)[self.case.id].verdicts, ["failed"]
        )

    def finished(self, number: int, body: bytes) -> StepFinished:
        exchange = Exchange(
            "GET",
            f"http://h/{number}",
            b"GET / HTTP/1.1\r\n\r\n",
            b"",
            200,
            b"HTTP/1.1 200 OK\r\n\r\n",
            body,
            body,
            Times(1, 2, 3, 4, 5, 15),
            number,
        )
        outcome = Outcome(
            "failed",
            "$.a is 1.50",
            Decimal("1.50"),
            9007199254740993,
            ("$.a",),
            why("differs", actual="1"),
        )
        return StepFinished(
            number,
            0,
            1,
            "steps",
            number,
            "abcdef",
            "B",
            "request",
            "failed",
            why("stopped", by="x"),
            15,
            200,
            (exchange,),
            (outcome,),
            {"k": Decimal("0.30")},
            {"[=k]": {"from": "kept.k", "value": [1]}},
            ("s",),
            True,
        )

    def test_evidence_comes_back_as_it_was(self):
        store = connect(self.folder, "evidence")
        self.addCleanup(store.close)
        packer = Packer()
        bodies = [b'{"a": 1318.40}', b"x" * 50_000, os.urandom(9_000), b'{"a": 1318.40}']
        events = [self.finished(number, body) for number, body in enumerate(bodies)]
        for _ in range(2):  # inserted once, however often it is handed in
            with write(store):
                packer.insert(store, 1, 1, [step_rows.row_of(event, 0) for event in events])
        back = list(evidence.steps(store, 1, 0))
        self.assertEqual(len(back), 4)
        for event, step in zip(events, back, strict=True):
            self.assertEqual(
                (step.exchanges, step.outcomes, step.kept),
                (event.exchanges, event.outcomes, event.kept),
            )
            self.assertEqual(
                (step.why, step.used, step.secret_kept), (event.why, event.used, event.secret_kept)
            )
        self.assertEqual(str(back[0].kept["k"]), "0.30")
        one = evidence.step(store, 1, 0, 1, "steps", 1)
        self.assertEqual(one.exchanges[0].body, bodies[1])

    def test_what_a_step_sees_again_and_again_is_packed_over_runs(self):
        store = connect(self.folder, "evidence")
        self.addCleanup(store.close)
        answers = [b'{"id": %d, "tide": 1.4, "of": "%s"}' % (7, b"Fernholm " * 100)] * 5
        answers += [os.urandom(900).hex().encode() for _ in range(3)]  # it sees something else
        answers += [answers[-1]] * 4
        for run, body in enumerate(answers, 1):
            row = step_rows.row_of(structs.replace(self.finished(1, body), key="k"), 0)
            packer = Packer()  # each run by another process
            if run % 3:
                packer = self.__dict__.setdefault("packer", packer)
            with write(store):
                packer.insert(store, 1, run, [row])
        for run, body in enumerate(answers, 1):
            [step] = evidence.steps(store, run, 0)
            self.assertEqual(step.exchanges[0].body, body)
        sizes = [r["n"] for r in store.execute("SELECT length(packed) AS n FROM step ORDER BY run")]
        self.assertLess(max(sizes), 60, sizes)
        bases = store.execute("SELECT id, last_run FROM base ORDER BY id").fetchall()
        self.assertEqual([base["last_run"] for base in bases], [5, 6, 7, 12])
        # a base that cannot be read any more costs what was packed against it, and no more
        store.execute("UPDATE base SET packed = x'00' WHERE id = ?", (bases[-1]["id"],))
        with write(store):
            Packer().insert(store, 1, 13, [row])
        [lost], [last] = evidence.steps(store, 12, 0), evidence.steps(store, 13, 0)
        self.assertEqual((lost.why.code, last.exchanges[0].body), ("evidence-gone", answers[-1]))

    def test_nothing_is_packed_against_what_was_taken_away(self):
        for others in (0, 1):  # whether another step's base has got the number of the one gone
            with self.subTest(others=others), closing(connect(self.folder, "evidence")) as store:
                packer = Packer()  # of one process, which lives longer than what is kept
                body = b'{"tide": 1.4, "at": "Fernholm"}'
                row = step_rows.row_of(structs.replace(self.finished(1, body), key="k"), 0)
                other = self.finished(1, os.urandom(2_000).hex().encode())
                other = step_rows.row_of(structs.replace(other, key="other"), 0)
                with write(store):
                    for table in ("step", "base"):
                        store.execute(f"DELETE FROM {table}")
                    packer.insert(store, 1, 1, [row])
                    store.execute("DELETE FROM base")  # no run before the second has evidence
                    packer.insert(store, 1, 2, [other] * others)
                    packer.insert(store, 1, 3, [row])
                [step] = evidence.steps(store, 3, 0)
                self.assertEqual(step.why.code, "stopped", step.why)
                self.assertEqual(step.exchanges[0].body, body)

    def kept_of(self, outcome: Outcome) -> tuple[Outcome, int]:
        """What comes back of an outcome, and the octets that it took on its way."""
        store = connect(self.folder, "evidence")
        self.addCleanup(store.close)
        row = step_rows.row_of(structs.replace(self.finished(1, b"{}"), outcomes=(outcome,)), 0)
        with write(store):
            store.execute("DELETE FROM step")
            Packer().insert(store, 1, 1, [row])
        [step] = evidence.steps(store, 1, 0)
        self.assertTrue(step.outcomes, step.why)
        return step.outcomes[0], len(row.record)

    def test_an_outcome_keeps_of_a_long_value_what_is_shown_of_it(self):
        chance = random.Random(5)
        for length in [chance.choice((5, 1_990, 2_010, 7_980, 8_020, 300_000)) for _ in range(60)]:
            text = chance.choice(("a", "ø", "\N{GRINNING FACE}", "\n", '"', "\ud800")) * length
            value = chance.choice(
                (
                    text,
                    [text],
                    {text: text},
                    {"…": text},
                    Decimal("1" * length),
                    [Decimal("1.50")] * (length // 4),
                )
            )
            part = Outcome("passed", "b", value, [value])
            back, size = self.kept_of(Outcome("failed", "a", value, {"x": value}, parts=(part,)))
            whole = plain.with_whole_texts(value)
            for found in (back, back.parts[0]):
                self.assertEqual(plain.show(found.expected, 2_000), plain.show(whole, 2_000))
            self.assertEqual(plain.show(back.actual, 2_000), plain.show({"x": whole}, 2_000))
            self.assertEqual(plain.show(back.parts[0].actual, 2_000), plain.show([whole], 2_000))
            self.assertLess(size, 200_000)

    def test_what_later_runs_compare_with_is_kept_whole(self):
        value = {"lines": ["x" * 300_000]}
        self.assertEqual(
            self.kept_of(Outcome("passed", "a", None, value, whole=True))[0].actual, value
        )

    def test_a_failed_write_leaves_nothing(self):
        with self.assertRaises(sqlite3.IntegrityError), write(self.main):
            self.main.execute("UPDATE project SET name = 'x'")
            self.main.execute(
                "INSERT INTO person (oid, name, made_at) VALUES (?, 'a', 1)",
                (self.owner.oid,),
            )
        self.assertEqual(projects.project(self.main, self.project.oid).name, "P")
