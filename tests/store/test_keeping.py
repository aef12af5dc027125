"""What is kept no more goes in small pieces and leaves nothing torn; without room on the disk what
steps see is not kept, results are; and a backup ends while others write."""

import sqlite3
import tempfile
import threading
import unittest
import unittest.mock
import zipfile
from contextlib import closing
from pathlib import Path

import zstandard

from saltpath.core.answers.exchange import Exchange, Times
from saltpath.core.running.events import StepFinished
from saltpath.core.values.grammar import Unreadable
from saltpath.runner.keeper import keep_house
from saltpath.runner.wire import Message
from saltpath.runner.writer import Writer
from saltpath.store import (
    backup,
    cases,
    disk,
    events,
    evidence,
    jobs,
    keeping,
    people,
    projects,
    run_records,
    run_rows,
    runs,
    secrets,
    step_rows,
)
from saltpath.store.database import connect, migrate, write
from saltpath.store.keeping import DAY_US, Rules
from saltpath.store.packing import Packer
from tests.application import PATIENCE_S

NOW = 2_000 * DAY_US
LARGE = b"x" * 9_000


def step(position: int, row: int, index: int, verdict: str, body: bytes) -> step_rows.StepRow:
    exchange = Exchange(
        "GET",
        "http://h/",
        b"GET / HTTP/1.1\r\n\r\n",
        b"",
        200,
        b"HTTP/1.1 200 OK\r\n\r\n",
        body,
        body,
        Times(),
        1,
    )
    event = StepFinished(
        1,
        position,
        row,
        "steps",
        index,
        "abcdef",
        "A",
        "request",
        verdict,
        None,
        5,
        200,
        (exchange,),
        (),
        {},
        {},
    )
    return step_rows.row_of(event, position)


class Keeping(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        migrate(self.folder)
        self.main, self.evidence = connect(self.folder), connect(self.folder, "evidence")
        self.addCleanup(self.main.close)
        self.addCleanup(self.evidence.close)
        self.owner = people.local_owner(self.main).id
        self.project = projects.add_project(
            self.main, self.owner, {"salt-path": 1, "project": "P"}
        ).id
        self.suite = projects.add_suite(
            self.main, self.project, self.owner, "s", {"salt-path": 1, "suite": "S"}
        ).id
        self.cases = [
            cases.add_case(
                self.main,
                self.project,
                self.suite,
                self.owner,
                {"salt-path": 1, "case": name, "steps": []},
            )
            for name in "ab"
        ]

    def run_of(
        self,
        days: int,
        verdict: str = "passed",
        kind: str = "run",
        case: int = 0,
        steps: int = 5,
        body: bytes = LARGE,
        environments: tuple[str, ...] = ("",),
    ) -> int:
        """A run of a case that ended so many days ago, each of its rows with a step; with rows
        every third failed."""
        chosen = self.cases[case]
        run, _ = runs.ask(
            self.main,
            self.project,
            self.owner,
            [(chosen.id, 1, chosen.name)],
            kind=kind,
            title="",
            environments=environments,
            seed=1,
        )
        rows = [
            step(0, row, 0, "failed" if row % 3 == 0 else "passed", body + str(run.id).encode())
            for row in range(1, steps + 1)
        ]
        ended = [
            run_rows.RowRow(0, row, "failed" if row % 3 == 0 else "passed", 5, 1, None, "{}")
            for row in range(1, steps + 1)
        ]
        with write(self.evidence):
            Packer().insert(self.evidence, self.project, run.id, rows)
            run_rows.insert(self.evidence, self.project, run.id, ended)
        with write(self.main):
            run_records.record_case_finished(self.main, run.id, 0, verdict, None, 5)
            run_records.record_rows(
                self.main, run.id, 0, {"passed": steps - steps // 3, "failed": steps // 3}
            )
            run_records.record_started(self.main, run.id, NOW - days * DAY_US)
            run_records.record_finished(self.main, run.id, NOW - days * DAY_US, "")
            self.main.execute(
                "UPDATE event SET at = ? WHERE run = ?", (NOW - days * DAY_US, run.id)
            )
        return run.id

    def rules(self, **given: int) -> None:
        keeping.set_rules(self.main, self.project, self.owner, given)

    def keep(self) -> int:
        return sum(keeping.take_away(self.main, self.evidence, NOW))

    def there(self) -> list[int]:
        return [row[0] for row in self.main.execute("SELECT id FROM run ORDER BY id")]

    def seen(self, run: int) -> list[int]:
        """The rows of a run of which what the step saw is kept and can be read."""
        found = (evidence.step(self.evidence, run, 0, row, "steps", 0) for row in range(1, 6))
        return [step.head.row for step in found if step is not None and step.exchanges]

    def test_runs_go_by_age_and_number_and_the_newest_of_each_case_stay(self) -> None:
        old = [self.run_of(400 - n) for n in range(5)]
        other = self.run_of(390, case=1)
        new = [self.run_of(5), self.run_of(4)]
        self.rules(least_runs=3, run_days=365)
        self.keep()
        self.assertEqual(
            self.there(),
            [old[4], other, *new],
            "three of the first case, the only one of the other",
        )
        self.rules(least_runs=1, most_runs=2)
        self.keep()
        self.assertEqual(self.there(), [other, *new])
        for table in ("step", "run_row"):
            kept = {row[0] for row in self.evidence.execute(f"SELECT DISTINCT run FROM {table}")}
            self.assertEqual(kept, {other, *new}, table)
        self.assertEqual(self.main.execute("PRAGMA foreign_key_check").fetchall(), [])

    def test_a_run_against_several_environments_counts_once(self) -> None:
        both = [self.run_of(400 - n, environments=("North", "South")) for n in range(3)]
        self.rules(least_runs=2, run_days=365)
        self.keep()
        self.assertEqual(self.there(), both[1:])

    def test_trials_and_events_go_sooner(self) -> None:
        trials = [
            self.run_of(20, kind="trial"),
            self.run_of(19, kind="trial"),
            self.run_of(3, kind="trial"),
        ]
        self.main.execute("UPDATE event SET at = ? WHERE run IS NULL", (NOW - 20 * DAY_US,))
        self.assertGreater(len(events.after(self.main, self.project, 0)), 0)
        self.keep()
        self.assertEqual(self.there(), trials[2:])
        self.assertEqual(
            {event["at"] for event in events.after(self.main, self.project, 0)}, {NOW - 3 * DAY_US}
        )

    def test_a_secret_that_was_replaced_or_taken_away_is_wiped_in_the_end(self) -> None:
        place = secrets.Place(self.project, "key")
        for value in ("old", "new"):
            secrets.set_secret(self.main, self.folder, place, self.owner, value)
        with write(self.main):
            secrets.put_aside(self.main, place)
        for days, left in ((keeping.GONE_DAYS - 1, 2), (keeping.GONE_DAYS + 1, 0)):
            with self.subTest(days=days):
                self.main.execute("UPDATE secret_gone SET gone_at = ?", (NOW - days * DAY_US,))
                self.keep()
                self.assertEqual(len(secrets.aside_after(self.main, 0, self.project)), left)
        self.assertEqual(len(secrets.places(self.main, self.project)), 1)

    def test_evidence_of_bad_ones_stays_longer_and_can_be_read(self) -> None:
        """What rows are packed against stays as long as a run has it."""
        young, middle, old = (
            self.run_of(10, "failed"),
            self.run_of(50, "failed"),
            self.run_of(100, "failed"),
        )
        self.keep()
        self.assertEqual(
            [self.seen(run) for run in (young, middle, old)], [[1, 2, 3, 4, 5], [3], []]
        )
        gone = evidence.step(self.evidence, old, 0, 3, "steps", 0)
        self.assertEqual(
            (gone.head.verdict, gone.why.code), ("failed", "evidence-gone"), "its verdict stays"
        )
        self.assertEqual(len(runs.run_cases(self.main, old)), 1)
        self.assertEqual(self.keep(), 0, "nothing more to do")
        self.evidence.execute("INSERT INTO base VALUES (900, 1, 'x', x'', ?)", (old,))
        self.run_of(0)
        self.main.execute("UPDATE run SET finished_at = 0 WHERE id <= ?", (old,))
        self.keep()
        left = [row["id"] for row in self.evidence.execute("SELECT id FROM base")]
        self.assertTrue(left and 900 not in left, "what a run may have stays, other bases go")

    def test_evidence_that_an_older_version_packed_against_another_step_stays(self) -> None:
        """A step without a base of its own was packed against the first of its run."""
        middle = self.run_of(50, "failed")
        row = self.evidence.execute("SELECT * FROM step WHERE row = 1").fetchone()
        record = evidence._record(self.evidence, row)
        dictionary = zstandard.ZstdCompressionDict(record, dict_type=zstandard.DICT_TYPE_RAWCONTENT)
        packer = zstandard.ZstdCompressor(dict_data=dictionary, write_content_size=True)
        for packed, base, at in (
            (zstandard.compress(record), None, 1),
            (packer.compress(record), row["id"], 3),
        ):
            self.evidence.execute(
                "UPDATE step SET packed = ?, base = ?, against = NULL WHERE row = ?",
                (packed, base, at),
            )
        self.keep()
        self.assertEqual(self.seen(middle), [1, 3], "the first stays for the third")

    def test_bodies_go_with_the_last_run_that_had_them(self) -> None:
        shared = b"y" * 20_000
        first, second = self.run_of(100, body=shared, steps=1), self.run_of(1, body=shared, steps=1)
        self.evidence.execute("UPDATE body SET last_run = ? WHERE last_run = ?", (second, first))
        before = self.evidence.execute("SELECT COUNT(*) FROM body").fetchone()[0]
        self.keep()
        self.assertEqual((self.seen(first), self.seen(second)), ([], [1]))
        self.assertEqual(
            self.evidence.execute("SELECT COUNT(*) FROM body").fetchone()[0],
            before,
            "the second may have both",
        )
        third = self.run_of(0, body=shared, steps=1)
        self.main.execute(
            "UPDATE run SET finished_at = ? WHERE id = ?", (NOW - 100 * DAY_US, second)
        )
        self.keep()
        self.assertEqual(self.evidence.execute("SELECT COUNT(*) FROM body").fetchone()[0], 1)
        self.assertEqual(self.seen(third), [1])

    def test_broken_off_anywhere_it_goes_on(self) -> None:
        wanted = []
        for _ in range(3):
            self.run_of(500, steps=450)
        wanted.append(self.run_of(1))
        self.rules(least_runs=1)
        pieces = 0
        while next(keeping.take_away(self.main, self.evidence, NOW), None):
            pieces += 1
        self.assertEqual((self.there(), self.seen(wanted[0])), (wanted, [1, 2, 3, 4, 5]))
        self.assertGreater(pieces, 10)

    def test_others_write_between_small_pieces(self) -> None:
        for _ in range(2):
            self.run_of(500, steps=2_000)
        self.run_of(1)
        self.rules(least_runs=1)
        stores = (self.main, self.evidence)
        with (
            closing(connect(self.folder, patience_s=0)) as main,
            closing(connect(self.folder, "evidence", 0)) as other,
        ):
            before, taken = sum(store.total_changes for store in stores), 0
            for rows in keeping.take_away(self.main, self.evidence, NOW):
                taken += rows
                for connection in (main, other):
                    with write(connection):  # which nobody keeps from it
                        connection.execute("PRAGMA user_version")
                now = sum(store.total_changes for store in stores)
                self.assertLessEqual(now - before, 2 * keeping.PIECE)
                before = now
                if taken > 4_000:
                    break
        with unittest.mock.patch("saltpath.runner.keeper.now_us", return_value=NOW):
            self.assertGreater(
                keep_house(self.folder) + taken, 8_000, "the keeper takes the rest away"
            )
        self.assertEqual(len(self.there()), 1)

    def test_rules_that_make_no_sense_are_refused(self) -> None:
        for given in (
            {"run_days": 0},
            {"run_days": True},
            {"run_days": "7"},
            {"nonsense": 1},
            {"bad_evidence_days": 1},
            {"most_runs": 5},
            {"least_runs": 10**9},
        ):
            with self.subTest(given), self.assertRaises(Unreadable):
                self.rules(**given)
        self.assertEqual(keeping.rules_of(self.main, self.project), Rules())

    def test_without_room_results_are_kept_and_evidence_is_not(self) -> None:
        chosen = self.cases[0]
        run, _ = runs.ask(
            self.main,
            self.project,
            self.owner,
            [(chosen.id, 1, "a")],
            kind="run",
            title="",
            environments=[""],
            seed=1,
        )
        job = jobs.take(self.main, "one")
        writer = Writer(self.folder)
        for number, free in enumerate((10**12, 1_000, 10**12), 1):
            with unittest.mock.patch.object(disk, "free", return_value=free):
                writer._looked = float("-inf")
                writer._record(
                    [
                        Message(
                            number,
                            self.project,
                            run.id,
                            "step",
                            step=step(0, number, 0, "passed", LARGE),
                            epoch=job.epoch,
                        )
                    ]
                )
        found = [evidence.step(self.evidence, run.id, 0, row, "steps", 0) for row in (1, 2, 3)]
        self.assertEqual([step.head.verdict for step in found], ["passed"] * 3)
        self.assertEqual([len(step.exchanges) for step in found], [1, 0, 1])

    def test_a_backup_ends_while_others_write(self) -> None:
        """It began anew at each commit of another connection: 114 times in 25 s, and never
        ended."""
        self.evidence.execute("CREATE TABLE filler AS SELECT 1 AS n, zeroblob(1) AS data WHERE 0")
        with write(self.evidence):
            self.evidence.executemany(
                "INSERT INTO filler VALUES (?, randomblob(100000))", [(n,) for n in range(300)]
            )
        over, written = threading.Event(), [0]

        def write_on() -> None:
            with closing(connect(self.folder, "evidence")) as other:
                while not over.is_set():
                    with write(other):
                        other.execute(
                            "INSERT INTO part_begun VALUES (?, 0, 0, 'once')", (10**6 + written[0],)
                        )
                    written[0] += 1

        writing = threading.Thread(target=write_on)
        saving = threading.Thread(
            target=backup.back_up, args=(self.folder, self.folder / "all.zip")
        )
        with unittest.mock.patch.object(backup, "PAGES", 20):
            writing.start()
            saving.start()
            saving.join(2 * PATIENCE_S)
            ended = not saving.is_alive()
            over.set()
            writing.join()
            saving.join()
        self.assertTrue(ended, f"it goes on for as long as others write: {written[0]} commits")
        self.assertGreater(written[0], 20)
        with (
            tempfile.TemporaryDirectory() as aside,
            zipfile.ZipFile(self.folder / "all.zip") as archive,
        ):
            archive.extractall(aside)
            for name in ("saltpath.db", "evidence.db"):
                with closing(sqlite3.connect(Path(aside) / name)) as copy:
                    self.assertEqual(copy.execute("PRAGMA integrity_check").fetchone()[0], "ok")


if __name__ == "__main__":
    unittest.main()
