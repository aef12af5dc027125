"""What runs add up to, held against plain reckonings on entries at random."""

import random
import unittest
from collections import Counter, defaultdict
from datetime import UTC, datetime
from math import ceil, log
from statistics import median
from zoneinfo import ZoneInfo

import numpy as np

from saltpath.core.answers.exchange import Times
from saltpath.core.references.templates import read_template
from saltpath.core.trends import compare
from saltpath.core.trends.changes import Moved, as_found, by_series, moved_in, rule_for
from saltpath.core.trends.days import (
    by_case,
    by_day,
    cycles,
    days_between,
    in_order,
    spells,
    totals,
)
from saltpath.core.trends.entries import (
    CASE,
    KNOWN,
    OF_HOST,
    OURS,
    STEP,
    VERDICTS,
    only,
    that_count,
)
from saltpath.core.trends.followed import operation_of
from saltpath.core.trends.lines import line, phases
from saltpath.core.trends.same_row import RowsOfRun, same_row
from saltpath.core.trends.spent import side_by_side, spent
from saltpath.core.trends.summing import Taken, phases_of, step_entries
from saltpath.core.trends.together import Shifted, told_once
from saltpath.core.trends.trust import GoesWith, proposal, trust

OSLO = ZoneInfo("Europe/Oslo")
BEGIN = int(datetime(2026, 10, 20, tzinfo=OSLO).timestamp())
DAY = 86_400
BAD = ("failed", "blocked")


def at_rank(values, share):
    return sorted(values)[min(max(ceil(round(share * len(values), 9)), 1), len(values)) - 1]


def case_entries(rows):
    made = np.zeros(len(rows), CASE)
    for place, row in enumerate(rows):
        for name, value in row.items():
            made[name][place] = VERDICTS.index(value) if name == "verdict" else value
    return made


def some_cases(chance, runs=120, cases=7):
    """Rows as dictionaries: runs over some weeks in which clocks change, in any order."""
    rows = []
    for run in range(1, runs + 1):
        at = BEGIN + chance.randrange(30 * DAY)
        for case in range(1, cases + 1):
            if chance.random() < 0.8:
                verdict = chance.choices(VERDICTS, (60, 20, 8, 8, 4))[0]
                flags = chance.choice((0, 0, 0, KNOWN)) if verdict in BAD else 0
                if verdict == "blocked" and chance.random() < 0.3:
                    flags |= OURS
                rows.append(
                    {
                        "case": case,
                        "run": run,
                        "at": at,
                        "version": 1,
                        "checks": case,
                        "cause": chance.randrange(4),
                        "us": chance.randrange(1_000_000),
                        "verdict": verdict,
                        "flags": flags,
                    }
                )
    chance.shuffle(rows)
    return rows


def plain_order(rows):
    kept = [row for row in rows if not row["flags"] & OURS and row["verdict"] != "skipped"]
    return sorted(kept, key=lambda row: (row["case"], row["at"], row["run"]))


class Days(unittest.TestCase):
    def test_days_of_a_zone_in_which_clocks_change(self):
        bounds = days_between(BEGIN + 3_600, BEGIN + 10 * DAY, OSLO)
        starts = [datetime.fromtimestamp(at, OSLO) for at in bounds]
        self.assertEqual({(at.hour, at.minute) for at in starts}, {(0, 0)})
        self.assertEqual(Counter(np.diff(bounds).tolist()), {DAY: 9, DAY + 3_600: 1})
        self.assertTrue(bounds[0] <= BEGIN + 3_600 and bounds[-1] >= BEGIN + 10 * DAY)

    def test_how_cases_ended_on_each_day(self):
        for seed in range(6):
            rows = some_cases(random.Random(seed))
            bounds = days_between(BEGIN, BEGIN + 30 * DAY, OSLO)
            suites = {1: 10, 2: 10, 3: 11, 4: 11, 5: 11, 6: 12}  # the seventh is gone
            found = by_day(in_order(case_entries(rows)), bounds, suites)
            last = {}
            for row in plain_order(rows):
                day = datetime.fromtimestamp(row["at"], OSLO).date()
                last[row["case"], day] = row
            for suite in (10, 11, 12):
                for number, begin in enumerate(bounds[:-1]):
                    day = datetime.fromtimestamp(begin, OSLO).date()
                    here = [
                        row
                        for (case, on), row in last.items()
                        if on == day and suites.get(case) == suite
                    ]
                    bad = [row for row in here if row["verdict"] in BAD]
                    got = found[suite][number]
                    self.assertEqual(got.cases, len(here))
                    self.assertEqual(got.bad, sum(not row["flags"] & KNOWN for row in bad))
                    self.assertEqual(got.known, sum(bool(row["flags"] & KNOWN) for row in bad))
                    unchecked = sum(row["verdict"] == "unchecked" for row in here)
                    self.assertEqual(got.unchecked, unchecked)

    def test_what_broke_and_was_mended(self):
        for seed in range(6):
            rows = some_cases(random.Random(seed))
            ordered = in_order(case_entries(rows))
            found = [(one.case, one.began, one.ended, one.runs) for one in spells(ordered)]
            wanted = []
            of_each = defaultdict(list)
            for row in plain_order(rows):
                of_each[row["case"]].append(row)
            for case, mine in of_each.items():
                begun, runs = None, 0
                for row in mine:
                    if row["verdict"] in BAD:
                        begun, runs = (row["at"] if begun is None else begun), runs + 1
                    elif begun is not None:
                        wanted.append((case, begun, row["at"], runs))
                        begun, runs = None, 0
                if begun is not None:
                    wanted.append((case, begun, 0, runs))
            self.assertEqual(found, wanted)
            begin, end = BEGIN + 5 * DAY, BEGIN + 25 * DAY
            got = totals(by_case(ordered).values(), spells(ordered), begin, end)
            last = {row["case"]: row for row in plain_order(rows)}
            bad = [row for row in last.values() if row["verdict"] in BAD]
            self.assertEqual(got.checks, sum(row["checks"] for row in last.values()))
            self.assertEqual(got.bad_now, sum(not row["flags"] & KNOWN for row in bad))
            ended = [one for one in spells(ordered) if begin <= one.ended < end]
            self.assertEqual(got.mended, len(ended))
            lengths = [one.ended - one.began for one in ended if one.broke]
            self.assertEqual(got.to_mend, at_rank(lengths, 0.5) if lengths else None)
            passed = sum(row["verdict"] == "passed" for row in plain_order(rows))
            self.assertEqual((got.passed, got.runs), (passed, len(plain_order(rows))))

    def test_what_each_run_came_to(self):
        rows = some_cases(random.Random(3))
        by_run = defaultdict(Counter)
        moment = {}
        for row in plain_order(rows):
            by_run[row["run"]][row["verdict"]] += 1
            moment[row["run"]] = row["at"]
        found = cycles(case_entries(rows))
        self.assertEqual({one.run for one in found}, set(by_run))
        self.assertEqual([one.at for one in found], sorted(moment.values(), reverse=True))
        for one in found:
            counts = by_run[one.run]
            self.assertEqual(one.cases, counts.total())
            self.assertEqual(
                (one.passed, one.failed, one.blocked, one.unchecked),
                tuple(counts[name] for name in ("passed", "failed", "blocked", "unchecked")),
            )

    def test_nothing_is_no_trouble(self):
        none = np.zeros(0, CASE)
        self.assertEqual(spells(in_order(none)), [])
        self.assertEqual(cycles(none), [])
        self.assertEqual(by_day(in_order(none), [0, DAY], {1: 2})[2][0].cases, 0)
        self.assertEqual(trust(none, {}, {}, UTC), [])
        self.assertEqual(line(np.zeros(0, STEP), 0, 100, 5), [])
        self.assertEqual(spent(np.zeros(0, STEP)), [])
        self.assertEqual(compare.times({}, compare.medians(np.zeros(0, STEP))), [])
        self.assertEqual(compare.shares(none, none), [])
        self.assertEqual(moved_in(np.zeros(0, STEP), rule_for(1)), [])


class StepTimes(unittest.TestCase):
    def test_a_run_s_steps_as_entries(self):
        chance = random.Random(8)
        rows = [
            (
                chance.randrange(1, 5),
                chance.randrange(1, 9_000),
                chance.random() < 0.8,
                chance.random() < 0.2,
                chance.randrange(4_000),
            )
            for _ in range(300)
        ]
        found = step_entries(Taken.of(rows), 7, 1_000, {2: (10, 200, 45)})
        self.assertEqual(found["series"].tolist(), sorted({row[0] for row in rows}))
        for one in found:
            mine = [row for row in rows if row[0] == one["series"]]
            timed = [row[1] for row in mine if row[2]]
            self.assertEqual(one["number"], len(mine))
            self.assertEqual(one["bad"], sum(row[3] for row in mine))
            self.assertEqual(one["sum"], sum(timed))
            self.assertEqual(one["median"], at_rank(timed, 0.5))
            self.assertEqual(one["p95"], at_rank(timed, 0.95))
            self.assertEqual(one["size"], max(row[4] for row in mine))
        self.assertEqual(found[found["series"] == 2]["waiting"][0], 200)
        none = step_entries(Taken.of([(1, 5, False, True, 0)]), 1, 1, {})
        self.assertEqual((none["timed"][0], none["median"][0]), (0, 0))
        self.assertEqual(len(step_entries(Taken.of([]), 1, 1, {})), 0)

    def test_phases_are_shares_of_the_whole(self):
        self.assertEqual(phases_of([Times(10, 20, 30, 100, 40, 205)]), (76, 128, 51))
        self.assertEqual(phases_of([]), (0, 0, 0))
        made = np.zeros(2, STEP)
        made["median"] = 1_000
        made["connecting"], made["waiting"], made["receiving"] = 0, 204, 51
        made["waiting"][1] = made["receiving"][1] = 0
        self.assertEqual(phases(made).waiting, 800)
        self.assertIsNone(phases(made[1:]))

    def test_a_line_s_points(self):
        chance = random.Random(9)
        made = np.zeros(200, STEP)
        made["at"] = sorted(chance.randrange(1_000, 9_000) for _ in range(200))
        made["median"] = [chance.randrange(1, 900) for _ in range(200)]
        made["p95"] = made["median"] + 50
        made["bad"] = [chance.randrange(2) for _ in range(200)]
        points = line(made, 1_000, 9_000, 30)
        for part, usual, slow, runs, bad in (
            (one.part, one.median, one.p95, one.runs, one.bad) for one in points
        ):
            mine = [one for one in made if (int(one["at"]) - 1_000) * 30 // 8_000 == part]
            self.assertEqual(usual, at_rank([int(one["median"]) for one in mine], 0.5))
            self.assertEqual(slow, at_rank([int(one["p95"]) for one in mine], 0.95))
            self.assertEqual((runs, bad), (len(mine), sum(int(one["bad"]) for one in mine)))
        self.assertEqual(sum(one.runs for one in points), 200)

    def test_what_time_is_spent_on(self):
        chance = random.Random(10)
        made = np.zeros(300, STEP)
        made["series"] = [chance.randrange(1, 8) for _ in range(300)]
        for name in ("number", "bad", "timed", "median", "p95", "sum", "size"):
            made[name] = [chance.randrange(1, 500) for _ in range(300)]
        found = spent(only(made, [1, 2, 3, 99]))
        self.assertEqual({one.series for one in found}, {1, 2, 3})
        self.assertEqual([one.us for one in found], sorted((o.us for o in found), reverse=True))
        for one in found:
            mine = made[made["series"] == one.series]
            self.assertEqual(one.us, int(mine["sum"].sum()))
            self.assertEqual(one.median, at_rank(mine["median"].tolist(), 0.5))
            self.assertEqual((one.number, one.size), (mine["number"].sum(), mine["size"].max()))

    def test_side_by_side(self):
        self.assertEqual(side_by_side([5, 1, 1, 1]), [(1, 8), (2, 5), (4, 5)])
        self.assertEqual(side_by_side([3]), [(1, 3)])
        self.assertEqual(side_by_side([]), [(1, 0)])

    def test_operations_are_told_by_method_and_path(self):
        for address, wanted in (
            ("[=harbour]/port-calls/[=id]/confirmation", "PUT /port-calls/…/confirmation"),
            ("http://h:80/a?b=[=c]", "PUT /a"),
            ("[=harbour]", "PUT /"),
            ("[=harbour][=path]", "PUT /…"),
            ("[=scheme]://[=host]/x#y", "PUT /x"),
        ):
            self.assertEqual(operation_of("put", read_template(address)), wanted)


def stepped(chance, runs, at=None, by=1.0, gap=6 * 3_600):
    made = np.zeros(runs, STEP)
    made["series"], made["timed"] = 1, 1
    made["run"] = np.arange(1, runs + 1)
    made["at"] = BEGIN + np.arange(runs) * gap
    times = 200_000 * np.exp(chance.normal(0, 0.1, runs))
    if at is not None:
        times[at:] *= by
    made["median"] = made["p95"] = times
    return made


class Shifts(unittest.TestCase):
    def test_a_shift_is_found_at_its_run_and_known_again(self):
        made = stepped(np.random.default_rng(2), 120, 70, 1.5)
        [moved] = moved_in(made, rule_for(30))
        self.assertTrue(abs(moved.run - 71) <= 3)
        self.assertAlmostEqual(moved.ratio, 1.5, delta=0.1)
        [first] = as_found([], [moved], made, 500)
        [again] = as_found([first], [moved], made, 900)
        self.assertEqual((first.found, again.found), (500, 500))
        other = Moved(int(made["at"][10]), 11, 1, 2, 9, 100)
        self.assertEqual(as_found([other], [moved], made, 900)[0].found, 900)

    def test_many_series_take_a_clearer_one(self):
        few, many = rule_for(10), rule_for(5_000)
        self.assertLess(few.threshold, many.threshold)
        chance, false = np.random.default_rng(3), 0
        for _ in range(400):
            false += bool(moved_in(stepped(chance, 120), many))
        self.assertLessEqual(false, 1)

    def test_series_come_one_by_one_in_the_order_of_their_runs(self):
        made = np.zeros(6, STEP)
        made["series"] = [2, 1, 2, 1, 2, 3]
        made["at"] = [3, 2, 1, 1, 2, 1]
        made["timed"] = [1, 1, 1, 1, 0, 0]
        found = {series: mine["at"].tolist() for series, mine in by_series(made)}
        self.assertEqual(found, {1: [1, 2], 2: [1, 3]})

    def test_one_cause_is_told_once(self):
        def one(series, kind, owner=0, operation="", place=50, ratio=1.5):
            moved = Moved(1, 1, 1_000, round(1_000 * ratio), 20, 0)
            return Shifted(series, kind, owner, operation, place, moved)

        told = told_once(
            [
                one(1, "case", 7),
                one(2, "step", 7, "GET /a"),
                one(3, "operation", 0, "GET /a"),
                one(4, "host"),
            ],
            {},
        )
        self.assertEqual([each.lead.series for each in told], [2])
        self.assertEqual(len(told[0].others), 3)
        through_shared = [
            one(1, "case", 7),
            one(2, "case", 8),
            one(3, "shared", 30),
            one(4, "step", 30, "POST /s"),
        ]
        told = told_once(through_shared, {7: {30}, 8: {30}})
        self.assertEqual([each.lead.series for each in told], [3])
        several = [*through_shared, one(5, "step", 9, "POST /s"), one(6, "operation", 0, "POST /s")]
        told = told_once(several, {7: {30}, 8: {30}})
        self.assertEqual([each.lead.series for each in told], [6])
        only_steps = [one(1, "step", 7, "GET /a"), one(2, "step", 7, "GET /a"), one(3, "case", 7)]
        [told] = told_once(only_steps, {})
        self.assertEqual((told.lead.series, len(told.others)), (1, 2))
        apart = [one(1, "step", 7, "GET /a"), one(2, "step", 8, "GET /b", place=90)]
        self.assertEqual(len(told_once(apart, {})), 2)
        other_way = [one(1, "step", 7), one(2, "case", 7, ratio=0.5)]
        self.assertEqual(len(told_once(other_way, {})), 2)
        whole = [one(n, "step", n, f"GET /{n}") for n in range(1, 7)] + [one(9, "host")]
        self.assertEqual([each.lead.series for each in told_once(whole, {})], [9])
        self.assertEqual(told_once([], {}), [])


class Trusted(unittest.TestCase):
    def entries(self, chance, bad, night=False):
        rows = []
        for run in range(1, 201):
            at = BEGIN + run * 6 * 3_600
            hour = datetime.fromtimestamp(at, UTC).hour
            wrong = bad(run) and (not night or hour < 6)
            rows.append(
                {
                    "case": 1,
                    "run": run,
                    "at": at,
                    "version": 1,
                    "verdict": "failed" if wrong else "passed",
                    "cause": 5 if wrong else 0,
                    "us": 1_000_000,
                }
            )
        return in_order(case_entries(rows))

    def test_what_it_goes_with(self):
        chance = random.Random(4)
        every = self.entries(chance, lambda run: chance.random() < 0.3, night=True)
        [one] = trust(every, {}, {}, UTC)
        self.assertEqual(one.found.judgement, "unreliable")
        [goes] = one.goes_with
        self.assertEqual((goes.kind, goes.bad), ("hour", goes.of_bad))
        self.assertEqual(one.causes, ((5, one.found.bad),))
        places = np.flatnonzero(every["cause"])
        self.assertEqual(one.bad_runs[-1].run, int(every["run"][places[-1]]))
        plain_one = self.entries(chance, lambda run: chance.random() < 0.1)
        [other] = trust(plain_one, {}, {}, OSLO)
        self.assertEqual((other.found.judgement, other.goes_with), ("unreliable", ()))

    def test_a_neighbour_that_runs_at_the_same_time(self):
        chance, rows = random.Random(5), []
        for run in range(1, 161):
            at, beside = BEGIN + run * 5_000, chance.random() < 0.5
            wrong = beside and chance.random() < 0.3
            verdict = "failed" if wrong else "passed"
            mine = {"case": 1, "run": run, "at": at, "version": 1, "us": 500_000}
            rows.append({**mine, "verdict": verdict})
            begun = 200 if beside else 700
            rows.append({**mine, "case": 2, "begun": begun, "verdict": "passed"})
            rows.append({**mine, "case": 3, "begun": 900, "verdict": "passed"})
        every = case_entries(rows)
        one = next(each for each in trust(every, {}, {}, UTC) if each.case == 1)
        [goes] = one.goes_with
        self.assertEqual((goes.kind, goes.value, goes.good < goes.of_good), ("beside", "2", True))

    def test_the_same_row(self):
        chance = random.Random(8)

        def runs(number, rows, always=None, share=0.1):
            bad = [
                [n for n in range(1, rows + 1) if n == always or chance.random() < share]
                for _ in range(number)
            ]
            return [RowsOfRun(rows, one) for one in bad]

        claims = [same_row(runs(12, chance.randrange(1, 40))) for _ in range(400)]
        self.assertLessEqual(sum(one is not None for one in claims), 20)
        for rows in (12, 200):
            found = same_row(runs(8, rows, always=7, share=0.02))
            self.assertEqual((found.row, found.runs, found.of, found.rows), (7, 8, 8, rows))
        self.assertIsNone(same_row([RowsOfRun(12, [7]), RowsOfRun(12, [7]), RowsOfRun(12, [])]))
        self.assertIsNone(same_row([RowsOfRun(3, [1, 2, 3])] * 20))
        self.assertIsNone(same_row([RowsOfRun(1, [1])] * 20))
        self.assertIsNone(same_row([]))
        goes = [GoesWith("row", "7 of 12", 8, 8, 0, 90)]
        self.assertIn("that row", proposal("differs", "failed", goes, str))

    def test_builds_edits_and_hosts_that_are_down_are_no_chance(self):
        chance = random.Random(6)
        every = self.entries(chance, lambda run: run in (30, 60, 90, 120, 150))
        [one] = trust(every, {}, {}, UTC)
        self.assertEqual(one.found.judgement, "unreliable")
        builds = {run: str(run // 30) for run in range(1, 201)}
        [other] = trust(every, builds, {}, UTC)
        self.assertEqual(other.found.bad, 0)
        every["flags"][every["cause"] == 5] = OF_HOST
        [third] = trust(every, {}, {}, UTC)
        self.assertEqual((third.found.judgement, third.hiccups), ("reliable", 5))

    def test_what_was_stopped_says_nothing(self):
        every = self.entries(random.Random(7), lambda run: run % 40 == 0)
        every["flags"][every["cause"] == 5] = OURS
        self.assertEqual(len(that_count(every)), 195)


class Compared(unittest.TestCase):
    def test_ratios_hold_the_truth_and_chance_is_no_difference(self):
        chance = np.random.default_rng(11)
        held = clear = 0
        for _ in range(300):
            before, after = stepped(chance, 40), stepped(chance, 30)
            after["median"] = after["median"] * 1.3
            [one] = compare.times(*map(compare.medians, (before, after)))
            held += one.low <= 1.3 <= one.high
            clear += one.clear
        self.assertTrue(0.92 <= held / 300 <= 0.98, held)
        self.assertEqual(clear, 300)
        false = 0
        for _ in range(60):
            sides = []
            for _ in range(2):
                made = [stepped(chance, 30) for _ in range(20)]
                for number, one in enumerate(made, 1):
                    one["series"] = number
                sides.append(np.concatenate(made))
            false += any(one.clear for one in compare.times(*map(compare.medians, sides)))
        self.assertLessEqual(false, 6)

    def test_the_median_of_all_ratios(self):
        chance = np.random.default_rng(12)
        before, after = stepped(chance, 9), stepped(chance, 12)
        [one] = compare.times(*map(compare.medians, (before, after)))
        ratios = [int(b) / int(a) for a in before["median"] for b in after["median"]]
        self.assertAlmostEqual(log(one.ratio), median(map(log, ratios)), 9)
        self.assertEqual(compare.times(*map(compare.medians, (before[:4], after))), [])

    def test_shares(self):
        # Newcombe 1998, table II, row (a): 56/70 against 48/80, method 10
        low, high = compare.newcombe(48, 80, 56, 70, 0.05)
        self.assertAlmostEqual(low, 0.0524, 4)
        self.assertAlmostEqual(high, 0.3339, 4)
        self.assertEqual(compare.wilson(0, 10, 0.05)[0], 0)
        rows = [{"case": 1, "run": n, "verdict": "passed"} for n in range(40)]
        worse = [{**row, "verdict": "failed" if row["run"] % 2 else "passed"} for row in rows]
        [one] = compare.shares(case_entries(rows), case_entries(worse))
        self.assertEqual((one.passed, one.clear), ((40, 20), True))
        [same] = compare.shares(case_entries(rows), case_entries(rows[:5]))
        self.assertFalse(same.clear)


if __name__ == "__main__":
    unittest.main()
