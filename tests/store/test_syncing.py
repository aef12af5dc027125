"""A folder and a project that are changed on both sides end the same, and what both have changed
otherwise is a conflict that nobody overwrites."""

import random
import shutil
import subprocess
import sys
import tempfile
import time
import unittest
from contextlib import closing
from pathlib import Path
from shutil import which
from typing import Any

from click.testing import CliRunner

from saltpath.cli import main
from saltpath.core.format.folder import read_folder
from saltpath.core.format.syncing import items_of
from saltpath.core.format.writer import write_document
from saltpath.formats.folders import read_disk
from saltpath.store import (
    cases,
    documents,
    environments,
    folders,
    people,
    project_files,
    projects,
    shared_steps,
    watches,
)
from saltpath.store.database import Conflict, Deleted, connect, migrate

DEMO = Path(__file__).resolve().parents[2] / "src/saltpath/demo/project"


class Syncing(unittest.TestCase):
    def setUp(self) -> None:
        self.root = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.folder, self.data = self.root / "folder", self.root / "data"
        migrate(self.data)
        self.store = self.enterContext(closing(connect(self.data)))
        self.owner = people.local_owner(self.store).id
        shutil.copytree(DEMO, self.folder)
        folders.bring_in(self.store, self.owner, read_folder(read_disk(self.folder)))
        [self.project] = projects.projects(self.store)

    def sync(self, *more: str, status: int = 0) -> str:
        arguments = ["sync", str(self.folder), "--data", str(self.data), *more]
        went = CliRunner().invoke(main, arguments)
        self.assertEqual(went.exit_code, status, went.output + repr(went.exception))
        return went.output

    def sides(self) -> list[Any]:
        there = folders.folder_of(self.store, projects.project_by_id(self.store, self.project.id))
        return [items_of(read_folder(read_disk(self.folder))), items_of(there)]

    def assert_same(self, but: frozenset[str] = frozenset()) -> None:
        here, there = self.sides()
        self.assertEqual(set(here), set(there))
        differ = [id for id, item in here.items() if not item.same(there[id])]
        self.assertEqual({id for _, id in differ} - but, set())

    def octets(self) -> dict[str, bytes]:
        return read_disk(self.folder)

    def text(self) -> str:
        return b"".join(self.octets().values()).decode("latin-1")

    def case(self, name: str) -> cases.StoredCase:
        return next(one for one in cases.cases(self.store, self.project.id) if one.name == name)

    def save(self, stored: cases.StoredCase, document: dict[str, Any]) -> None:
        args = (self.owner, stored.version, document, stored.comments)
        cases.save_case(self.store, stored.oid, *args)

    def test_where_nothing_differs_no_letter_changes(self) -> None:
        odd = self.folder / "suites/arrivals/sign-in.case.yaml"
        odd.write_text(odd.read_text().replace("steps:\n", "steps:\n\n\n"))
        before = self.octets()
        self.assertIn("both are the same", self.sync("--yes"))
        self.assertEqual(self.octets(), before)
        self.assertIn("both are the same", self.sync("--yes"))
        self.assertEqual(self.octets(), before)

    def test_each_side_gets_what_the_other_has_changed(self) -> None:
        self.sync("--yes")
        file = self.folder / "suites/arrivals/long-vessel.case.yaml"
        file.write_text(file.read_text().replace("A long vessel", "A very long vessel"))
        stored = self.case("Free berths are listed")
        self.save(stored, {**stored.document, "about": "From the page."})
        looked = self.sync("--look", status=1)
        self.assertIn("in the project: case A very long vessel gets a berth", looked)
        self.assertIn("in the folder:  case Free berths are listed: changed", looked)
        self.assertEqual(self.case("A long vessel gets a berth long enough").name[:6], "A long")
        self.sync("--yes")
        self.assert_same()
        self.assertTrue(self.case("A very long vessel gets a berth long enough"))
        self.assertIn("From the page.", self.text())
        self.assertIn("both are the same", self.sync())

    def test_two_who_change_steps_of_one_case_both_keep_their_changes(self) -> None:
        self.sync("--yes")
        file = self.folder / "suites/arrivals/sign-in.case.yaml"
        text = file.read_text()
        self.assertIn("A wrong password is refused", text)
        file.write_text(text.replace("A wrong password is refused", "It is refused"))
        stored = self.case("An agent signs in, and a stranger does not")
        document = dict(stored.document)
        document["steps"] = [*document["steps"][:-1], {**document["steps"][-1], "request": "Last"}]
        self.save(stored, document)
        self.assertNotIn("conflict", self.sync("--yes"))
        self.assert_same()
        names = [step["request"] for step in self.case(stored.name).document["steps"]]
        self.assertEqual((names[0], names[-1]), ("It is refused", "Last"))

    def test_a_conflict_is_told_and_left_alone(self) -> None:
        self.sync("--yes")
        file = self.folder / "suites/arrivals/sign-in.case.yaml"
        file.write_text(file.read_text().replace("An agent signs in", "Someone signs in"))
        stored = self.case("An agent signs in, and a stranger does not")
        self.save(stored, {**stored.document, "case": "An agent comes in"})
        other = self.case("Free berths are listed")
        self.save(other, {**other.document, "about": "From the page."})
        before = file.read_bytes()
        told = self.sync("--yes", status=1)
        self.assertIn("conflict: case Someone signs in, and a stranger does not: case", told)
        self.assertEqual(file.read_bytes(), before)
        self.assertTrue(self.case("An agent comes in"))
        self.assert_same(frozenset([stored.key]))
        self.assertIn("conflict", self.sync("--yes", status=1), "until somebody decides")
        self.assertIn("1 changed in the project", self.sync("--yes", "--take", "folder"))
        self.assert_same()
        self.assertTrue(self.case("Someone signs in, and a stranger does not"))

    def test_watches_go_both_ways_and_keep_who_they_are(self) -> None:
        self.sync("--yes")
        file = self.folder / "watches/tides.watch.yaml"
        file.parent.mkdir(exist_ok=True)
        file.write_text("salt-path: 1\n# the desk plans by it\nwatch: Tides\ntag: smoke\n")
        self.assertIn("in the project: watch Tides: new", self.sync("--look", status=1))
        self.sync("--yes")
        self.assert_same()
        held = next(w for w in watches.watches(self.store, self.project.id) if w.name == "Tides")
        text = file.read_text()
        self.assertIn(f"key: {held.document['key']}", text, "it was given one")
        self.assertIn("# the desk plans by it", text)
        documents.change(self.store, held, self.owner, lambda old: {**old, "every": "1 h"})
        file.write_text(text.replace("tag: smoke", "tag: feeds"))
        self.sync("--yes")
        self.assert_same()
        now = watches.watch(self.store, held.oid)
        self.assertEqual((now.document["every"], now.document["tag"]), ("1 h", "feeds"))
        file.rename(file.with_name("low-tides.watch.yaml"))
        self.sync("--yes")
        self.assert_same()
        self.assertEqual(watches.watch(self.store, held.oid).folder, "low-tides")
        file.with_name("low-tides.watch.yaml").unlink()
        self.sync("--yes")
        with self.assertRaises(Deleted):
            watches.watch(self.store, held.oid)
        self.assertEqual(watches.bring_back(self.store, now).id, held.id)
        self.sync("--yes")
        self.assert_same()
        with self.assertRaises(Conflict):
            watches.bring_back(self.store, now)
        file.write_text("salt-path: 1\nwatch: Tides\nevry: 1 min\n")
        told = self.sync("--yes", status=2)
        self.assertIn("did you mean 'every'?", told)

    def test_what_watches_name_may_be_called_otherwise(self) -> None:
        document = {"salt-path": 1, "watch": "W", "suite": "suites/desks", "environment": "Live"}
        held = watches.add(self.store, self.project.id, self.owner, document)
        suites = {one.folder: one for one in projects.suites(self.store, self.project.id)}
        projects.put_into(self.store, suites["suites/desks"], suites["suites/arrivals"])
        [live] = [
            one for one in projects.environments(self.store, self.project.id) if one.name == "Live"
        ]
        renamed = lambda old: {**old, "environment": "Open sea"}  # noqa: E731
        environments.change_environment(
            self.store, self.data, self.project, live, self.owner, renamed
        )
        now = watches.watch(self.store, held.oid).document
        self.assertEqual((now["suite"], now["environment"]), ("suites/arrivals/desks", "Open sea"))

    def test_a_suite_that_stands_elsewhere_is_the_same_one(self) -> None:
        """Moved on a disk, and back by the page, it is whom its secrets are sealed for."""
        self.sync("--yes")
        before = {one.name: one for one in projects.suites(self.store, self.project.id)}
        moved = before["Berths and fees"]
        port = self.folder / "suites/port"
        port.mkdir()
        (port / "suite.yaml").write_text("salt-path: 1\nsuite: Port\ntags: [port]\n")
        (self.folder / moved.folder).rename(port / "berths-and-fees")
        self.sync("--yes")
        self.assert_same()
        now = {one.name: one for one in projects.suites(self.store, self.project.id)}
        self.assertEqual(set(now), {*before, "Port"})
        self.assertEqual(now[moved.name].id, moved.id)
        standing = projects.standing(self.store, now[moved.name])
        self.assertEqual([one.name for one in standing], ["Port", moved.name])
        projects.put_into(self.store, now[moved.name], None)
        self.assertIn("both are the same", self.sync("--yes") + self.sync("--yes"))
        self.assert_same()
        self.assertTrue((self.folder / "suites/berths-and-fees/suite.yaml").is_file())
        self.assertFalse((port / "berths-and-fees/suite.yaml").exists())

    def test_what_is_taken_away_on_one_side_goes_on_the_other(self) -> None:
        self.sync("--yes")
        (self.folder / "suites/arrivals/sign-in.case.yaml").unlink()
        cases.remove_case(self.store, self.case("Free berths are listed").oid)
        self.sync("--yes")
        self.assert_same()
        self.assertNotIn("Free berths are listed", self.text())
        with self.assertRaises(StopIteration):
            self.case("An agent signs in, and a stranger does not")

    def test_what_was_taken_away_and_is_there_again_is_the_same_thing(self) -> None:
        self.sync("--yes")
        before = self.octets()
        shutil.rmtree(self.folder / "suites/desks")
        (self.folder / "shared/sign-in.steps.yaml").unlink()
        self.sync("--yes")
        self.assert_same()
        for path, octets in before.items():
            (self.folder / path).parent.mkdir(parents=True, exist_ok=True)
            (self.folder / path).write_bytes(octets)
        self.sync("--yes")
        self.assert_same()
        self.assertEqual(self.octets(), before)
        self.assertIn("both are the same", self.sync())

    def test_a_case_that_somebody_writes_gets_its_key(self) -> None:
        self.sync("--yes")
        file = self.folder / "suites/arrivals/new.case.yaml"
        file.write_text(
            "# by hand\nsalt-path: 1\ncase: New\nsteps:\n  - request: A\n    send: GET http://h/\n"
        )
        copied = self.folder / "suites/arrivals/copied.case.yaml"
        shutil.copy(self.folder / "suites/arrivals/sign-in.case.yaml", copied)
        self.sync("--yes")
        self.assert_same()
        self.assertRegex(file.read_text(), r"# by hand\n(.*\n)*key: \w{10}\n")
        keys = {one.key for one in cases.cases(self.store, self.project.id)}
        self.assertEqual(len(keys), len(cases.cases(self.store, self.project.id)))
        self.assertIn("both are the same", self.sync())

    def test_what_cannot_be_read_changes_nothing(self) -> None:
        self.sync("--yes")
        file = self.folder / "suites/arrivals/sign-in.case.yaml"
        whole = file.read_text()
        file.write_text("case: [")
        self.assertIn("suites/arrivals/sign-in.case.yaml", self.sync("--yes", status=2))
        file.write_text(whole)
        (self.folder / ".saltpath/synced.json").write_text("{")
        self.assertIn("cannot be read", self.sync("--yes", status=2))

    def test_three_hundred_edits_at_random_on_both_sides(self) -> None:
        chance, clashes = random.Random(20), 0
        self.sync("--yes")
        for _ in range(30):
            for _ in range(5):
                self.edit_folder(chance)
                self.edit_project(chance)
            told = self.sync("--yes", status=self.status_of())
            if "conflict:" in told:
                clashes += 1
                self.assert_conflicts_only(told)
                told = self.sync("--yes", "--take", chance.choice(["folder", "project"]))
            self.assert_same()
            before = self.octets()
            self.assertIn("both are the same", self.sync())
            self.assertEqual(self.octets(), before)
        self.assertGreater(clashes, 3, "some are to clash")
        self.assertLess(clashes, 30)

    def status_of(self) -> int:
        went = CliRunner().invoke(
            main, ["sync", str(self.folder), "--data", str(self.data), "--look"]
        )
        self.assertIn(went.exit_code, (0, 1), went.output)
        return int("conflict:" in went.output)

    def assert_conflicts_only(self, told: str) -> None:
        """What differs now is what was called a conflict, and everything that is one was."""
        here, there = self.sides()
        differ = [
            here.get(id) or there[id]
            for id in {*here, *there}
            if id not in here or id not in there or not here[id].same(there[id])
        ]
        named = [line for line in told.splitlines() if line.startswith("conflict: ")]
        for item in differ:
            if item.kind != "order":
                self.assertTrue([line for line in named if item.name in line], (item, told))

    def edit_folder(self, chance: random.Random) -> None:
        files = sorted(self.folder.rglob("suites/*/*.case.yaml"))
        file, number = chance.choice(files), chance.randrange(10**6)
        found = read_folder(read_disk(self.folder))
        path = file.relative_to(self.folder).as_posix()
        entry = found.cases[path]
        act = chance.randrange(7)
        if act == 0:
            other = chance.choice(files).parent / f"new-{number}.case.yaml"
            other.write_text(f"salt-path: 1\ncase: New {number}\nsteps: []\n")
        elif act == 1 and len(files) > 12:
            file.unlink()
        elif act == 2:
            file.rename(chance.choice(files).parent / f"moved-{number}.case.yaml")
        elif act == 3:
            (self.folder / "data" / f"more-{number % 3}.csv").write_text(f"a\n{number}\n")
        elif act == 4:
            shared = chance.choice(sorted((self.folder / "shared").glob("*.steps.yaml")))
            text = shared.read_text()
            shared.write_text(f"# note {number}\n{text}")
        else:
            document = self.changed(entry.document, chance, number)
            file.write_text(write_document(document, entry.comments))

    def edit_project(self, chance: random.Random) -> None:
        number, found = chance.randrange(10**6), cases.cases(self.store, self.project.id)
        stored, act = chance.choice(found), chance.randrange(8)
        suites = projects.suites(self.store, self.project.id)
        suite = chance.choice(suites)
        if act == 0:
            document = {"salt-path": 1, "case": f"Made {number}", "steps": []}
            cases.add_case(self.store, self.project.id, suite.id, self.owner, document)
        elif act == 1 and len(found) > 12:
            cases.remove_case(self.store, stored.oid)
        elif act == 2:
            cases.move_case(self.store, stored.oid, suite.id, None)
        elif act == 3:
            inside = [one for one in found if one.suite == stored.suite and one is not stored]
            before = chance.choice(inside).oid if inside else None
            cases.move_case(self.store, stored.oid, stored.suite, before)
        elif act == 4:
            about = {**suite.document, "about": f"about {number}"}
            documents.change(self.store, suite, self.owner, lambda _: about)
        elif act == 5:
            path, octets = f"data/more-{number % 3}.csv", f"b\n{number}\n".encode()
            project_files.put_file(self.store, self.project.id, self.owner, path, octets)
            shared = chance.choice(shared_steps.shared_steps(self.store, self.project.id))
            self.save(shared, {**shared.document, "about": f"shared {number}"})
        else:
            self.save(stored, self.changed(stored.document, chance, number))

    def changed(
        self, document: dict[str, Any], chance: random.Random, number: int
    ) -> dict[str, Any]:
        """One place of a case otherwise: a text of it, or a step."""
        steps = list(document.get("steps", []))
        if steps and chance.random() < 0.6:
            at = chance.randrange(len(steps))
            kind = next((one for one in ("request", "look up") if one in steps[at]), None)
            if kind is not None:
                steps[at] = {**steps[at], kind: f"Step {number}"}
                return {**document, "steps": steps}
        return {**document, chance.choice(["about", "register"]): f"text {number}"}

    def test_a_folder_that_is_watched_stays_in_step(self) -> None:
        command = [sys.executable, "-m", "saltpath.cli", "sync", str(self.folder), "--watch"]
        watching = subprocess.Popen(
            [*command, "--data", str(self.data)], stdout=subprocess.PIPE, text=True
        )
        assert watching.stdout is not None
        try:
            self.assertIn("both are the same", watching.stdout.readline())
            file = self.folder / "suites/arrivals/long-vessel.case.yaml"
            file.write_text(file.read_text().replace("A long vessel", "A very long vessel"))
            self.until(watching, "1 changed in the project, 0 in the folder")
            self.assertTrue(self.case("A very long vessel gets a berth long enough"))
            file.write_text("case: [")  # half written
            time.sleep(1.5)
            self.assertIsNone(watching.poll(), "it is looked at again")
            stored = self.case("A very long vessel gets a berth long enough")
            file.write_text(write_document(stored.document, stored.comments))
            listed = self.case("Free berths are listed")
            self.save(listed, {**listed.document, "about": "From the page."})
            self.until(watching, "in the folder")
            self.assert_same()
        finally:
            watching.terminate()
            watching.wait(20)
            watching.stdout.close()

    def until(self, watching: subprocess.Popen[str], said: str) -> None:
        assert watching.stdout is not None
        for line in watching.stdout:
            if line.startswith("done") and said in line:
                return
        self.fail("it ended")

    @unittest.skipUnless(which("git"), "git is not there")
    def test_a_branch_is_edited_as_text_merged_and_synced_back(self) -> None:
        def git(*arguments: str) -> str:
            who = ["-c", "user.name=Ines", "-c", "user.email=ines@fernholm.example"]
            went = subprocess.run(
                ["git", *who, *arguments],
                cwd=self.folder,
                capture_output=True,
                text=True,
                check=True,
            )
            return went.stdout

        self.sync("--yes")
        git("init", "-q", "-b", "main")
        git("add", "-A")
        git("commit", "-qm", "As it stands")
        self.assertNotIn(".saltpath", git("ls-files"))
        git("switch", "-qc", "other")
        file = self.folder / "suites/arrivals/long-vessel.case.yaml"
        file.write_text(file.read_text().replace("A long vessel", "A very long vessel"))
        git("commit", "-qam", "A better name")
        git("switch", "-q", "main")
        stored = self.case("Free berths are listed")
        self.save(stored, {**stored.document, "about": "From the page."})
        self.sync("--yes")
        self.assertEqual(len(git("diff", "--stat").splitlines()), 2, "one file, one line")
        git("commit", "-qam", "What was done in the application")
        git("merge", "-q", "--no-edit", "other")
        self.assertIn("1 changed in the project, 0 in the folder", self.sync("--yes"))
        self.assert_same()
        self.assertEqual(git("status", "--short"), "")
