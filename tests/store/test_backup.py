"""Backups: taken while others write, restored elsewhere and sound; archives that are none, or mean
harm, leave nothing behind; one is made each day."""

from __future__ import annotations

import random
import sqlite3
import stat
import tempfile
import threading
import unittest
import unittest.mock
import zipfile
from contextlib import closing
from pathlib import Path

from saltpath.store import (
    backup,
    cases,
    people,
    project_files,
    projects,
    providers,
    restoring,
    second_factors,
    secrets,
)
from saltpath.store.backup import DAY_S, back_up, daily
from saltpath.store.database import FILES, StoreError, connect, migrate
from saltpath.store.restoring import restore
from saltpath.store.sessions import begin

NOW = 1_800_000_000.0


class Backups(unittest.TestCase):
    def setUp(self) -> None:
        self.root = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.folder, self.archive = self.root / "data", self.root / "all.zip"
        migrate(self.folder)
        self.store = self.enterContext(closing(connect(self.folder)))
        self.owner = people.local_owner(self.store)
        self.project = projects.add_project(
            self.store, self.owner.id, {"salt-path": 1, "project": "P"}
        )
        suite = {"salt-path": 1, "suite": "S"}
        self.suite = projects.add_suite(self.store, self.project.id, self.owner.id, "s", suite)
        self.place = secrets.Place(self.project.id, "pin")
        secrets.set_secret(self.store, self.folder, self.place, self.owner.id, "salt-and-tar")
        large = random.Random(1).randbytes(300_000)
        project_files.put_file(self.store, self.project.id, self.owner.id, "data/a.bin", large)
        begin(self.store, self.owner, "", "", "password")

    def add_case(self, store: sqlite3.Connection, number: int) -> None:
        document = {"salt-path": 1, "case": f"Case {number}", "steps": [{"set": {"n": number}}]}
        cases.add_case(store, self.project.id, self.suite.id, self.owner.id, document)

    def test_one_taken_under_load_is_sound_elsewhere(self) -> None:
        over, made = threading.Event(), [0]

        def write_on() -> None:
            with closing(connect(self.folder)) as store:
                while not over.is_set():
                    made[0] += 1
                    self.add_case(store, made[0])

        writer = threading.Thread(target=write_on)
        writer.start()
        try:
            while made[0] < 20:
                over.wait(0.01)
            before = made[0]
            back_up(self.folder, self.archive, with_key=True)
        finally:
            over.set()
            writer.join()
        elsewhere = self.root / "elsewhere"
        done = restore(self.archive, elsewhere)
        self.assertEqual((done.projects, done.key), (1, True))
        with closing(connect(elsewhere)) as store:
            held = [case.name for case in cases.cases(store, self.project.id)]
            self.assertGreaterEqual(len(held), before - 1)
            self.assertEqual(held, [f"Case {number + 1}" for number in range(len(held))])
            self.assertEqual(store.execute("PRAGMA integrity_check").fetchone()[0], "ok")
            self.assertEqual(store.execute("PRAGMA foreign_key_check").fetchall(), [])
            self.assertEqual(secrets.secret_at(store, elsewhere, self.place), "salt-and-tar")
            file = project_files.file_reader(store, self.project.id)("data/a.bin")
            self.assertEqual(len(file), 300_000)
            self.assertEqual(store.execute("SELECT count(*) FROM session").fetchone()[0], 0)
        self.assertEqual(stat.S_IMODE(elsewhere.stat().st_mode), 0o700)

    def test_secrets_are_read_only_with_the_key(self) -> None:
        back_up(self.folder, self.archive)
        elsewhere = self.root / "elsewhere"
        self.assertFalse(restore(self.archive, elsewhere).key)
        with closing(connect(elsewhere)) as store:
            for _ in range(2):
                with self.assertRaisesRegex(StoreError, "secret.key is missing"):
                    secrets.secret_at(store, elsewhere, self.place)
            self.assertFalse((elsewhere / "secret.key").exists(), "no other key takes its place")
            (elsewhere / "secret.key").write_bytes((self.folder / "secret.key").read_bytes())
            self.assertEqual(secrets.secret_at(store, elsewhere, self.place), "salt-and-tar")

    def test_whatever_is_sealed_no_other_key_takes_the_place_of_its_own(self) -> None:
        secrets.forget(self.store, self.place)
        (self.folder / "secret.key").unlink()
        back_up(self.folder, self.archive)
        self.assertTrue(restore(self.archive, self.root / "none").key, "nothing is sealed")

        def second_factor() -> None:
            second_factors.set_second(self.store, self.folder, self.owner, "A" * 32, [])

        def of_provider() -> None:
            held = providers.Provider("https://id.example", "salt")
            providers.set_provider(self.store, self.folder, held, "hush")

        for seal, forget in (
            (second_factor, lambda: second_factors.drop_second(self.store, self.owner)),
            (
                of_provider,
                lambda: providers.set_provider(self.store, self.folder, providers.Provider(), ""),
            ),
        ):
            with self.subTest(seal.__name__):
                seal()
                back_up(self.folder, self.archive)
                self.assertFalse(restore(self.archive, self.root / seal.__name__).key)
                (self.folder / "secret.key").unlink()
                with self.assertRaisesRegex(StoreError, "secret.key is missing"):
                    secrets.seal_text(self.folder, "x", "x")
                forget()
                secrets.seal_text(self.folder, "x", "x")
                (self.folder / "secret.key").unlink()

    def test_a_folder_that_is_not_empty_stays_as_it_is(self) -> None:
        back_up(self.folder, self.archive)
        with self.assertRaisesRegex(StoreError, "not empty"):
            restore(self.archive, self.folder)
        file = self.root / "file"
        file.write_text("x")
        with self.assertRaisesRegex(StoreError, "not empty"):
            restore(self.archive, file)

    def packed(self, **changed: bytes | None) -> Path:
        """The backup with members added, replaced, or (None) left out; `_` stands for /."""
        back_up(self.folder, self.archive, with_key=True)
        other = self.root / "other.zip"
        with zipfile.ZipFile(self.archive) as was, zipfile.ZipFile(other, "w") as made:
            for name in was.namelist():
                if name not in changed:
                    made.writestr(name, was.read(name))
            for name, octets in changed.items():
                if octets is not None:
                    made.writestr(name, octets)
        return other

    def refused(self, archive: Path, said: str) -> None:
        before = sorted(self.root.rglob("*"))
        with self.assertRaisesRegex(StoreError, said):
            restore(archive, self.root / "elsewhere")
        self.assertEqual(sorted(self.root.rglob("*")), before, "nothing is left behind")

    def test_archives_that_mean_harm_leave_nothing_behind(self) -> None:
        for name in ("../evil", "/etc/evil", "files/../../evil", "files/x", "lock", "a\\..\\b"):
            with self.subTest(name):
                self.refused(self.packed(**{name: b"x"}), "is no backup")
        self.refused(self.packed(**{FILES["evidence"]: None}), "is not in it")
        archive = self.packed()
        link = zipfile.ZipInfo("files/" + "a" * 64)
        link.external_attr = (stat.S_IFLNK | 0o777) << 16
        with zipfile.ZipFile(archive, "a") as made:
            made.writestr(link, "/etc/passwd")
        self.refused(archive, "is no backup")
        self.refused(self.packed(**{"files/" + "a" * 64: b"other"}), "is damaged")
        wrong_key = self.packed(**{"secret.key": bytes(32)})
        self.refused(wrong_key, "does not open")
        nothing = self.root / "nothing.zip"
        nothing.write_bytes(b"PK\x03\x04 no zip")
        self.refused(nothing, "cannot be restored")

    def test_a_bomb_is_not_unpacked(self) -> None:
        archive = self.packed()
        with zipfile.ZipFile(archive, "a", zipfile.ZIP_DEFLATED) as made:
            made.writestr("files/" + "b" * 64, bytes(50_000_000))
        with unittest.mock.patch.object(
            restoring.shutil, "disk_usage", lambda _: unittest.mock.Mock(free=40_000_000)
        ):
            self.refused(archive, "no room")

    def test_a_newer_or_a_damaged_one_is_refused(self) -> None:
        back_up(self.folder, self.archive)
        aside = self.root / "aside"
        aside.mkdir()
        for version, spoil, said in (
            (999, False, "newer Salt Path"),
            (1, True, "malformed|damaged"),
        ):
            with zipfile.ZipFile(self.archive) as was:
                octets = was.read(FILES["main"])
            file = aside / "main.db"
            file.write_bytes(octets)
            with closing(sqlite3.connect(file)) as main:
                main.execute(f"PRAGMA user_version = {version}")
            octets = bytearray(file.read_bytes())
            if spoil:
                octets[5_000:60_000] = bytes(55_000)
            archive = self.packed(**{FILES["main"]: bytes(octets)})
            with self.subTest(said):
                self.refused(archive, said)

    def test_one_is_made_each_day_and_so_many_are_kept(self) -> None:
        to = self.root / "backups"
        for day in range(5):
            made = daily(self.folder, to, 3, NOW + day * DAY_S)
            self.assertIsNotNone(made)
            self.assertIsNone(daily(self.folder, to, 3, NOW + day * DAY_S + DAY_S - 1))
            (to / "mine.zip").write_bytes(b"mine")
        kept = sorted(file.name for file in to.iterdir())
        self.assertEqual(len(kept), 4, "three, and what somebody else put there")
        restore(max(backup._dailies(to)), self.root / "elsewhere")
        self.assertIsNone(daily(self.folder, self.root / "none", 0, NOW))
        self.assertFalse((self.root / "none").exists())
        set_back = daily(self.folder, to, 3, NOW - 9 * DAY_S)
        self.assertTrue(set_back.exists(), "as if it were the first")
        self.assertIsNone(daily(self.folder, to, 3, NOW - 9 * DAY_S + 600))


if __name__ == "__main__":
    unittest.main()
