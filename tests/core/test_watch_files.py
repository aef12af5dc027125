"""A watch's file and its sentence: each is read as what it says, and what it says wrong is told
with its place."""

import random
import unittest

from saltpath.core.format.nodes import FormatError
from saltpath.core.format.watch_reader import named_in, read_watch
from saltpath.core.format.writer import write_document
from saltpath.core.values.grammar import Unreadable
from saltpath.core.watching.limits import read_limit, read_share, show_limit, show_share
from saltpath.core.watching.sentences import KINDS, read_sentence, said_when, sentence
from saltpath.core.watching.watch import Watch

BASE = {"salt-path": 1, "watch": "Tide tables", "tag": "feeds"}
WRONG = {
    "every: 0.5 s": "so many whole seconds",
    "every: soon": "expected how often",
    "cron: 61 2 * * *": "is not read as cron",
    "cron: 30 2 31 2 *": "is not read as cron",
    "{ every: 1 min, cron: 30 2 * * * }": "every so often or by cron, not both",
    "zone: Europe/Olso": "did you mean Europe/Oslo?",
    "hours: 25:00 to 26:00": "there is no time 25:00",
    "hours: [06:00 to 22:00 on holidays]": "'holidays' is no day",
    "suite: feeds": "a watch watches one thing",
    "pick: 3 to 1": "rows count from 1",
    "limits: { time: 500 }": "expected a duration with its unit",
    "limits: { available: 99.9 }": "expected a share of the time",
    "limits: { available: 100 % }": "expected a share of the time",
    f"limits: {{ available: 99.{'9' * 30} % }}": "expected a share of the time",
    f"limits: {{ time: {'9' * 30} s }}": "expected a limit of more than 0 s and at most 1 day",
    "limits: { time: 0.0000001 s }": "expected a limit of more than 0 s and at most 1 day",
    "limits: { over: week }": "expected month, or days up to now",
    "limits: { tme: 1 s }": "did you mean 'time'?",
    "bad after: 0": "bad after is a number of runs",
    "good after: true": "good after is a number of runs",
    "maintenance: [ { from: 2026-12-05 } ]": "maintenance has from and to",
    "maintenance: [ { from: 2026-12-05, to: 2026-12-05 } ]": "ends after it begins",
    "maintenance: [ { from: 2026-12-05, to: 2026-12-06, hours: 02:00 to 03:00 } ]": "give hours",
    "maintenance: [ { from: then, to: 2026-12-05 } ]": "not a date or a time",
    "values: { a: { secret: true } }": "no secrets of its own",
    'values: { a: "[=b]" }': "not read for references",
    "values: { a: [1] }": "a watch gives texts and numbers",
    "tell: desk": "tell must be a list",
    "evry: 1 min": "did you mean 'every'?",
}


def of(**more: object) -> Watch:
    return read_watch({**BASE, **{key.replace("_", " "): held for key, held in more.items()}})


def moment_of(text: str) -> int:
    agreed = [{"from": text, "to": "2030-01-01"}]
    return read_watch({**BASE, "maintenance": agreed}).maintenance[0].begin


class Files(unittest.TestCase):
    def test_what_is_wrong_is_told_with_its_line(self):
        for said, expected in WRONG.items():
            with self.subTest(said):
                lines = said.strip("{} ").split(", cron") if said.startswith("{") else [said]
                lines = [lines[0], *(f"cron{rest}" for rest in lines[1:])]
                text = "\n".join(["salt-path: 1", "watch: Tides", "tag: feeds", *lines]) + "\n"
                with self.assertRaises(FormatError) as raised:
                    read_watch(text, "watches/tides.watch.yaml")
                problem = raised.exception.problems[0]
                self.assertIn(expected, problem.sentence)
                self.assertEqual(problem.file, "watches/tides.watch.yaml")
                self.assertIn(problem.line, (1, 4, 5))

    def test_maintenance_is_when_it_was_agreed(self):
        watch = of(
            zone="Europe/Oslo",
            maintenance=[
                {"hours": "02:00 to 04:00 on Sundays"},
                {"from": "2026-12-05T22:00", "to": "2026-12-05T23:00:00+01:00"},
            ],
        )
        for moment, agreed in (
            ("2026-12-05T20:59:59Z", False),
            ("2026-12-05T21:00:00Z", True),
            ("2026-12-05T22:00:00Z", False),
            ("2026-12-06T01:00:00Z", True),
            ("2026-12-07T01:00:00Z", False),
        ):
            self.assertEqual(watch.in_maintenance(moment_of(moment), "UTC"), agreed, moment)
        day = (moment_of("2026-12-05"), moment_of("2026-12-07"))
        self.assertEqual(len(watch.agreed("UTC", *day)), 2)

    def test_routes_are_found_in_whatever_stands_there(self):
        self.assertEqual(named_in({"tell": ["desk", 3, "ops"]}), {"desk", "ops"})
        for odd in ({"tell": "desk"}, {}, [], None):
            self.assertEqual(named_in(odd), set())

    def test_a_name_is_as_long_as_our_api_takes_it(self):
        self.assertEqual(len(of(watch="n" * 200).name), 200)
        with self.assertRaisesRegex(FormatError, "at most 200 characters"):
            of(watch="n" * 201)

    def test_a_limit_is_said_as_it_is_held(self):
        chance = random.Random(9)
        for _ in range(500):
            us = round(10 ** chance.uniform(0, 10.9))
            self.assertEqual(read_limit(show_limit(us)), us)
            percent = f"{100 - 10 ** chance.uniform(-8, 1.9):.{chance.randint(2, 9)}f}"
            if float(percent) < 100:
                share = read_share(f"{percent} %")
                self.assertEqual(read_share(show_share(share)), share)
                self.assertEqual(float(show_share(share).split()[0]), float(percent))


class Sentences(unittest.TestCase):
    def test_each_kind_of_part_is_read_as_it_is_offered(self):
        for kind in KINDS:
            with self.subTest(kind.shape):
                text = kind.shape
                if not text.startswith(("every", "at 0", "cron")):
                    text = f"every minute, {text}"
                read_watch({**BASE, **read_sentence(text)})

    def test_a_sentence_is_read_as_what_it_says(self):
        chance = random.Random(5)
        parts = {
            "environment": ["Live", "Rehearsal 2"],
            "every": ["1 s", "1 min", "90 s", "1 h", "7 days"],
            "cron": ["30 2 * * *", "0 6 * * 1-5", "5 4 * * 1,3,0", "*/7 3-5 1,15 * *"],
            "hours": ["06:00 to 22:00 on weekdays", "22:00 to 04:00 on Fridays and Saturdays"],
            "zone": ["Asia/Kolkata", "America/Argentina/Buenos_Aires"],
            "limits": [
                {"time": "500 ms"},
                {"time": "1.25 s", "available": "99.95 %"},
                {"answers": "95 % within 400 ms"},
                {"answers": ["50 % within 0.1 s", "99.9 % within 2 s"], "available": "99 %"},
            ],
            "urgent": [False],
            "bad after": [1, 12],
            "good after": [2],
            "tell": [["desk"], ["desk", "night watch"]],
        }
        for _ in range(300):
            document = {}
            for key, choices in parts.items():
                if chance.random() < 0.5:
                    document[key] = chance.choice(choices)
            if "cron" in document or "every" not in document:
                document.pop("every", None)
                document.setdefault("cron", "30 2 * * *")
            elif chance.random() < 0.3:
                document["exact"] = True
            if "hours" in document:
                document["hours"] = [document["hours"]]
            watch = read_watch({**BASE, **document})
            said = sentence(watch)
            self.assertEqual(read_watch({**BASE, **read_sentence(said)}), watch, said)
            self.assertEqual(read_watch(write_document({**BASE, **document})), watch)
            self.assertTrue(said_when(watch))

    def test_what_is_not_understood_is_named(self):
        for text, expected in {
            "every minute, tel desk": "'tel desk' is not understood; expected tell desk",
            "at most 1 s": "say how often",
            "every minute, at 02:30": "say one of them",
            "at 24:30": "there is no time",
            "every 3": "expected how often",
            "every minute, at most 3 bananas": "expected a duration",
            "every minute, Europe/Olso": "did you mean Europe/Oslo?",
            "every minute, bad after 0": "1 to 1000",
            "every minute, 95 % within soon": "is not understood",
            "every minute, 0 % within 1 s": "expected a share",
            "every minute, 95 % within 2 days": "at most 1 day",
            "": "say how often",
        }.items():
            with self.subTest(text), self.assertRaises(Unreadable) as raised:
                read_sentence(text)
            self.assertIn(expected, str(raised.exception))

    def test_it_reads_as_one_would_say_it(self):
        for said, document in {
            "every minute against Live, at most 500 ms, tell desk": {
                "every": "60 s",
                "environment": "Live",
                "limits": {"time": "0.5 s"},
                "tell": ["desk"],
            },
            "at 02:30 on weekdays, Europe/Oslo": {"cron": "30 2 * * 1-5", "zone": "Europe/Oslo"},
            "every 2 days exactly": {"every": "48 h", "exact": True},
        }.items():
            self.assertEqual(sentence(read_watch({**BASE, **document})), said)
        twice = read_watch({**BASE, "cron": "0,30 6 * * *"})
        self.assertEqual(said_when(twice), "at 06:00 and 06:30 every day")


if __name__ == "__main__":
    unittest.main()
