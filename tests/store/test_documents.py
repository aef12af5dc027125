"""Projects, suites, cases and files in the store: their order, moving, going and coming back,
versions, two who write at once."""

import json
import re
import tempfile
import threading
import unittest
import unittest.mock
from decimal import Decimal
from pathlib import Path

from saltpath.core.cases.summary import StepName, Summary
from saltpath.core.format.nodes import FormatError
from saltpath.core.values.why import Blocked
from saltpath.store import (
    cases,
    documents,
    events,
    people,
    probes,
    project_files,
    projects,
    runs,
    sources,
    summaries,
)
from saltpath.store.database import Deleted, NotFound, VersionConflict, connect, migrate, write


def document(name: str, *keys: str) -> dict:
    steps = [{"request": key, "key": f"{key:0<6}", "send": "GET http://h/"} for key in keys]
    return {"salt-path": 1, "case": name, "steps": steps}


class Documents(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        migrate(self.folder)
        self.main = connect(self.folder)
        self.addCleanup(self.main.close)
        self.me = people.local_owner(self.main).id
        self.project = projects.add_project(
            self.main, self.me, {"salt-path": 1, "project": "Harbour"}
        )

    def suite(self, name: str, folder: str = "") -> projects.Document:
        return projects.add_suite(
            self.main,
            self.project.id,
            self.me,
            folder or f"suites/{name}",
            {"salt-path": 1, "suite": name},
        )

    def case(self, suite: projects.Document, name: str, *keys: str) -> cases.StoredCase:
        return cases.add_case(self.main, self.project.id, suite.id, self.me, document(name, *keys))

    def names(self) -> list[str]:
        return [case.name for case in cases.cases(self.main, self.project.id)]

    def test_a_run_knows_its_cases_as_they_were_when_it_was_asked_for(self):
        suite = self.suite("Arrivals")
        wait, twice = {"wait": "1 ms", "key": "pause1"}, {"set": {"twice": "[=n]"}, "key": "double"}
        each = {"for each": [1, 2], "as": "n", "key": "eachof", "steps": [twice, wait]}
        (read,) = document("", "readit")["steps"]
        steps = [each, {**read, "keep": {"id": "$.id"}}]
        made = cases.add_case(
            self.main,
            self.project.id,
            suite.id,
            self.me,
            {**document("Berths"), "tags": ["a", "b"], "steps": steps},
        )
        run, _ = runs.ask(
            self.main,
            self.project.id,
            self.me,
            [(made.id, made.version, made.name)],
            kind="run",
            title="",
            environments=[""],
            seed=1,
        )
        cases.save_case(
            self.main, made.oid, self.me, made.version, document("Other", "one"), made.comments
        )

        with write(self.main):
            self.main.execute("UPDATE run_case SET state = 'running'")
        asked = (self.main, self.project.id, made.id, 9)
        self.assertEqual(runs.last_runs_of_case(*asked), [(run.id, 0)])
        self.assertEqual(runs.last_runs_of_case(*asked, run.id), [], "those before it")

        def said() -> Summary:
            (entry,) = runs.run_cases(self.main, run.id)
            return summaries.summary_at(self.main, entry.case_id, entry.version)

        before = said()
        self.assertEqual((before.keeps, before.tags), (["twice", "id"], ["a", "b"]))
        self.assertEqual(len(before.steps), 2, "those inside another have no number of their own")
        self.assertEqual(before.steps[1], StepName("steps", 1, 2, "readit"))
        with write(self.main):  # as versions of before are
            self.main.execute("UPDATE case_revision SET summary = ''")
        with unittest.mock.patch.object(summaries, "PIECE", 1):
            summaries.check_stored(self.main)
        self.assertEqual(said(), before)
        left = self.main.execute("SELECT COUNT(*) FROM case_revision WHERE summary = ''")
        self.assertEqual(left.fetchone()[0], 0, "the newest, too")

    def test_the_same_look_is_the_same_case_and_the_oldest_go(self):
        def look(number: int) -> cases.StoredCase:
            return probes.look(
                self.main,
                self.project.id,
                self.me,
                f"look {number}",
                {"in": "db", "sql": "select 1"},
            )

        first = look(0)
        self.assertEqual(look(0), first)
        for number in range(probes.MOST + 3):
            last = look(number)
        held = {case.name for case in cases.hidden_cases(self.main, self.project.id, probes.KIND)}
        self.assertEqual(held, {f"look {number}" for number in range(3, probes.MOST + 3)})
        self.assertEqual(self.names(), [], "and no case to anybody")
        self.assertEqual(look(probes.MOST + 2), last)

    def test_suites_keep_their_order_and_their_folders(self):
        a, b, c = (self.suite(name) for name in "abc")
        twin = self.suite("a again", "suites/a")
        self.assertEqual(twin.folder, "suites/a-2", "no two suites have one folder")

        def order() -> list[str]:
            return [suite.name for suite in projects.suites(self.main, self.project.id)]

        self.assertEqual(order(), ["a", "b", "c", "a again"])
        projects.move_suite(self.main, c, a.oid)
        self.assertEqual(order(), ["c", "a", "b", "a again"])
        projects.move_suite(self.main, c, None)
        self.assertEqual(order(), ["a", "b", "a again", "c"])
        with self.assertRaises(NotFound):
            projects.move_suite(self.main, b, "suite_none")
        self.assertEqual(order(), ["a", "b", "a again", "c"])
        self.case(b, "B1")
        self.assertFalse(projects.remove_suite(self.main, b.id), "one that holds cases stays")
        self.assertTrue(projects.remove_suite(self.main, c.id))
        with self.assertRaises(NotFound):
            projects.suite(self.main, c.oid)
        self.assertEqual(
            projects.suite_by_id(self.main, c.id).name, "c", "cases of old runs still find it"
        )

    def test_cases_are_moved_taken_away_and_brought_back(self):
        one, two = self.suite("one"), self.suite("two")
        a, b, c = (self.case(one, name) for name in "ABC")
        self.assertEqual(self.names(), ["A", "B", "C"])
        cases.move_case(self.main, c.oid, one.id, a.oid)
        self.assertEqual(self.names(), ["C", "A", "B"])
        cases.move_case(self.main, a.oid, two.id, None)
        self.assertEqual(self.names(), ["C", "B", "A"])
        cases.remove_case(self.main, b.oid)
        self.assertEqual(self.names(), ["C", "A"])
        with self.assertRaises(Deleted):
            cases.case(self.main, b.oid)
        self.assertEqual(cases.case(self.main, b.oid, gone=True).name, "B")
        cases.bring_back(self.main, b.oid)
        self.assertEqual(sorted(self.names()), ["A", "B", "C"])
        with self.assertRaises(NotFound):
            cases.remove_case(self.main, "case_none")

    def test_every_change_of_a_case_is_an_event(self):
        case = self.case(self.suite("one"), "A", "s1")
        cases.save_case(self.main, case.oid, self.me, 1, document("B", "s1"), {})
        told = [
            (event["type"], event.get("version"))
            for event in events.after(self.main, self.project.id, 0, 100)
            if event.get("case") == case.oid
        ]
        self.assertIn(("case changed", 2), told)

    def test_keys_are_given_once_and_never_twice(self):
        case = self.case(self.suite("one"), "A", "same01", "same01", "third")
        keys = [step["key"] for step in case.document["steps"]]
        self.assertEqual(len(set(keys)), 3)
        self.assertEqual(keys[0], "same01", "the first keeps it")
        again = cases.save_case(
            self.main, case.oid, self.me, 1, {**case.document, "key": "stolen1234"}, {}
        )
        self.assertEqual(again.key, case.key, "a case's key is its own for ever")

    def test_a_version_can_be_read_for_as_long_as_it_is_kept(self):
        case = self.case(self.suite("one"), "A", "s1")
        other = people.add_person(self.main, "Berit", "berit").id
        cases.save_case(self.main, case.oid, other, 1, document("B", "s1"), {"/": ["# by Berit"]})
        self.assertEqual([case.version for case in cases.revisions(self.main, case.id)], [2, 1])
        self.assertEqual(cases.case_at(self.main, case.id, 1).name, "A")
        self.assertEqual(cases.case_at(self.main, case.id, 2).comments, {"/": ["# by Berit"]})
        with self.assertRaisesRegex(NotFound, "version 7"):
            cases.case_at(self.main, case.id, 7)

    def test_of_two_who_write_at_once_one_is_told(self):
        case = self.case(self.suite("one"), "A", "s1")
        gone: list[str] = []

        def save(name: str) -> None:
            connection = connect(self.folder)
            try:
                cases.save_case(connection, case.oid, self.me, 1, document(name, "s1"), {})
                gone.append(name)
            except VersionConflict as problem:
                gone.append(f"conflict {problem.version}")
            finally:
                connection.close()

        threads = [threading.Thread(target=save, args=(f"by {n}",)) for n in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(gone.count("conflict 2"), 7, gone)
        self.assertEqual(cases.case(self.main, case.oid).version, 2)

    def test_a_suite_and_a_project_are_saved_on_their_version(self):
        suite = self.suite("one")
        changed = {**suite.document, "every answer": [{"of": "$.fee", "is": Decimal("1318.40")}]}
        documents.put(self.main, suite, self.me, changed)
        self.assertEqual(
            str(projects.suite(self.main, suite.oid).document["every answer"][0]["is"]), "1318.40"
        )
        with self.assertRaises(VersionConflict) as raised:
            documents.put(self.main, suite, self.me, suite.document)
        self.assertEqual(raised.exception.version, 2)
        documents.change(self.main, suite, self.me, lambda held: {**held, "suite": "renamed"})
        self.assertEqual(
            projects.suite(self.main, suite.oid).name, "renamed", "a change is made on what stands"
        )
        documents.put(self.main, self.project, self.me, {"salt-path": 1, "project": "Port"})
        with self.assertRaises(VersionConflict):
            documents.put(self.main, self.project, self.me, {"salt-path": 1, "project": "Quay"})
        self.assertEqual(projects.project(self.main, self.project.oid).name, "Port")

    def test_documents_are_written_in_one_place_alone(self):
        """No other statement of the store writes a document: who reads one outside of the
        transaction that writes it loses what others wrote meanwhile."""
        store = Path(documents.__file__).parent
        wanted = re.compile(
            r"UPDATE\s+(?:\{|project\b|environment\b|suite\b)[^\"]*\bdocument\s*=", re.IGNORECASE
        )
        writers = {file.name for file in store.glob("*.py") if wanted.search(file.read_text())}
        self.assertEqual(writers, {"documents.py"})

    def test_what_the_reader_refuses_is_not_stored(self):
        for of, spoilt in (
            (self.project, {"sources": {"it": {"file": "data/a.csv", "encoding": "no such"}}}),
            (self.suite("one"), {"values": ["no", "mapping"]}),
        ):
            with self.subTest(of=of.kind):
                with self.assertRaises(FormatError):
                    documents.change(
                        self.main, of, self.me, lambda held, spoilt=spoilt: {**held, **spoilt}
                    )
                self.assertEqual(documents.current(self.main, of.kind, of.id), of)

    def test_what_an_older_fault_has_stored_can_be_mended_bit_by_bit(self):
        spoilt = {**self.project.document, "zone": "Nowhere/At all", "values": ["no"]}
        self.main.execute("UPDATE project SET document = ?", (json.dumps(spoilt),))
        documents.change(self.main, self.project, self.me, lambda held: {**held, "values": {}})
        with self.assertRaises(FormatError):
            documents.change(
                self.main, self.project, self.me, lambda held: {**held, "values": [1, 2]}
            )
        documents.change(
            self.main, self.project, self.me, lambda held: {**held, "zone": "Europe/Oslo"}
        )
        self.assertEqual(documents.current(self.main, "project", self.project.id).version, 3)

    def test_a_part_of_a_transaction_is_taken_back_alone(self):
        with write(self.main):
            suite = self.suite("kept")
            with self.assertRaises(ValueError), write(self.main):
                self.suite("taken back")
                raise ValueError
        self.assertEqual(
            [held.name for held in projects.suites(self.main, self.project.id)], [suite.name]
        )
        with self.assertRaises(ValueError), write(self.main):
            self.suite("gone as well")
            raise ValueError
        self.assertEqual(
            [held.name for held in projects.suites(self.main, self.project.id)], [suite.name]
        )

    def test_a_version_that_a_run_was_asked_for_stays(self):
        case = self.case(self.suite("one"), "a", "step01")
        for number in range(3):
            case = cases.save_case(
                self.main, case.oid, self.me, case.version, document(f"a {number}", "step01"), {}
            )
        read = case.version - 1
        with self.assertRaises(VersionConflict, msg="it was folded away since it was read"):
            runs.ask(
                self.main,
                self.project.id,
                self.me,
                [(case.id, read, "a")],
                kind="run",
                title="",
                environments=[""],
                seed=1,
            )
        self.assertEqual(
            runs.runs(self.main, self.project.id, before=None, limit=9),
            [],
            "and nothing was asked for",
        )
        runs.ask(
            self.main,
            self.project.id,
            self.me,
            [(case.id, case.version, "a")],
            kind="run",
            title="",
            environments=[""],
            seed=1,
        )
        cases.save_case(self.main, case.oid, self.me, case.version, document("b", "step01"), {})
        self.assertEqual(cases.case_at(self.main, case.id, case.version).version, case.version)

    def test_a_source_is_renamed_in_one_transaction(self):
        rows = {"make": 2, "columns": {"n": "[=number]"}}
        documents.change(
            self.main, self.project, self.me, lambda held: {**held, "sources": {"old": rows}}
        )
        made = self.case(self.suite("one"), "a", "step01")
        cases.save_case(self.main, made.oid, self.me, 1, {**made.document, "rows": "old"}, {})
        with (
            unittest.mock.patch.object(cases, "save_case", side_effect=OSError("the disk is full")),
            self.assertRaises(OSError),
        ):
            sources.rename_source(self.main, self.project, self.me, "old", "new")
        held = sources.sources(documents.current(self.main, "project", self.project.id))
        self.assertEqual(
            (list(held), len(sources.using(self.main, self.project.id, "old"))), (["old"], 1)
        )
        self.assertEqual(sources.rename_source(self.main, self.project, self.me, "old", "new"), 1)
        held = sources.sources(documents.current(self.main, "project", self.project.id))
        self.assertEqual(
            (list(held), len(sources.using(self.main, self.project.id, "new"))), (["new"], 1)
        )

    def test_files_of_one_project_are_not_anothers(self):
        other = projects.add_project(self.main, self.me, {"salt-path": 1, "project": "Other"})
        project_files.put_file(self.main, self.project.id, self.me, "data/a.csv", b"one")
        project_files.put_file(self.main, other.id, self.me, "data/a.csv", b"two")
        project_files.put_file(self.main, self.project.id, self.me, "data/a.csv", b"three")
        read = project_files.file_reader(self.main, self.project.id)
        self.assertEqual((read("data/a.csv"), read("./data/a.csv")), (b"three", b"three"))
        self.assertEqual(
            [(f.path, f.size) for f in project_files.listed(self.main, other.id)],
            [("data/a.csv", 3)],
        )
        project_files.remove_file(self.main, self.project.id, "data/a.csv")
        with self.assertRaises(Blocked):
            read("data/a.csv")
        self.assertEqual(project_files.paths(self.main, other.id), ["data/a.csv"])
