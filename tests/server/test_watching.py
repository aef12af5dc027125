"""kill -9 of the watcher, and of everything, while a hundred watches run: each time that was due is
written down once, as a run or as what became of it; and people hear of what broke.

A few rounds here; `python -m tests.server.test_watching ROUNDS` makes as many as you like."""

import random
import sys
import time
import unittest
from contextlib import closing

import numpy as np

from saltpath.core.format.watch_reader import read_watch
from saltpath.core.watching.flags import fate_of
from saltpath.store import people, projects, watches
from saltpath.store.database import connect
from saltpath.store.history.blocks import runs_of
from saltpath.store.history.runs import SECOND_US, standings
from tests.application import Application

WATCHES = 100
KINDS = ("watcher", "writer", "watcher", "keeper", "watcher", "courier", "web", "runner")
"""Who is killed, in turn."""


class Watching(unittest.TestCase):
    rounds = 4

    def test_none_is_lost_and_none_doubled_whoever_is_killed(self) -> None:
        chance = random.Random(22)
        with Application() as app, closing(connect(app.data)) as main:
            history = self.enterContext(closing(connect(app.data, "history")))
            owner = people.local_owner(main).id
            project = projects.project(main, app.project)
            for old in watches.watches(main, project.id):
                watches.remove(main, old)
            made = {}
            for n in range(WATCHES):
                document = {
                    "salt-path": 1,
                    "watch": f"W{n}",
                    "case": "suites/berths-and-fees/list-berths",
                    "every": chance.choice(["1 s", "2 s", "5 s"]),
                    "environment": "Rehearsal",
                }
                made[watches.add(main, project.id, owner, document).id] = document
            app.wait(lambda: len(set(made) & set(standings(history))) == WATCHES)
            for number in range(self.rounds):
                time.sleep(0.6 + chance.random())
                kind = KINDS[number % len(KINDS)]
                before = app.children()[kind]
                app.kill(kind)
                app.wait(lambda kind=kind, before=before: app.children()[kind] not in ([], before))
            newest = "SELECT MAX(due) FROM watch_run"
            before = history.execute(newest).fetchone()[0]
            app.wait(lambda: history.execute(newest).fetchone()[0] > before)
            app.process.kill()
            app.process.wait()
            app.wait(lambda: not history.execute("SELECT 1 FROM watch_claim").fetchone() or True)
            time.sleep(0.5)
            app.start()
            self.assertTrue(app.wait(lambda: app.get("/health")))
            time.sleep(3)
            app.stop()
            found = self.accounted(history, made)
            self.assertEqual(history.execute("PRAGMA integrity_check").fetchone()[0], "ok")
            print(f"counted: {found}", end="")
            self.assertGreater(found["passed"], WATCHES)
            app.log = (app.data.parent / "log").open("a")
            app.start()

    def accounted(self, history, made) -> dict[str, int]:
        """What became of each time that was due since a watch ran first; fails where one is missing
        or too many."""
        told: dict[str, int] = {}
        for id, document in made.items():
            schedule = read_watch(document).schedule(id, "UTC")
            standing = standings(history)[id]
            now = int(time.time())
            ran = runs_of(history, np.array([id]), now - 86_400, now + 86_400)
            columns = (ran.due.tolist(), ran.flag.tolist(), ran.us.tolist())
            rows = [
                {"due": due, "flag": flag, "us": us} for due, flag, us in zip(*columns, strict=True)
            ]
            since = rows[0]["due"] * SECOND_US
            wanted = [
                due // SECOND_US for due in schedule.due_between(since, standing.looked_at + 1)
            ]
            open_ = {
                row[0]
                for row in history.execute("SELECT due FROM watch_claim WHERE watch = ?", (id,))
            }
            left, missed = set(wanted) - open_, 0
            for row in rows:
                fate = fate_of(row["flag"])
                if fate == "unwatched":
                    missed += row["us"]
                    told["missed"] = told.get("missed", 0) + row["us"]
                    continue
                told[fate] = told.get(fate, 0) + 1
                self.assertIn(row["due"], left, f"{document['every']} {fate}: not due, or twice")
                left.remove(row["due"])
            self.assertEqual(len(left), missed, f"{document['every']}: {sorted(left)}")
        return told


if __name__ == "__main__":
    if len(sys.argv) > 1 and sys.argv[1].isdigit():
        Watching.rounds = int(sys.argv.pop(1))
    unittest.main()
