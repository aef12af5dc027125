"""When watches are due, against plain walks over the clock: a year of them in five zones, over both
changes of the clocks."""

import random
import unittest
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

from saltpath.core.values.grammar import Unreadable
from saltpath.core.watching.hours import Hours, merged, read_hours
from saltpath.core.watching.schedule import (
    Cron,
    Every,
    Schedule,
    cron_in_words,
    read_cron,
    read_every,
    read_zone,
    turn,
)

MIN, DAY = 60_000_000, 86_400_000_000
ZONES = ("Europe/Oslo", "America/New_York", "Australia/Sydney", "Asia/Kolkata", "Africa/Casablanca")
EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


def us(*parts: int) -> int:
    return round((datetime(*parts, tzinfo=UTC) - EPOCH).total_seconds() * 1e6)


def local(moment: int, zone: str) -> datetime:
    return (EPOCH + timedelta(microseconds=moment)).astimezone(ZoneInfo(zone))


class Intervals(unittest.TestCase):
    def test_each_interval_has_one_and_the_same_whenever_it_is_asked(self) -> None:
        drawn = random.Random(22)
        for _ in range(60):
            every = Every(
                drawn.choice([1, 5, 30, 60, 3600, 86_400]) * 1_000_000, drawn.randrange(DAY)
            )
            schedule = Schedule(every, number=drawn.randrange(1_000))
            begin = us(2026, 12, 1) + drawn.randrange(DAY)
            found = schedule.due_between(begin, begin + 50 * every.us)
            places = [(due - every.anchor) // every.us for due in found]
            self.assertEqual(places, list(range(places[0], places[0] + len(places))))
            self.assertIn(len(found), (49, 50, 51))
            for due in found[1:]:  # as after a restart
                earlier = due - drawn.randrange(1, due - found[0])
                self.assertIn(due, schedule.due_between(earlier, due + 1))
            later = Schedule(every, exact=True).due_between(begin, begin + 5 * every.us)
            self.assertEqual({(due - every.anchor) % every.us for due in later}, {0})

    def test_watches_of_one_length_do_not_begin_together(self) -> None:
        begin = us(2026, 12, 1)
        due = sorted(
            moment
            for number in range(1_000)
            for moment in Schedule(Every(MIN), number=number).due_between(begin, begin + 3 * MIN)
        )
        most = max(
            sum(at <= other < at + 100_000 for other in due[n : n + 20]) for n, at in enumerate(due)
        )
        self.assertLessEqual(most, 5)

    def test_trouble_that_comes_each_minute_is_met_as_often_as_it_is_there(self) -> None:
        begin = us(2026, 12, 1)
        for number in (0, 7, 400):
            due = Schedule(Every(MIN), number=number).due_between(begin, begin + 7 * DAY)
            met = sum(moment % MIN < 3_000_000 for moment in due) / len(due)
            self.assertAlmostEqual(met, 0.05, delta=0.01)


class Hourly(unittest.TestCase):
    def test_a_year_of_hours_in_three_zones(self) -> None:
        for zone in ZONES[:3]:
            for text, inside in (
                ("06:00 to 22:00 on weekdays", lambda at: at.weekday() < 5 and 6 <= at.hour < 22),
                (
                    "22:00 to 04:00 on Fridays and Saturdays",
                    lambda at: (
                        (at - timedelta(hours=4)).weekday() in (4, 5)
                        and (at.hour >= 22 or at.hour < 4)
                    ),
                ),
                ("00:00 to 24:00 on weekends", lambda at: at.weekday() > 4),
            ):
                schedule = Schedule(Every(15 * MIN), (read_hours(text),), zone, exact=True)
                begin, end = us(2026, 1, 1), us(2027, 1, 1)
                wanted = [
                    moment
                    for moment in range(begin, end, 15 * MIN)
                    if inside(local(moment, zone).replace(tzinfo=None))
                ]
                self.assertEqual(schedule.due_between(begin, end), wanted, (zone, text))
                self.assertEqual(schedule.number_due(begin, end), len(wanted))
                self.assertEqual(schedule.due_since(begin - 1, end - 1), (len(wanted), wanted[-1]))

    def test_hours_of_several_kinds_are_counted_once(self) -> None:
        drawn = random.Random(3)
        for _ in range(40):
            hours = tuple(
                Hours(*sorted(drawn.sample(range(1_441), 2)), frozenset(drawn.sample(range(7), 3)))
                for _ in range(drawn.randint(1, 3))
            )
            schedule = Schedule(
                Every(drawn.choice([MIN, 7 * MIN, DAY]), drawn.randrange(DAY)),
                hours,
                drawn.choice(ZONES),
                number=drawn.randrange(100),
            )
            begin = us(2026, 10, 20) + drawn.randrange(DAY)
            end = begin + drawn.randrange(9 * DAY)
            bare = Schedule(schedule.when, number=schedule.number).due_between(begin, end)
            spans = merged(span for one in hours for span in one.spans(schedule.zone, begin, end))
            wanted = [due for due in bare if any(first <= due < last for first, last in spans)]
            self.assertEqual(schedule.due_between(begin, end), wanted)
            self.assertEqual(schedule.number_due(begin, end), len(wanted))

    def test_hours_are_written_as_they_are_read(self) -> None:
        for text in (
            "06:00 to 22:00 on weekdays",
            "22:00 to 04:00 on Fridays and Saturdays",
            "00:00 to 24:00 on weekends",
            "09:30 to 17:00",
            "01:00 to 02:00 on Mondays, Wednesdays and Sundays",
        ):
            self.assertEqual(str(read_hours(text)), text)
        self.assertEqual(
            str(read_hours("6:05 to 7:00 monday, and tuesday")),
            "06:05 to 07:00 on Mondays and Tuesdays",
        )
        for text in (
            "",
            "6 to 7",
            "25:00 to 26:00",
            "06:61 to 07:00",
            "06:00 to 06:00",
            "06:00 to 07:00 on Moondays",
            "24:00 to 01:00",
        ):
            with self.assertRaises(Unreadable):
                read_hours(text)


class Crons(unittest.TestCase):
    def test_half_past_two_in_five_zones_over_both_changes(self) -> None:
        """Once a day, also where the clocks skip it (then as they have) or show it twice."""
        begin, end = us(2026, 1, 1, 12), us(2027, 1, 1, 12)
        for zone in ZONES:
            found = Schedule(read_cron("30 2 * * *", zone)).due_between(begin, end)
            wanted, done = [], set[object]()
            for moment in range(begin, end, 15 * MIN):
                at, before = local(moment, zone), local(moment - 15 * MIN, zone)
                skipped = (at.hour, at.minute) > (2, 30) > (before.hour, before.minute)
                skipped = skipped and at.utcoffset() != before.utcoffset()
                if at.date() not in done and ((at.hour, at.minute) == (2, 30) or skipped):
                    wanted.append(moment)
                    done.add(at.date())
            self.assertEqual(found, wanted, zone)
            self.assertIn(len(found), (365, 366))

    def test_words(self) -> None:
        for text, said in (
            ("30 2 * * 1-5", "at 02:30 on weekdays, Europe/Oslo"),
            ("*/5 * * * *", "every fifth minute of every hour, Europe/Oslo"),
            ("0 0 1 * *", "at 00:00 on the first day of every month, Europe/Oslo"),
        ):
            self.assertEqual(cron_in_words(read_cron(text, "Europe/Oslo")), said)

    def test_what_cannot_be_read(self) -> None:
        for text in (
            "",
            "* * * *",
            "* * * * * *",
            "61 * * * *",
            "x * * * *",
            "0 0 31 2 *",
            "@daily",
        ):
            with self.assertRaises(Unreadable, msg=text):
                read_cron(text, "UTC")
        with self.assertRaises(Unreadable) as problem:
            read_zone("Europe/Olso")
        self.assertIn("Europe/Oslo", str(problem.exception))
        for text in ("", "5", "0.5 s", "400 days", "5 minutes", "-1 s"):
            with self.assertRaises(Unreadable, msg=text):
                read_every(text)
        self.assertEqual(read_every("5 min"), 5 * MIN)


class Turns(unittest.TestCase):
    def test_against_a_plain_walk_with_sleeps(self) -> None:
        """Whatever sleeps between two looks: each that is due is begun or missed, once."""
        drawn = random.Random(9)
        for _ in range(30):
            when = drawn.choice([Every(MIN, 17), Every(3_600_000_000), Cron("*/7 * * * *", "UTC")])
            hours = drawn.choice([(), (read_hours("06:00 to 22:00 on weekdays"),)])
            schedule = Schedule(when, hours, drawn.choice(ZONES), number=drawn.randrange(9))
            begin = now = last = us(2026, 3, 27)
            begun, missed, closed = [], 0, []
            for _ in range(60):
                now += drawn.choice([1, 1_000_000, MIN, 5 * MIN, 3_600_000_000, DAY])
                found = turn(schedule, last, now, now + 100_000)
                fresh = [*([found.caught_up] if found.caught_up else []), *found.due]
                begun += fresh
                missed += found.missed
                closed += found.closed
                if found.missed:
                    self.assertTrue(last < found.missed_since < (found.caught_up or 0))
                last = max([last, *fresh, *found.closed])
            wanted = schedule.due_between(begin + 1, now + 100_001)
            self.assertEqual(len(wanted), len(begun) + missed)
            self.assertLessEqual(set(begun), set(wanted))
            self.assertEqual(begun, sorted(set(begun)))
            ends = schedule.closings(begin + 1, now + 100_001)
            self.assertLessEqual(set(closed), set(ends))
            self.assertEqual(closed[-1:], ends[-1:])


if __name__ == "__main__":
    unittest.main()
