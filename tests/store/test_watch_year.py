"""A year of watches by a clock that is handed in, with restarts, sleeps, kills and clocks that are
set back: each time that a plain walk over the clock calls due is written down exactly once, as a
run, or as what was skipped, missed or interrupted.

Nine days of minutes here; `python -m tests.store.test_watch_year 366` lives through a year."""

import random
import sys
import tempfile
import unittest
from contextlib import closing
from datetime import UTC, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

from saltpath.core.watching.flags import CAUGHT_UP, fate_of, flag_of
from saltpath.runner.agenda import Agenda
from saltpath.runner.watch_ledger import Result, WatchLedger
from saltpath.store import documents, people, projects, watches
from saltpath.store.database import connect, migrate
from saltpath.store.history.runs import SECOND_US, Ended

ZONES = ("Europe/Oslo", "America/New_York", "Australia/Sydney", "Asia/Kolkata", "America/Santiago")
DAY = 86_400
BEGIN = 1_767_222_000


def nights(zone: str, begin: int, end: int) -> list[int]:
    """When it is 02:30 there, or when that has just been skipped; seconds."""
    found, here = [], ZoneInfo(zone)
    day = datetime.fromtimestamp(begin, here).date() - timedelta(days=1)
    while day <= datetime.fromtimestamp(end, here).date():
        moment = datetime(day.year, day.month, day.day, 2, 30, tzinfo=here).astimezone(UTC)
        while moment.astimezone(here).strftime("%H:%M") not in ("02:30", "03:00"):
            moment -= timedelta(minutes=30)  # a time that clocks skip: the first that they show
        found.append(round(moment.timestamp()))
        day += timedelta(days=1)
    return [due for due in found if begin < due <= end]


class Machine:
    """On which watches are looked after, with a clock of its own."""

    def __init__(self, folder: Path, now: int) -> None:
        self.folder, self.now = folder, now
        self.under_way: list = []
        self.start()

    def start(self) -> None:
        """Whatever was under way is forgotten."""
        self.ledger = WatchLedger(self.folder, "test")
        self.ledger._history.execute("PRAGMA synchronous = OFF")
        self.ledger.begin(self.now)
        self.agenda, self.under_way = Agenda(), []
        self.take_in()

    def take_in(self) -> None:
        self.agenda.set(self.ledger.active(self.now, anyhow=True) or [])

    def look(self, share_open: float = 0.0, chance: random.Random | None = None) -> None:
        """Claim what is due, and end it, but for a share that stays under way until the next
        look."""
        done, self.under_way = self.under_way, []
        self.ledger.end([self.ended(*one) for one in done])
        due = self.agenda.due(self.now)
        if due.looked:
            claims = [claim for claim, _ in due.claims]
            self.ledger.claim(claims, due.looked, due.fell_out, self.now)
        for claim, _ in due.claims:
            one = (self.agenda.watched[claim.watch], claim)
            if chance is not None and chance.random() < share_open:
                self.under_way.append(one)
            else:
                self.ledger.end([self.ended(*one)])

    def ended(self, watched, claim) -> Result:
        watched.under_way = False
        stored = watched.active.stored
        flag = flag_of("passed", claim.flag)
        ended = Ended(stored.project, claim.watch, claim.due, claim.turn, flag, 1_000)
        return Result(ended, (), 0)

    def sleep_until_due(self, most: int) -> None:
        """As far as something is due, but no further than `most`, microseconds."""
        moment = self.agenda.next_moment()
        self.now = most if moment is None else max(self.now + 1, min(moment, most))

    def go_on(self, seconds: int) -> None:
        until = self.now + seconds * SECOND_US
        while self.now < until:
            self.look()
            self.sleep_until_due(until)

    def live(self, days: int, chance: random.Random, trouble: float) -> None:
        """So long, with so much trouble at each look."""
        end = self.now + days * DAY * SECOND_US
        while self.now < end:
            kind = chance.choice(["sleep", "restart", "kill"]) if chance.random() < trouble else ""
            if kind == "sleep":
                self.now += chance.choice([3, 70, 4_000, 30_000, 3 * DAY]) * SECOND_US
            elif kind == "restart":
                self.now += chance.choice([0, 1, 200]) * SECOND_US
                self.start()
            self.now = min(self.now, end)
            self.look(1.0 if kind == "kill" else trouble, chance)
            if kind == "kill":
                self.start()
            self.sleep_until_due(end)
        self.look()
        self.start()


class Year(unittest.TestCase):
    days = 9
    """Of minutes; nights have a year."""

    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        migrate(self.folder)
        self.main = self.enterContext(closing(connect(self.folder)))
        self.history = self.enterContext(closing(connect(self.folder, "history")))
        self.owner = people.local_owner(self.main).id
        document = {"salt-path": 1, "project": "Harbour"}
        self.project = projects.add_project(self.main, self.owner, document)

    def watch(self, **more: object) -> int:
        document = {"salt-path": 1, "watch": "W", "tag": "x", **more}
        return watches.add(self.main, self.project.id, self.owner, document).id

    def written(self, watch: int) -> list[tuple[int, str, int, int]]:
        """When it was due, what became of it, how many it stands for, its turn."""
        rows = self.history.execute(
            "SELECT due, flag, us, turn FROM watch_run WHERE watch = ? ORDER BY due, turn", (watch,)
        )
        return [(row["due"], fate_of(row["flag"]), row["us"], row["turn"]) for row in rows]

    def assert_all_there(self, watch: int, wanted: list[int], slack: int) -> int:
        """Each of `wanted` (the begin of an interval of `slack` seconds) once; how many were
        missed."""
        written = self.written(watch)
        left, missed = set(wanted), 0
        self.assertEqual(len({due for due, *_ in written}), len(written))
        for due, fate, number, _ in written:
            if fate == "unwatched":
                missed += number
                continue
            at = due - due % slack
            self.assertIn(at, left, f"{due} was not due, or twice")
            left.remove(at)
        self.assertEqual(len(left), missed)
        return missed

    def test_nights_in_five_zones_over_both_changes_of_the_clocks(self) -> None:
        for trouble in (0.0, 0.08):
            self.doCleanups()
            self.setUp()
            held = {zone: self.watch(cron="30 2 * * *", zone=zone) for zone in ZONES}
            Machine(self.folder, BEGIN * SECOND_US).live(366, random.Random(3), trouble)
            for zone, watch in held.items():
                with self.subTest(zone, trouble=trouble):
                    wanted = nights(zone, BEGIN, BEGIN + 366 * DAY)
                    self.assertGreater(len(wanted), 364)
                    missed = self.assert_all_there(watch, wanted, 1)
                    self.assertEqual(missed > 0, trouble > 0)

    def test_each_minute_whatever_happens(self) -> None:
        begin = 1_774_652_400  # the night before clocks go forward
        drawn = self.watch(every="1 min")
        exact = self.watch(every="1 min", exact=True)
        hours = self.watch(every="1 min", hours="06:00 to 06:45 on weekdays", zone="Europe/Oslo")
        self.history.execute("PRAGMA synchronous = OFF")
        Machine(self.folder, begin * SECOND_US).live(self.days, random.Random(8), 0.002)
        end = begin + self.days * DAY
        runs = [due for due, fate, *_ in self.written(drawn) if fate != "unwatched"]
        first, last = runs[0] // 60 * 60, runs[-1] // 60 * 60
        self.assertLess(first, begin + 120)
        self.assertGreater(last, end - 120)
        missed = self.assert_all_there(drawn, list(range(first, last + 1, 60)), 60)
        self.assertGreater(missed, 0)
        self.assertEqual({due % 60 for due, *_ in self.written(exact)}, {0})
        self.assert_all_there(exact, list(range(begin + 60, end + 1, 60)), 1)
        oslo, closed = ZoneInfo("Europe/Oslo"), set()
        for due, fate, number, _ in self.written(hours):
            local = datetime.fromtimestamp(due, oslo)
            self.assertLess(local.weekday(), 5)
            self.assertTrue("06:00" <= local.strftime("%H:%M") <= "06:45")
            closed.add(local.strftime("%H:%M") if fate == "unwatched" and not number else "06:45")
        self.assertEqual(closed, {"06:45"}, "from then on nobody watches")

    def test_an_hour_that_comes_again_is_watched_again(self) -> None:
        watch = self.watch(every="1 min")
        machine = Machine(self.folder, BEGIN * SECOND_US)
        machine.go_on(3_600)
        machine.now = (BEGIN + 600) * SECOND_US
        machine.ledger.turn_back(machine.now)
        machine.take_in()
        machine.go_on(6_600)
        turns = [one[3] for one in self.written(watch)]
        self.assertAlmostEqual(turns.count(0), 60, delta=1)
        self.assertAlmostEqual(turns.count(1), 110, delta=1)

    def test_after_a_sleep_there_is_one_run_for_all_that_was_missed(self) -> None:
        watch = self.watch(every="1 min")
        machine = Machine(self.folder, BEGIN * SECOND_US)
        machine.now += 4 * 3_600 * SECOND_US
        machine.look()
        rows = self.history.execute("SELECT flag FROM watch_run")
        flags = [row["flag"] for row in rows if fate_of(row["flag"]) == "passed"]
        self.assertEqual(sum(bool(flag & CAUGHT_UP) for flag in flags), 1)
        [gap] = [one for one in self.written(watch) if one[1] == "unwatched"]
        self.assertAlmostEqual(gap[2], 239, delta=2)
        self.assertLess(gap[0], BEGIN + 120)

    def test_what_is_turned_off_is_not_watched_and_misses_nothing(self) -> None:
        watch = self.watch(every="1 min")
        machine = Machine(self.folder, BEGIN * SECOND_US)
        for seconds, off in ((600, True), (3_000, False), (600, False)):
            machine.go_on(seconds)
            [held] = watches.watches(self.main, self.project.id)
            documents.change(self.main, held, self.owner, lambda old, off=off: {**old, "off": off})
            machine.take_in()
        gaps = [one for one in self.written(watch) if one[1] == "unwatched"]
        self.assertEqual(gaps, [(BEGIN + 600, "unwatched", 0, 0)])
        self.assertAlmostEqual(len(self.written(watch)), 21, delta=1)

    def test_another_schedule_misses_nothing_of_the_time_before_it(self) -> None:
        watch = self.watch(every="1 day")
        machine = Machine(self.folder, BEGIN * SECOND_US)
        machine.go_on(2 * DAY)
        [held] = watches.watches(self.main, self.project.id)
        documents.change(self.main, held, self.owner, lambda old: {**old, "every": "1 min"})
        machine.take_in()
        machine.go_on(600)
        fates = [one[1] for one in self.written(watch)]
        self.assertNotIn("unwatched", fates)
        self.assertAlmostEqual(len(fates), 12, delta=2)


if __name__ == "__main__":
    if len(sys.argv) > 1 and sys.argv[1].isdigit():
        Year.days = int(sys.argv.pop(1))
    unittest.main()
