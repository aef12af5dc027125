"""Dates and moments: read in every form that answers carry, moved by the calendar and the clock,
written by a pattern."""

import random
import unittest
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

from saltpath.core.values.moments import (
    NoMoment,
    Shift,
    read_moment,
    read_shift,
    rfc3339,
    shift_text,
    shifted,
    written,
    zone_of,
)

OSLO = ZoneInfo("Europe/Oslo")


def at(text: str) -> datetime:
    return read_moment(text, UTC)


class Reading(unittest.TestCase):
    def test_every_form(self):
        for text, wanted in [
            ("2026-11-23", "2026-11-23T00:00:00.000Z"),
            ("2026-11-23T08:12:04Z", "2026-11-23T08:12:04.000Z"),
            ("2026-11-23t08:12:04z", "2026-11-23T08:12:04.000Z"),
            ("2026-11-23 08:12:04Z", "2026-11-23T08:12:04.000Z"),
            ("2026-11-23T08:12Z", "2026-11-23T08:12:00.000Z"),
            ("2026-11-23T08:12:04.120Z", "2026-11-23T08:12:04.120Z"),
            ("2026-11-23T08:12:04,5+01:00", "2026-11-23T07:12:04.500Z"),
            ("2026-11-23T08:12:04+0530", "2026-11-23T02:42:04.000Z"),
            ("2026-11-23T08:12:04.123456789Z", "2026-11-23T08:12:04.123Z"),
            ("Mon, 23 Nov 2026 08:12:04 GMT", "2026-11-23T08:12:04.000Z"),
            ("  2026-11-23T08:12:04Z ", "2026-11-23T08:12:04.000Z"),
            ("2024-02-29", "2024-02-29T00:00:00.000Z"),
        ]:
            with self.subTest(text):
                self.assertEqual(rfc3339(at(text)), wanted)

    def test_without_a_zone_it_stands_in_the_projects(self):
        self.assertEqual(rfc3339(read_moment("2026-11-23T08:00", OSLO)), "2026-11-23T07:00:00.000Z")
        self.assertEqual(rfc3339(read_moment("2026-07-01T08:00", OSLO)), "2026-07-01T06:00:00.000Z")
        self.assertEqual(
            rfc3339(read_moment("2026-07-01T08:00Z", OSLO)), "2026-07-01T08:00:00.000Z"
        )

    def test_what_is_none(self):
        for text in (
            "",
            "soon",
            "23.11.2026",
            "2026-13-01",
            "2026-02-30",
            "2026-11-23T25:00Z",
            "2026-11-23T08:61Z",
            "20261123",
            "2026-11-23T08:12:04+25:00",
            "12:30",
            "1764000000",
            "Mon, 99 Nov 2026 08:12:04 GMT",
            "٢٠٢٦-١١-٢٣T08:12Z",
        ):
            with self.subTest(text), self.assertRaises(NoMoment):
                at(text)


class Moving(unittest.TestCase):
    def test_lengths(self):
        for text, wanted in [
            ("2 days", Shift(days=2)),
            ("+2 days", Shift(days=2)),
            ("-1 month", Shift(months=-1)),
            ("- 1 month", Shift(months=-1)),
            ("1 year", Shift(months=12)),
            ("2 weeks", Shift(days=14)),
            ("90 min", Shift(us=5_400_000_000)),
            ("1.5 h", Shift(us=5_400_000_000)),
            ("250 ms", Shift(us=250_000)),
            ("0.5 s", Shift(us=500_000)),
        ]:
            with self.subTest(text):
                self.assertEqual(read_shift(text), wanted)
        for text in (
            "",
            "2",
            "days",
            "2 fortnights",
            "1.5 days",
            "1.5 months",
            "two days",
            "2 days 3 h",
            "--2 days",
        ):
            with self.subTest(text), self.assertRaises(NoMoment):
                read_shift(text)

    def test_a_month_more_ends_at_its_last_day(self):
        for text, shift, wanted in [
            ("2026-01-31", "1 month", "2026-02-28"),
            ("2024-01-31", "1 month", "2024-02-29"),
            ("2026-03-31", "-1 month", "2026-02-28"),
            ("2026-12-15", "1 month", "2027-01-15"),
            ("2024-02-29", "1 year", "2025-02-28"),
            ("2026-01-31", "13 months", "2027-02-28"),
            ("2026-11-23", "-2 weeks", "2026-11-09"),
        ]:
            with self.subTest(text):
                self.assertEqual(shift_text(text, read_shift(shift), UTC), wanted)

    def test_the_form_stays(self):
        for text, shift, wanted in [
            ("2026-11-23T08:12:04Z", "90 min", "2026-11-23T09:42:04Z"),
            ("2026-11-23T08:12:04.120Z", "1 day", "2026-11-24T08:12:04.120Z"),
            ("2026-11-23T23:30:00+01:00", "1 h", "2026-11-24T00:30:00+01:00"),
            ("2026-11-23T08:12", "1 day", "2026-11-24T08:12"),
        ]:
            with self.subTest(text):
                self.assertEqual(shift_text(text, read_shift(shift), UTC), wanted)
        with self.assertRaisesRegex(NoMoment, "no hours to add to"):
            shift_text("2026-11-23", read_shift("2 h"), UTC)

    def test_a_day_keeps_the_hour_and_an_hour_does_not(self):
        before = datetime(2026, 3, 28, 12, tzinfo=OSLO)  # the night after it, clocks go forward
        self.assertEqual(shifted(before, Shift(days=1)).hour, 12)
        self.assertEqual(shifted(before, Shift(us=24 * 3_600_000_000)).hour, 13)
        autumn = datetime(2026, 10, 25, 0, 30, tzinfo=OSLO)
        self.assertEqual(
            rfc3339(shifted(autumn, Shift(us=3 * 3_600_000_000))), "2026-10-25T01:30:00.000Z"
        )

    def test_out_of_the_calendar(self):
        for text, shift in (
            ("9999-12-31", "1 day"),
            ("0001-01-01", "-1 day"),
            ("9999-12-31", "1 month"),
            ("0001-01-31", "-1 year"),
            ("2026-01-01", "99999999 years"),
            ("2026-01-01", "99999999999 days"),
        ):
            with self.subTest(text), self.assertRaises(NoMoment):
                shift_text(text, read_shift(shift), UTC)

    def test_there_and_back_again(self):
        chance = random.Random(23)
        for _ in range(2000):
            moment = datetime(2000, 1, 1, tzinfo=UTC) + timedelta(
                seconds=chance.randint(0, 1_600_000_000)
            )
            shift = Shift(days=chance.randint(-9999, 9999), us=chance.randint(-(10**12), 10**12))
            back = Shift(days=-shift.days, us=-shift.us)
            self.assertEqual(shifted(shifted(moment, shift), back), moment)


class Writing(unittest.TestCase):
    def test_patterns(self):
        moment = at("2026-03-07T08:05:09.070Z")
        for pattern, wanted in [
            ("yyyy-MM-dd", "2026-03-07"),
            ("d.M.yy", "7.3.26"),
            ("d MMMM y, HH:mm", "7 March 2026, 08:05"),
            ("EEE, dd MMM yyyy", "Sat, 07 Mar 2026"),
            ("h:mm a", "8:05 AM"),
            ("HH:mm:ss.SSS", "08:05:09.070"),
            ("yyyyMMdd'T'HHmmss", "20260307T080509"),
        ]:
            with self.subTest(pattern):
                self.assertEqual(written(moment, pattern, UTC).replace("\u202f", " "), wanted)
        self.assertEqual(written(moment, "HH:mm", OSLO), "09:05")

    def test_zones(self):
        self.assertIs(zone_of(""), UTC)
        self.assertIs(zone_of("UTC"), UTC)
        self.assertEqual(str(zone_of("Europe/Oslo")), "Europe/Oslo")
        for name in ("Oslo", "../etc/passwd", "Europe/Atlantis", "\x00"):
            with self.subTest(name), self.assertRaises(NoMoment):
                zone_of(name)
