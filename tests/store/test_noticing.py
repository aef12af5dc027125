"""What no single run of a watch says is noticed, and told once: allowances that are used up too
fast, answers that became slower."""

import math
import random
import tempfile
import unittest
from contextlib import closing
from pathlib import Path

import numpy as np

from saltpath.core.watching import burn
from saltpath.core.watching.alerts import Told, body_of, message
from saltpath.core.watching.flags import ANSWERED, flag_of
from saltpath.core.watching.numbers import Before, ordered
from saltpath.core.watching.states import Rule
from saltpath.runner import noticing
from saltpath.store import people, projects, watches
from saltpath.store.database import connect, migrate, write
from saltpath.store.history import blocks, runs, troubles
from saltpath.store.history.runs import SECOND_US, Claim, Ended

BEGIN = 1_796_119_200
HOUR = 3_600


def plain_rate(rows, share, begin, end):
    """Second after second: the run that holds then is the last one that was due."""
    good = bad = 0
    for second in range(begin, end):
        held = [flag for due, flag in rows if due <= second and flag & 7 != 6]
        if held:
            is_bad = held[-1] & 7 in (1, 2, 5) and not held[-1] & 48
            bad += is_bad
            good += held[-1] & 55 == 0
    return bad / (good + bad) / (1 - share) if bad else 0.0


class Burns(unittest.TestCase):
    def test_rates_are_what_a_plain_count_of_seconds_says(self) -> None:
        chance = random.Random(7)
        pairs = (burn.Pair(600, 60, 14.4), burn.Pair(900, 300, 6.0, told=False))
        for _ in range(40):
            now = BEGIN + chance.randrange(1_000)
            due = sorted(chance.sample(range(now - 1_500, now), chance.randrange(1, 60)))
            flags = [chance.choice([8, 8, 8, 1, 2, 13, 4, 6, 3, 17, 34]) for _ in due]
            begin = now - 900
            early = [(d, f) for d, f in zip(due, flags, strict=True) if d < begin and f & 7 != 6]
            inside = [(d, f) for d, f in zip(due, flags, strict=True) if d >= begin]
            last = early[-1] if early else (0, 0)
            columns = np.array([(0, d, f, 5, 0) for d, f in inside], np.int64).reshape(-1, 5).T
            before = Before(np.array([last[0]]), np.array([last[1]]))
            found = burn.burns(ordered(*columns), before, 0.99, now, pairs)
            rows = [*early[-1:], *inside]
            for one in found:
                long = plain_rate(rows, 0.99, now - one.pair.long_s, now)
                short = plain_rate(rows, 0.99, now - one.pair.short_s, now)
                self.assertAlmostEqual(one.long, long)
                self.assertAlmostEqual(one.short, short)
            high = burn.too_high(found)
            self.assertTrue(high is None or (high.pair.told and high.bad >= 3))


class Noticing(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        migrate(self.folder)
        self.main = self.enterContext(closing(connect(self.folder)))
        self.history = self.enterContext(closing(connect(self.folder, "history")))
        self.history.execute("PRAGMA synchronous = OFF")
        self.owner = people.local_owner(self.main).id
        document = {"salt-path": 1, "project": "Harbour", "zone": "Europe/Oslo"}
        self.project = projects.add_project(self.main, self.owner, document)
        self.epoch = runs.take_lease(self.history, "test")
        self.now = BEGIN

    def watch(self, limits, **more) -> int:
        document = {"salt-path": 1, "watch": "Tides", "tag": "x", "limits": limits, **more}
        added = watches.add(self.main, self.project.id, self.owner, document)
        known = [(one.id, one.project, "") for one in watches.watches(self.main, self.project.id)]
        runs.look_after(self.history, self.epoch, known, self.now * SECOND_US)
        return added.id

    def live(self, watch, fates, step=60, us=lambda: 90_000) -> None:
        """A run each minute, looked at after each, packed now and then."""
        for number, fate in enumerate(fates):
            claim = Claim(watch, self.now, 0)
            runs.claim(self.history, self.epoch, [claim], [], [], 0)
            bits = 0 if fate == "blocked" else ANSWERED
            run = Ended(
                *(self.project.id, watch, self.now, 0, flag_of(fate, bits), us()),
                at=self.now * SECOND_US,
            )
            with write(self.history):
                runs.end(self.history, self.epoch, [run], {watch: Rule(3, 1)})
            self.now += step
            noticing.look(self.main, self.history, self.now * SECOND_US)
            if number % 30 == 0:
                list(blocks.pack(self.history, self.now - 300))

    def told(self) -> list[str]:
        return [row[0] for row in self.history.execute("SELECT kind FROM alert ORDER BY id")]

    def test_trouble_now_and_then_is_told_once_and_that_it_is_over(self) -> None:
        watch = self.watch({"available": "99.9 %"})
        self.live(watch, ["passed"] * 120)
        self.live(watch, (["failed"] + ["passed"] * 4) * 24)
        self.assertEqual(self.told(), ["burn"], "no three bad runs stand in a row")
        [trouble] = troubles.troubles(self.history, self.project.id, 0, self.now)
        self.assertEqual(trouble.kind, "burn")
        self.assertRegex(
            trouble.cause,
            r"^\d+ bad runs in the last \d h use its allowance up \d+(\.\d)? times as fast as it "
            r"may be; the whole of it would last ",
        )
        self.assertGreaterEqual(trouble.began, BEGIN + 120 * 60)
        self.live(watch, ["passed"] * 480)
        self.assertEqual(self.told(), ["burn", "recovery"])
        self.live(watch, (["failed"] + ["passed"] * 4) * 24)
        self.assertEqual(self.told(), ["burn", "recovery", "burn"])

    def test_an_outage_is_not_told_twice_nor_is_a_hiccup_told(self) -> None:
        watch = self.watch({"available": "99.9 %"})
        self.live(watch, ["passed"] * 60 + ["blocked"] * 30 + ["passed"] * 60)
        self.assertEqual(self.told(), ["outage", "recovery"])
        hiccups = ["passed"] * 300
        hiccups[40] = hiccups[270] = "failed"
        self.live(watch, hiccups)
        self.assertEqual(self.told(), ["outage", "recovery"])

    def test_without_a_promise_there_is_no_allowance(self) -> None:
        watch = self.watch({"time": "1 s"})
        self.live(watch, (["failed"] + ["passed"] * 2) * 40)
        self.assertEqual(self.told(), [])

    def past(self, watch, begin, days, us, every=300) -> None:
        """Runs that came so often, each with the time that `us` gives for its moment, looked
        through each hour."""
        for hour in range(begin, begin + round(days * 86_400), HOUR):
            made = [(due, watch, 8, us(due)) for due in range(hour, hour + HOUR, every)]
            with write(self.history):
                self.history.executemany(
                    "INSERT INTO watch_run (due, watch, turn, late, flag, us) "
                    "VALUES (?, ?, 0, 0, ?, ?)",
                    made,
                )
                self.history.execute(
                    "UPDATE watch_state SET last_due = ?, last_at = ?",
                    (hour, (hour + 3_500) * SECOND_US),
                )
            self.now = hour + HOUR
            list(blocks.pack(self.history, self.now - 300))
            noticing.look(self.main, self.history, self.now * SECOND_US)

    def test_slower_is_told_once_and_that_it_is_as_quick_as_before(self) -> None:
        watch = self.watch({"time": "5 s"})
        chance = random.Random(9)

        def usual(due):
            day = 1 + 0.3 * math.sin(2 * math.pi * due / 86_400)
            return round(190_000 * day * chance.lognormvariate(0, 0.12))

        begin = BEGIN // HOUR * HOUR
        self.past(watch, begin, 5, usual)
        self.assertEqual(self.told(), [], "a day's cycle is no change")
        slow = begin + 5 * 86_400
        self.past(watch, slow, 1, lambda due: round(usual(due) * 1.5))
        self.assertEqual(self.told(), ["slower"])
        [trouble] = troubles.troubles(self.history, self.project.id, 0, self.now)
        self.assertLess(abs(trouble.began - slow), 3_600)
        self.assertRegex(trouble.cause, r"^Slower by (half|\d\d %): answers took \d+ ms, and take ")
        self.past(watch, slow + 86_400, 1, usual)
        self.assertEqual(self.told(), ["slower", "recovery"])
        [trouble] = troubles.troubles(self.history, self.project.id, 0, self.now)
        self.assertLess(abs(trouble.ended - slow - 86_400), 3_600)
        self.past(watch, slow + 2 * 86_400, 1, usual)
        self.assertEqual(self.told(), ["slower", "recovery"])

    def test_what_is_due_often_by_cron_is_looked_at_like_what_is_every_so_often(self) -> None:
        watch = self.watch({}, cron="*/5 * * * *")
        chance = random.Random(10)

        def usual(due):
            day = 1 + 0.3 * math.sin(2 * math.pi * due / 86_400)
            return round(190_000 * day * chance.lognormvariate(0, 0.12))

        begin = BEGIN // HOUR * HOUR
        self.past(watch, begin, 4, usual)
        self.assertEqual(self.told(), [])
        self.past(watch, begin + 4 * 86_400, 0.5, lambda due: round(usual(due) * 1.6))
        self.assertEqual(self.told(), ["slower"])

    def test_nothing_is_claimed_in_the_first_three_days(self) -> None:
        watch = self.watch({})
        self.past(watch, BEGIN // HOUR * HOUR, 2.5, lambda due: 100_000 + 60_000 * (due % 9))
        begin = self.now
        self.past(watch, begin, 0.4, lambda due: 300_000 + 60_000 * (due % 9))
        self.assertEqual(self.told(), [])

    def test_messages_say_what_kind_of_trouble_it_is(self) -> None:
        for kind, begins, ended in (
            ("burn", "Tides uses up its allowance too fast", "no faster than it may after 2 h"),
            ("slower", "Tides became slower", "Tides is as quick as before after 2 h"),
        ):
            for over, subject in ((0, begins), (7_200, ended)):
                told = [Told("Tides", "Live", "", 0, over, "why", 9, "http://x/", kind)]
                made = message("recovery" if over else kind, told, "UTC", 7_200)
                self.assertTrue(made.subject.endswith(subject), made.subject)
                body = body_of("", kind, made, told, "Harbour").decode()
                self.assertIn(f'"kind":"{kind}"', body)


if __name__ == "__main__":
    unittest.main()
