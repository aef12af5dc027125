"""The demonstration's month: every number on Today and Trends, computed anew from what was recorded
by plain functions."""

import itertools
import json
import re
import tempfile
import time
import unittest
from collections import Counter, defaultdict
from contextlib import closing
from datetime import UTC, date, datetime, timedelta
from math import ceil
from pathlib import Path
from statistics import median
from zoneinfo import ZoneInfo

from saltpath.core.statistics.shifts import by_how_much
from saltpath.core.trends.today import KINDS, heading, last_working_day
from saltpath.demo import past
from saltpath.demo.seed import Place, seed
from saltpath.formats.workbook import read_book
from saltpath.server.app import make_app
from saltpath.store import access_keys, people, projects
from saltpath.store.database import connect, migrate
from saltpath.today import Stored, items

OSLO = ZoneInfo("Europe/Oslo")
BAD = ("failed", "blocked")


def at_rank(values, share):
    return sorted(values)[min(max(ceil(round(share * len(values), 9)), 1), len(values)) - 1]


def moment(text):
    return datetime.fromisoformat(text.replace("Z", "+00:00")).timestamp()


class Month(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        migrate(cls.folder)
        nowhere = Place("http://127.0.0.1:1", "none")
        seed(cls.folder, {"Rehearsal": nowhere, "Live": nowhere})
        cls.now = int(time.time())
        past.fill(cls.folder, cls.now * 10**6, "127.0.0.1:1")
        cls.main = cls.enterClassContext(closing(connect(cls.folder)))
        cls.evidence = cls.enterClassContext(closing(connect(cls.folder, "evidence")))
        people.set_alone(cls.main, True)
        cls.project = next(p for p in projects.projects(cls.main) if p.name == past.NAME)
        cls.client = make_app(cls.folder).test_client()
        cls.rows = cls.main.execute(
            "SELECT rc.*, r.asked_at / 1000000 AS at, r.label AS build, c.oid, c.name AS called, "
            "s.oid AS suite_oid, r.oid AS run_oid FROM run_case rc JOIN run r ON r.id = rc.run "
            "JOIN test_case c ON c.id = rc.test_case JOIN suite s ON s.id = c.suite WHERE "
            "rc.project = ? AND rc.verdict IS NOT NULL ORDER BY r.asked_at, rc.run, rc.position",
            (cls.project.id,),
        ).fetchall()
        cls.known = {
            row["signature"]: date.fromisoformat(row["until"])
            for row in cls.main.execute("SELECT signature, until FROM known WHERE NOT gone")
        }
        cls.signatures = defaultdict(set)
        for row in cls.evidence.execute(
            "SELECT f.run, f.position, c.signature FROM failure f JOIN cause c ON c.id = f.cause"
        ):
            cls.signatures[row["run"], row["position"]].add(row["signature"])

    def get(self, path, **more):
        query = {"project": self.project.oid, "environment": "Rehearsal", **more}
        if path.startswith("trends/series/"):
            query.pop("project")
        answer = self.client.get(f"/api/v1/{path}", query_string=query)
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json

    def within(self, answer):
        begin, end = moment(answer["from"]), moment(answer["to"])
        return [row for row in self.rows if begin <= row["at"] < end]

    def is_known(self, row):
        """All that went wrong in it was known on its day."""
        met = self.signatures[row["run"], row["position"]]
        day = datetime.fromtimestamp(row["at"], OSLO).date()
        return bool(met) and all(one in self.known and self.known[one] >= day for one in met)

    def test_suites_day_by_day(self):
        found = self.get("trends/suites")
        rows = self.within(found)
        self.assertGreater(len(rows), 1_500)
        every = [row for row in self.rows if row["at"] < moment(found["to"])]
        last = {}
        for row in rows:
            day = datetime.fromtimestamp(row["at"], OSLO).date().isoformat()
            last[row["test_case"], day] = row
        for suite in found["items"]:
            for day, got in zip(found["days"], suite["days"], strict=True):
                here = [
                    row
                    for (_, on), row in last.items()
                    if on == day and row["suite_oid"] == suite["id"]
                ]
                bad = [row for row in here if row["verdict"] in BAD]
                known = sum(map(self.is_known, bad))
                unchecked = sum(row["verdict"] == "unchecked" for row in here)
                self.assertEqual(got, [len(here), len(bad) - known, known, unchecked])
            self.assert_totals(
                suite, moment(found["from"]), [r for r in every if r["suite_oid"] == suite["id"]]
            )
        self.assert_totals(found["all"], moment(found["from"]), every)

    def assert_totals(self, got, begin, every):
        rows = [row for row in every if row["at"] >= begin]
        verdicts = Counter(row["verdict"] for row in rows)
        last = {row["test_case"]: row for row in rows}
        bad = [row for row in last.values() if row["verdict"] in BAD]
        self.assertEqual((got["runs"], got["cases"]), (len(rows), len(last)))
        for name in ("passed", "failed", "blocked"):
            self.assertEqual(got[name], verdicts[name])
        self.assertEqual(got["knownNow"], sum(map(self.is_known, bad)))
        self.assertEqual(got["badNow"], len(bad) - got["knownNow"])
        unchecked = sum(row["verdict"] == "unchecked" for row in last.values())
        self.assertEqual(got["uncheckedNow"], unchecked)
        broke, mended, lengths, begun, seen = 0, 0, [], {}, set()
        for row in every:  # what was bad before the stretch broke before it
            case, inside = row["test_case"], row["at"] >= begin
            if row["verdict"] in BAD and case not in begun:
                # of what was bad from the first run on nobody knows when it broke
                begun[case] = row["at"] if case in seen else None
                broke += inside and case in seen
            elif row["verdict"] not in BAD and case in begun:
                mended += inside
                since = begun.pop(case)
                lengths += [row["at"] - since] if inside and since is not None else []
            seen.add(case)
        self.assertEqual((got["broke"], got["mended"]), (broke, mended))
        self.assertEqual(got["secondsToMend"], at_rank(lengths, 0.5) if lengths else None)

    def test_what_each_run_came_to(self):
        found = self.get("trends/cycles", limit="1000")["items"]
        of_runs = defaultdict(list)
        for row in self.rows:
            of_runs[row["run_oid"]].append(row)
        begin = self.now - 30 * 86_400
        self.assertEqual(
            {one["run"] for one in found},
            {run for run, rows in of_runs.items() if rows[0]["at"] >= begin},
        )
        for one in found:
            counts = Counter(row["verdict"] for row in of_runs[one["run"]])
            self.assertEqual(one["cases"], counts.total())
            for name in ("passed", "failed", "blocked", "unchecked"):
                self.assertEqual(one[name], counts[name])
            self.assertAlmostEqual(one["share"], counts["passed"] / counts.total(), 3)
            self.assertEqual(one["build"], of_runs[one["run"]][0]["build"])

    def times_of(self, key):
        """By run: when it was asked for, and the times of a step, milliseconds."""
        found = defaultdict(list)
        for row in self.evidence.execute(
            "SELECT run, us FROM step WHERE key = ? AND status > 0", (key,)
        ):
            found[row["run"]].append(row["us"] / 1000)
        at = {row["run"]: row["at"] for row in self.rows}
        return {run: (at[run], times) for run, times in found.items()}

    def test_the_line_of_a_step(self):
        watched = self.get("trends/series", kind="watch")["items"]
        self.assertEqual(watched, [], "the month has none")
        listed = self.get("trends/series", kind="step", find="Declare two items")["items"]
        [one] = listed
        found = self.get(f"trends/series/{one['id']}")
        begin, end = moment(found["from"]), moment(found["to"])
        runs = [(at, times) for at, times in self.times_of("declar").values() if begin <= at < end]
        self.assertEqual(found["runs"], len(runs))
        medians = [at_rank(times, 0.5) for _, times in runs]
        self.assertAlmostEqual(found["usual"]["median"], at_rank(medians, 0.5), 2)
        by_part = defaultdict(list)
        for at, times in runs:
            part = (at - int(begin)) * found["parts"] // (int(end) - int(begin))
            by_part[part].append(times)
        self.assertEqual([point[0] for point in found["line"]], sorted(by_part))
        for part, usual, slow, number, _ in found["line"]:
            mine = by_part[part]
            self.assertEqual(number, len(mine))
            self.assertAlmostEqual(usual, 1000 * at_rank([at_rank(t, 0.5) for t in mine], 0.5), 0)
            self.assertAlmostEqual(slow, 1000 * at_rank([at_rank(t, 0.95) for t in mine], 0.95), 0)

    def test_what_became_slower_is_where_it_was_made_so(self):
        found = self.get("trends/moved")
        named = {one["name"]: one["moved"] for one in found["items"] if one["moved"]}
        times, others = self.times_of("declar"), self.times_of("danger")
        # the operation, or, where only one of its steps shows it as clearly, that
        leads = {
            "POST /cargo": {run: times[run][1] + others[run][1] for run in times},
            "Declare two items": {run: taken for run, (_, taken) in times.items()},
            "Dangerous goods need a class": {run: taken for run, (_, taken) in others.items()},
        }
        [lead] = set(named) & set(leads)
        self.assertLessEqual({"POST /sessions", "GET /tide-windows"}, set(named))
        self.assertLessEqual(len(named), 4, "one may be found by chance")
        cargo = named[lead]
        self.assertEqual(cargo["build"], "3.3.0")
        near = [by_how_much(cargo["ratio"] + rounded) for rounded in (-0.0005, 0, 0.0005)]
        self.assertIn(cargo["by"], near)
        self.assertLess(abs(cargo["ratio"] / past.MOVED["POST /cargo"][1] - 1), 0.1)
        runs = sorted(times, key=lambda run: times[run][0])
        place = [times[run][0] for run in runs].index(int(moment(cargo["at"])))
        self.assertLessEqual(abs(place - (len(runs) - past.NEW_BUILD)), 3)
        of_runs = [at_rank(leads[lead][run], 0.5) for run in runs]
        for said, part in (("before", of_runs[:place]), ("after", of_runs[place:])):
            self.assertAlmostEqual(cargo[said] / median(part), 1, 2)
        slower = sum(one["ratio"] > 1 for one in named.values())
        self.assertEqual((found["slower"], found["quicker"]), (slower, len(named) - slower))
        self.assertGreater(slower, 1)

    def test_cases_that_cannot_be_trusted(self):
        found = self.get("trends/trust")
        by_case = defaultdict(list)
        for row in self.rows:
            by_case[row["oid"]].append(row)
        claimed = {one["name"]: one for one in found["items"] if one["judgement"] == "unreliable"}
        self.assertEqual(found["unreliable"], len(claimed))
        self.assertIn("Vessels are filtered, sorted and paged", claimed)
        for one in found["items"]:
            rows = by_case[one["id"]]
            bad = [row["verdict"] in BAD for row in rows]
            self.assertEqual(one["looked"], len(rows))
            self.assertEqual(one["flips"], sum(a != b for a, b in itertools.pairwise(bad)))
            self.assertEqual(one["line"], [row["verdict"] for row in rows][-40:])
            since = moment(one["since"]) if one["since"] else 0
            self.assertEqual(one["bad"], self.by_chance(rows, since))
        never = {one["id"]: one["runs"] for one in found["never"]}
        wanted = {
            case: len(rows)
            for case, rows in by_case.items()
            if all(row["verdict"] == "passed" for row in rows)
        }
        self.assertEqual(never, wanted)

    def by_chance(self, rows, since):
        """Bad runs in rows of some between good ones, with no new build at either end: two, or more
        where so many are as likely."""
        rows = [row for row in rows if row["at"] >= since]
        lengths, place, good = [], 0, sum(row["verdict"] not in BAD for row in rows)
        while place < len(rows):
            end = place
            while end < len(rows) and rows[end]["verdict"] in BAD:
                end += 1
            if end - place > 0 and place > 0 and end < len(rows):
                builds = {row["build"] for row in rows[place - 1 : end + 1]}
                lengths += [end - place] * (len(builds) == 1)
            place = max(end, place + 1)
        most = 2
        while True:
            counted = [one for one in lengths if one <= most]
            others = len(rows) - good - sum(lengths)
            rate = sum(counted) / max(good + others + sum(counted), 1)
            if rate**most * max(len(counted), 1) < 0.01 or len(counted) == len(lengths):
                return sum(counted)
            most += 1

    def test_what_time_is_spent_on(self):
        found = self.get("trends/spent")
        begin = self.now - 30 * 86_400
        runs = {row["run"] for row in self.rows if row["at"] >= begin}
        keys = {"declar": "Declare two items", "askt0k": "Ask for a token"}
        by_name = {one["name"]: one for one in found["slowest"]}
        for key, name in keys.items():
            rows = self.evidence.execute(
                "SELECT run, us, status, size FROM step WHERE key = ?", (key,)
            ).fetchall()
            mine = [row for row in rows if row["run"] in runs]
            self.assertEqual(by_name[name]["number"], len(mine))
            whole = sum(row["us"] for row in mine if row["status"]) / 1000
            self.assertAlmostEqual(by_name[name]["ms"], whole, 0)
            self.assertEqual(by_name[name]["size"], max(row["size"] for row in mine))
            self.assertAlmostEqual(by_name[name]["share"], 1000 * whole / found["us"], 3)
        last = max(runs)
        lengths = [row["us"] for row in self.rows if row["run"] == last]
        ways = {one["jobs"]: one["ms"] for one in found["sideBySide"]["ways"]}
        self.assertAlmostEqual(ways[1], sum(lengths) / 1000, 1)
        self.assertAlmostEqual(found["sideBySide"]["longest"], max(lengths) / 1000, 1)

    def test_two_builds_compared(self):
        long_ago = datetime.fromtimestamp(self.now - 40 * 86_400, UTC).isoformat()
        found = self.get(
            "trends/compared", build="3.3.0", againstBuild="3.2.0", againstFrom=long_ago
        )
        counts = Counter(row["build"] for row in self.rows if row["position"] == 0)
        self.assertEqual(found["after"]["runs"], counts["3.3.0"])
        cargo = next(one for one in found["times"] if one["name"] == "POST /cargo")
        self.assertTrue(cargo["clear"])
        # an interval of 95 %: one in twenty misses it, by little
        self.assertTrue(cargo["low"] - 0.06 < 1.52 < cargo["high"] + 0.06, cargo)
        for one in found["cases"]:
            rows = [row for row in self.rows if row["oid"] == one["id"] and row["build"] == "3.3.0"]
            passed = sum(row["verdict"] not in BAD for row in rows)
            self.assertEqual((one["runs"][1], one["passed"][1]), (len(rows), passed))

    def test_two_runners_compared(self):
        day = datetime.fromtimestamp(self.now - 30 * 86_400, UTC).isoformat()
        found = self.get(
            "trends/compared", runner="runner 1", againstRunner="runner 2", againstFrom=day
        )
        carried_out = dict(self.main.execute("SELECT run, runner FROM job").fetchall())
        for side, runner in (("after", "runner 1"), ("before", "runner 2")):
            runs = {
                row["run"]
                for row in self.rows
                if carried_out[row["run"]].startswith(runner)
                and row["at"] >= self.now - 30 * 86_400
            }
            self.assertEqual((found[side]["runner"], found[side]["runs"]), (runner, len(runs)))
        # by lot: in one of twenty months something is clear among all, and what belongs to it
        self.assertLess(sum(one["clear"] for one in found["times"]), 6)

    def test_today(self):
        now = self.now * 10**6
        since = last_working_day(now, OSLO)
        found = self.get("today", since="working day")
        self.assertEqual(moment(found["since"]) * 10**6, since)
        ends = datetime.fromtimestamp(since / 1e6, OSLO)
        self.assertLess(ends.weekday(), 5)
        self.assertEqual((ends.hour, ends.minute), (17, 0))
        day = datetime.fromtimestamp(self.now, OSLO).date()
        self.assertLess(ends.date(), day)
        between = ends.date() + timedelta(days=1)
        while between < day:
            self.assertGreaterEqual(between.weekday(), 5)
            between += timedelta(days=1)
        kinds = [KINDS.index(one["kind"]) for one in found["items"]]
        self.assertEqual(kinds, sorted(kinds))
        by_case = defaultdict(list)
        for row in self.rows:
            by_case[row["oid"]].append(row)
        shown = {one["id"]: one for one in found["items"] if one["what"] == "case"}
        for one in found["items"]:
            shown |= {other["id"]: {**one, **other} for other in one["others"]}
        for case, rows in by_case.items():
            one, last = shown.get(case), rows[-1]
            if one is None:
                self.assertEqual(last["verdict"], "passed")
                continue
            if one["kind"] == "unreliable":
                continue
            self.assertEqual(one["verdict"], last["verdict"])
            if last["verdict"] in BAD:
                met = self.signatures[last["run"], last["position"]]
                held = [self.known.get(one) for one in met]
                wanted = "broke" if self.since(rows) * 10**6 >= since else "still broken"
                if held and all(held):
                    wanted = "known over" if min(held) < day else "known"
                self.assertEqual(one["kind"], wanted)
                self.assertEqual(one["run"], last["run_oid"])
            elif last["verdict"] == "unchecked":
                self.assertEqual(one["kind"], "unchecked")
        verdicts = [row["verdict"] for row in by_case[found["items"][0]["id"]]]
        self.assertEqual(found["items"][0]["line"], verdicts[-10:])
        history = self.enterContext(closing(connect(self.folder, "history")))
        stored = Stored(self.main, self.evidence, history)
        whole = items(stored, self.project, since, now)
        broke = sum(one["kind"] in ("broke", "outage", "too fast") for one in found["items"])
        said = heading(whole, "Friday 17:00")
        self.assertEqual(said.startswith("Nothing broke"), broke == 0)
        asked = self.get("today", since="2026-01-01T00:00:00Z")
        self.assertGreaterEqual(len(asked["items"]), len(found["items"]))

    def since(self, rows):
        """When the first run of the last row of bad ones began."""
        begun = rows[-1]
        for row in reversed(rows):
            if row["verdict"] != rows[-1]["verdict"]:
                break
            begun = row
        return begun["started_at"] / 1e6

    def test_tables_for_other_tools(self):
        begin = self.now - 30 * 86_400
        mine = [row for row in self.rows if row["at"] >= begin]
        cases = self.get("trends/table", what="cases")["items"]
        self.assertEqual(
            [(row["case"], row["verdict"], row["ms"]) for row in cases],
            [(row["called"], row["verdict"], row["us"] / 1000) for row in mine],
        )
        runs = self.get("trends/table", what="runs")["items"]
        self.assertEqual(sum(row["cases"] for row in runs), len(mine))
        self.assertEqual([row["at"] for row in runs], sorted(row["at"] for row in runs))
        times = self.get("trends/table", what="times")["items"]
        declared = [row for row in times if row["name"] == "Declare two items"]
        wanted = [times[0] for at, times in self.times_of("declar").values() if at >= begin]
        self.assertEqual([row["median ms"] for row in declared], wanted)
        days = self.get("trends/table", what="days")["items"]
        suites = self.get("trends/suites")["items"]
        self.assertEqual(
            sum(row["bad"] for row in days), sum(day[1] for one in suites for day in one["days"])
        )
        self.get("trends/table", what="outages")
        query = {"project": self.project.oid, "what": "runs", "form": "csv"}
        text = self.client.get("/api/v1/trends/table", query_string=query).text
        self.assertEqual(len(text.splitlines()), len(runs) + 1)
        query["form"] = "xlsx"
        book = read_book(self.client.get("/api/v1/trends/table", query_string=query).data)
        self.assertEqual([sheet.name for sheet in book.sheets], ["Runs"])

    def test_its_own_numbers_are_behind_a_key(self):
        answer = self.client.get("/metrics")
        self.assertEqual(answer.status_code, 200)
        self.assertTrue(answer.content_type.startswith("application/openmetrics-text"))
        lines = answer.text.splitlines()
        self.assertEqual(lines[-1], "# EOF")
        typed = [line.split()[2] for line in lines if line.startswith("# TYPE")]
        self.assertEqual(len(set(typed)), len(typed))
        numbers = {}
        for line in lines[:-1]:
            if not line.startswith("#"):
                found = re.fullmatch(r"([a-z_]+)(\{[^}]*\})? (-?[0-9.e+]+)", line)
                self.assertTrue(found, line)
                self.assertIn(re.sub("_(total|info)$", "", found[1]), typed)
                numbers[found[1] + (found[2] or "")] = float(found[3])
        runs = {row["run"] for row in self.rows}
        self.assertEqual(numbers["saltpath_cases"], 24 + len(self.troubles()))
        ended = sum(n for name, n in numbers.items() if name.startswith("saltpath_runs_total"))
        self.assertEqual(ended, len(runs))
        people.set_alone(self.main, False)
        try:
            self.assertEqual(self.client.get("/metrics").status_code, 401)
            key = {"Authorization": "Bearer nonsense"}
            self.assertEqual(self.client.get("/metrics", headers=key).status_code, 401)
            other = people.add_person(self.main, "Somebody", "somebody")
            for person, status in ((people.local_owner(self.main), 200), (other, 403)):
                _, text = access_keys.add_key(self.main, person, "metrics", ["read"], 1, None)
                key = {"Authorization": f"Bearer {text}"}
                self.assertEqual(self.client.get("/metrics", headers=key).status_code, status)
        finally:
            people.set_alone(self.main, True)

    def troubles(self):
        return self.main.execute(
            "SELECT 1 FROM test_case c JOIN suite s ON s.id = c.suite WHERE c.project <> ? AND "
            "NOT s.hidden",
            (self.project.id,),
        ).fetchall()

    def test_a_case_says_what_it_would_notice(self):
        case = next(
            row["oid"] for row in self.rows if row["called"] == "A stay is quoted to the cent"
        )
        found = self.client.get(f"/api/v1/cases/{case}/noticing").json
        self.assertEqual(found["changes"], sum(step["changes"] for step in found["steps"]))
        self.assertLessEqual(found["noticed"], found["changes"])

    def test_how_often_each_check_failed(self):
        rows = [row for row in self.rows if row["called"] == "A stay is quoted to the cent"]
        last = [(row["run"], row["position"]) for row in rows][-100:]
        there = {"runs": Counter(), "failed": Counter()}
        for place in last:
            judged = self.evidence.execute(
                "SELECT DISTINCT key FROM step WHERE run = ? AND position = ? AND verdict IN "
                "('passed', 'failed')",
                place,
            )
            there["runs"].update(row["key"] for row in judged)
            wrong = self.evidence.execute(
                "SELECT c.facts FROM failure f JOIN cause c ON c.id = f.cause WHERE f.run = ? AND "
                "f.position = ?",
                place,
            )
            for facts in {row["facts"] for row in wrong}:
                facts = json.loads(facts)
                there["failed"][facts["step"], facts["checks"][-1]] += 1
        found = self.client.get(f"/api/v1/cases/{rows[0]['oid']}/checks").json["items"]
        self.assertGreater(len(found), 3)
        self.assertGreater(sum(there["failed"].values()), 0)
        for one in found:
            self.assertEqual(one["runs"], there["runs"][one["step"]], one)
            self.assertEqual(one["failed"], there["failed"][one["name"], one["check"]], one)

    def test_a_row_that_it_is_always(self):
        found = self.get("trends/trust")["items"][0]
        bad = [
            (row["run"], row["position"])
            for row in self.rows
            if row["oid"] == found["id"] and row["verdict"] in BAD
        ]
        self.evidence.executemany(
            "INSERT INTO run_row (run, position, row, project, verdict, us, at, data) VALUES (?, "
            "?, ?, ?, ?, 1, 1, '{}')",
            [
                (*place, row, self.project.id, "failed" if row in (4, 6 + n) else "passed")
                for n, place in enumerate(bad)
                for row in range(1, 31)
            ],
        )
        self.evidence.commit()
        self.addCleanup(self.evidence.commit)
        self.addCleanup(self.evidence.execute, "DELETE FROM run_row WHERE at = 1")
        with closing(connect(self.folder, "history")) as history:
            mine = (self.project.id,)
            [(known,)] = history.execute("SELECT found FROM trend_trust WHERE project = ?", mine)
            said = json.loads(known)
            for one in said:  # as if it had been a case of thirty rows
                one["bad_runs"] = [[*run[:3], 30, 2] for run in one["bad_runs"]]
            note = "UPDATE trend_trust SET found = ? WHERE project = ?"
            history.execute(note, (json.dumps(said), *mine))
            history.commit()
            try:
                first, *others = self.get("trends/trust")["items"]
            finally:
                history.execute(note, (known, *mine))
                history.commit()
        [row] = [one for one in first["goesWith"] if one["kind"] == "row"]
        self.assertEqual(
            (row["value"], row["bad"], row["ofBad"]), ("4 of 30", found["bad"], found["bad"])
        )
        self.assertFalse(
            [one for other in others for one in other["goesWith"] if one["kind"] == "row"]
        )

    def test_what_makes_no_sense_is_refused_with_a_sentence(self):
        for path, query in (
            ("trends/moved", {"environment": "Nowhere"}),
            ("trends/moved", {"from": "yesterday"}),
            ("trends/moved", {"from": "2026-01-02T00:00:00Z", "to": "2026-01-01T00:00:00Z"}),
            ("trends/series", {"kind": "subject"}),
            ("trends/cycles", {"suite": "suite_000000000000"}),
            ("trends/series/series_000000000000", {}),
            ("today", {"since": "then"}),
            ("today", {"since": "2999-01-01T00:00:00Z"}),
            ("trends/compared", {"againstEnvironment": "Nowhere"}),
        ):
            query = {"project": self.project.oid, **query}
            answer = self.client.get(f"/api/v1/{path}", query_string=query)
            self.assertIn(answer.status_code, (404, 422), (path, query))
            self.assertTrue(answer.json["title"].endswith((".", "?")), answer.json)

    def test_when_somebody_was_here(self):
        self.assertIsNone(self.get("today")["lastHere"])
        query = {"project": self.project.oid}
        self.client.put(
            "/api/v1/today/seen", query_string=query, headers={"Origin": "http://localhost"}
        )
        self.assertIsNone(self.get("today", since="here")["lastHere"])
        with self.main:
            self.main.execute("UPDATE visit SET at = at - 7200000000")
        found = self.get("today", since="here")
        self.assertEqual(found["since"], found["lastHere"])
        self.assertLess(abs(moment(found["since"]) - time.time() + 7_200), 60)


if __name__ == "__main__":
    unittest.main()
