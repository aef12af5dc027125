"""Installations of earlier versions: a data folder of each, as the demonstration left it there, is
brought up, and everything in it can be read. `python -m tests.store.test_upgrade keep` makes one of
this version, `kept/MAIN-EVIDENCE-HISTORY.zip` by the versions of its files; each release adds
one."""

import shutil
import sqlite3
import sys
import tempfile
import unittest
import zipfile
from contextlib import closing
from pathlib import Path

from saltpath.core.format.reader import case_from_data
from saltpath.core.format.watch_reader import read_watch
from saltpath.runner.planning import Planner
from saltpath.store import (
    backup,
    cases,
    evidence,
    last_verdicts,
    people,
    project_files,
    projects,
    resources,
    run_rows,
    runs,
    secrets,
    watches,
)
from saltpath.store.database import FILES, connect, migrate, newest_version
from saltpath.store.history import alerts, troubles
from saltpath.store.history import seen as seen_by_watches
from saltpath.store.restoring import restore

KEPT = Path(__file__).parent / "kept"
SECRETS = {"agentPassword": "salt-and-tar"}


class Upgrade(unittest.TestCase):
    def each(self):
        """Each kept folder, unpacked and brought up."""
        found = sorted(KEPT.glob("*.zip"))
        self.assertGreaterEqual(len(found), 9)
        for archive in found:
            with self.subTest(archive.name), tempfile.TemporaryDirectory() as name:
                folder = Path(name) / "data"
                folder.mkdir()
                with zipfile.ZipFile(archive) as packed:
                    packed.extractall(folder)
                versions = {
                    which: _version(folder, file)
                    for which, file in FILES.items()
                    if (folder / file).exists()
                }
                written = "-".join(f"{version:03d}" for version in versions.values())
                self.assertEqual(archive.stem, written)
                migrate(folder)
                for which, file in FILES.items():
                    self.assertEqual(_version(folder, file), newest_version(which))
                    if versions.get(which, newest_version(which)) < newest_version(which):
                        kept = f"{file}.before-{newest_version(which):03d}"
                        self.assertEqual(_version(folder, kept), versions[which])
                main, seen = connect(folder), connect(folder, "evidence")
                with closing(main), closing(seen):
                    yield folder, main, seen

    def test_everything_in_it_is_read(self) -> None:
        for folder, main, seen in self.each():
            [project, *_] = [
                one for one in projects.projects(main) if one.name == "Fernholm Harbour"
            ]
            held = cases.cases(main, project.id)
            self.assertGreater(len(held), 3)
            for case in held:
                self.assertIsNone(case.unread, case.name)
                case_from_data(case.document)
            found = runs.runs(main, project.id, before=None, limit=10)
            self.assertTrue(found)
            steps = 0
            for run in found:
                self.assertEqual(run.state, "finished")
                entries = runs.run_cases(main, run.id)
                self.assertTrue(entries)
                for entry in entries:
                    self.assertIn(entry.verdict, ("passed", "failed", "blocked", "unchecked"))
                    row = run_rows.first(seen, run.id, entry.position)
                    for step in evidence.steps(seen, run.id, entry.position, row):
                        steps += 1
                        self.assertNotEqual(step.name, "", "what it saw is there")
                self.assertEqual(resources.left_by(main, seen, run), [])
            self.assertGreater(steps, 10)
            last_verdicts.of_project(main, project.id)
            watched = watches.watches(main, project.id)
            for watch in watched:
                read_watch(watch.document)
            with closing(connect(folder, "history")) as history:
                outages = troubles.troubles(history, project.id, 0, 1 << 40, kind="outage")
                self.assertGreaterEqual(len(outages), 4 if watched else 0)
                kept = history.execute("SELECT DISTINCT watch, due, turn FROM watch_evidence")
                for row in kept.fetchall():
                    for attempt in seen_by_watches.attempts(history, *row):
                        for step in attempt.steps:
                            self.assertLess(abs(step.head.at / 1e6 - row["due"]), 120)
                for outage in outages:
                    self.assertGreater(outage.runs, 0)
                    alerts.told_by(history, outage.id)
            self.assertTrue(people.local_owner(main).administrator)
            project_files.listed(main, project.id)
            opened = secrets.secrets_for(main, folder, project.id, "Rehearsal")
            for name, value in SECRETS.items():
                self.assertEqual(opened.get(name, value), value)

    def test_its_runs_are_planned_again(self) -> None:
        for folder, main, seen in self.each():
            for project in projects.projects(main):
                for run in runs.runs(main, project.id, before=None, limit=3):
                    planned = Planner(main, seen, folder, lambda: None).plan(run, False)
                    self.assertEqual(planned.plan.number, run.number)

    def test_it_is_backed_up_and_restored(self) -> None:
        for folder, main, _ in self.each():
            archive, there = folder.parent / "all.zip", folder.parent / "there"
            backup.back_up(folder, archive, with_key=True)
            done = restore(archive, there)
            self.assertEqual(done.projects, len(projects.projects(main)))


def _version(folder: Path, file: str) -> int:
    with closing(sqlite3.connect(folder / file)) as store:
        return int(store.execute("PRAGMA user_version").fetchone()[0])


def keep() -> None:
    """Put what the demonstration leaves behind in this version among those that are kept."""
    from tests.application import begin

    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "data"
        begin(folder)
        for file in FILES.values():
            with closing(sqlite3.connect(folder / file)) as store:
                store.execute("PRAGMA journal_mode = DELETE")
                store.execute("VACUUM")
        versions = [f"{_version(folder, file):03d}" for file in FILES.values()]
        archive = KEPT / f"{'-'.join(versions)}.zip"
        with zipfile.ZipFile(archive, "w", zipfile.ZIP_DEFLATED, compresslevel=9) as packed:
            for file in (*FILES.values(), secrets.KEY_FILE):
                packed.write(folder / file, file)
        shutil.rmtree(folder)
        print(archive)


if __name__ == "__main__":
    keep() if sys.argv[1:] == ["keep"] else unittest.main()
