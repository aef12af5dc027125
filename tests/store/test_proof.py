"""Supplier reports: what is sealed cannot be altered without that it shows, wherever that is, and
by the file alone that the other side has. `python -m tests.store.test_proof 365` times a year of
minutes."""

import base64
import hashlib
import json
import random
import re
import subprocess
import sys
import tempfile
import time
import unittest
import zlib
from contextlib import closing
from pathlib import Path

from saltpath.core.answers.exchange import Exchange, Times
from saltpath.core.proof import verify
from saltpath.core.running.events import StepFinished
from saltpath.formats.proof import page, workbook
from saltpath.formats.workbook import read_book
from saltpath.proving import full_hours, proof_of, sealed_until
from saltpath.store import people, projects, watches
from saltpath.store.database import connect, migrate, write
from saltpath.store.history import blocks, heads, runs, seen, troubles
from saltpath.store.history.runs import Claim, Ended
from saltpath.store.step_rows import row_of

HOUR = 3_600
BEGIN = 1_780_000_000 // HOUR * HOUR
PASSED, FAILED, BLOCKED = 0 | 8, 1 | 8, 2
KEPT = 128
SENTENCES = {"when": "every minute", "available": "99 %"}


def made_root(leaves):
    """The root of a tree as RFC 9162, 2.1.1 says it, written otherwise."""
    if len(leaves) < 2:
        return leaves[0] if leaves else hashlib.sha256(b"").digest()
    size = 1
    while size << 1 < len(leaves):
        size <<= 1
    halves = made_root(leaves[:size]), made_root(leaves[size:])
    return hashlib.sha256(b"\1" + b"".join(halves)).digest()


class Proofs(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        migrate(cls.folder)
        cls.history = cls.enterClassContext(closing(connect(cls.folder, "history")))
        cls.history.execute("PRAGMA synchronous = OFF")
        with closing(connect(cls.folder)) as main:
            owner = people.local_owner(main).id
            document = {"salt-path": 1, "project": "Fernholm Harbour", "zone": "Europe/Oslo"}
            cls.project = projects.add_project(main, owner, document)
            cls.watches = [
                watches.add(main, cls.project.id, owner, {
                    "salt-path": 1, "watch": name, "tag": "feeds", "every": "1 min",
                    "supplier": "Tide <office> & sons",
                    "limits": {"time": "0.5 s", "available": "99.9 %"},
                })
                for name in ("Tide tables <1>", "Weather")
            ]  # fmt: skip
        cls.epoch = runs.take_lease(cls.history, "test")
        wanted = [(watch.id, watch.project, "x") for watch in cls.watches]
        runs.look_after(cls.history, cls.epoch, wanted, BEGIN * 10**6)
        for number, watch in enumerate(cls.watches):
            cls.fill(watch, random.Random(number), 26)
        sum(blocks.pack(cls.history, BEGIN + 20 * HOUR))
        cls.end = BEGIN + 24 * HOUR
        cls.sealed = sum(heads.seal(cls.history, BEGIN + 26 * HOUR, BEGIN))
        period = full_hours(BEGIN + 100, cls.end + 1_000)
        cls.period = sealed_until(cls.history, cls.watches, period)
        cls.proof = proof_of(cls.history, cls.project, cls.watches, cls.period, cls.end, "Tide")
        cls.page = b"".join(page.write(cls.proof)).decode()
        cls.record = verify.record_in(cls.page)

    @classmethod
    def fill(cls, watch, chance, hours):
        epoch = cls.epoch
        packer, ended, bad_until = seen.WatchPacker(), [], 0
        for minute in range(hours * 60):
            due = BEGIN + minute * 60 + chance.randrange(60)
            if minute > bad_until and chance.random() < 0.01:
                bad_until = minute + chance.choice((0, 1, 4, 9))
            wrong = minute <= bad_until and minute > 0
            flag = (chance.choice((FAILED, BLOCKED)) if wrong else PASSED) | KEPT
            us = chance.randrange(20_000, 90_000)
            with write(cls.history):
                for attempt in range(1, 1 + (chance.random() < 0.1) + 1):
                    keep = seen.BAD if wrong else seen.GOOD
                    step = cls.step(due, us, "failed" if wrong else "passed", minute)
                    packer.put(cls.history, (watch.id, due, 0), attempt, keep,
                               [("case_1", "Tides")], [step])  # fmt: skip
            signature = "feed" if wrong else ""
            late, at = chance.randrange(9), due * 10**6 + us
            ended.append(
                Ended(watch.project, watch.id, due, 0, flag, us, late, at, signature, why="Gone")
            )
        looked = [(watch.id, (BEGIN + hours * HOUR) * 10**6)]
        claims = [Claim(one.watch, one.due, 0) for one in ended]
        runs.claim(cls.history, epoch, claims, looked, [], BEGIN * 10**6)
        from saltpath.core.watching.states import Rule

        with write(cls.history):
            runs.end(cls.history, epoch, ended, {watch.id: Rule()})

    @staticmethod
    def step(due, us, verdict, number):
        sent = f"GET /tides?n={number} HTTP/1.1\r\nAuthorization: ●●●\r\n\r\n".encode()
        body = json.dumps({"n": number, "of": "<b>tides</b>"}).encode()
        exchange = Exchange("GET", "http://127.0.0.1/tides", sent, b"", 200,
                            b"HTTP/1.1 200 OK\r\n\r\n", body, body,
                            Times(1, 2, 0, us - 3, 0, us), due * 10**6)  # fmt: skip
        event = StepFinished(due * 10**6 + us, 0, 1, "steps", 0, "asktid", "Ask", "request",
                             verdict, None, us, 200, (exchange,), (), {}, {})  # fmt: skip
        return row_of(event, 0)

    def faults(self, record):
        """Of the page with another record in it."""
        data = base64.b64encode(zlib.compress(json.dumps(record).encode())).decode()
        return list(verify.faults(re.sub(r'(id="record">)[^<]*', rf"\g<1>{data}", self.page)))

    def copy(self):
        return json.loads(json.dumps(self.record))

    def test_as_it_was_made_nothing_is_wrong(self):
        self.assertEqual(self.period.end, self.end)
        self.assertEqual(self.sealed, 50)
        self.assertEqual(list(verify.faults(self.page)), [])
        self.assertGreater(sum(len(one["evidence"]) for one in self.record["watches"]), 6)
        self.assertNotIn("<b>tides", self.page)
        self.assertNotIn("<office>", self.page)
        self.assertNotIn("<1>", self.page)

    def test_what_it_says_is_what_is_told_everywhere_else(self):
        for stored, said in zip(self.watches, self.record["watches"], strict=True):
            begun = self.period.begin
            found = troubles.troubles(self.history, stored.project, begun, self.end, stored.id)
            told = sorted((one.began, one.ended) for one in found if begun <= one.began < self.end)
            claimed = [(began, ended) for began, ended, _ in said["claims"]["outages"]]
            self.assertEqual([began for began, _ in claimed], [began for began, _ in told])
            for (_, ended), (_, wanted) in zip(claimed, told, strict=True):
                self.assertIn(ended, (wanted, 0))
            import numpy as np

            from saltpath.store.history import ranges

            ids = np.array([stored.id], np.int64)
            begin = self.period.begin
            over = ranges.over(self.history, stored.project, ids, begin, self.end)
            claims = said["claims"]
            self.assertEqual(int(over.counts["bad"][0]), claims["bad"])
            self.assertEqual(int(over.counts["runs"][0]), claims["runs"])
            first = verify.runs_in(said["hours"][0])[0][0]
            self.assertEqual(
                claims["good_s"] + claims["bad_s"] + claims["left_s"], self.end - first
            )
            good, bad = int(over.counts["good_s"][0]), int(over.counts["bad_s"][0])
            # a report knows nothing of the run before its time, which held until its first one
            before = heads.runs_in(self.history, stored.id, begin - HOUR, begin)[-1]
            if verify.is_bad(before[1]):
                bad -= first - begin
            else:
                good -= first - begin
            self.assertEqual((good, bad), (claims["good_s"], claims["bad_s"]))
            self.assertLessEqual(abs(int(over.median[0]) / claims["median_us"] - 1), 0.02)

    def test_whatever_is_altered_is_named(self):
        chance, named = random.Random(3), set()
        for _ in range(250):
            record = self.copy()
            what = self.alter(record, chance)
            found = self.faults(record)
            self.assertTrue(found, what)
            named.add(what)
        self.assertGreaterEqual(len(named), 12, named)

    def alter(self, record, chance):
        watch = chance.choice(record["watches"])
        hour = chance.choice(watch["hours"])
        rows = verify.runs_in(hour)
        place = chance.randrange(len(rows))
        with_leaves = [one for one in watch["hours"] if "leaves" in one]
        leafy = chance.choice(with_leaves)
        evidence = watch["evidence"]
        one = chance.choice(evidence)
        what = chance.choice((
            "a run's fate", "a run's time", "a run's moment", "a run left out", "a run added",
            "runs moved", "an hour left out", "hours moved", "a head", "a root", "a leaf altered",
            "a leaf left out", "leaves moved", "a leaf added", "a record altered",
            "a record left out", "a record moved", "a record added", "another form", "a claim",
            "what came before",
        ))  # fmt: skip
        if what.startswith(("a run", "runs")):
            due, flag, late, us = rows[place]
            if what == "a run's fate":
                rows[place] = (due, flag ^ 1, late, us)
            elif what == "a run's time":
                rows[place] = (due, flag, late, us + 1)
            elif what == "a run's moment":
                rows[place] = (due + 1, flag, late, us)
            elif what == "a run left out":
                del rows[place]
            elif what == "a run added":
                rows.insert(place, (due, flag, late, us))
            else:
                other = (place + 1) % len(rows)
                rows[place], rows[other] = rows[other], rows[place]
            hour["runs"] = base64.b64encode(
                b"".join(verify.RUN.pack(*run) for run in rows)
            ).decode()
        elif what == "an hour left out":
            del watch["hours"][chance.randrange(len(watch["hours"]) - 1)]
        elif what == "hours moved":
            at = chance.randrange(len(watch["hours"]) - 1)
            watch["hours"][at : at + 2] = watch["hours"][at : at + 2][::-1]
        elif what in ("a head", "a root"):
            hour[what[2:]] = hashlib.sha256(b"other").hexdigest()
        elif what == "a leaf altered":
            leafy["leaves"][chance.randrange(len(leafy["leaves"]))] = "00" * 32
        elif what == "a leaf left out":
            del leafy["leaves"][chance.randrange(len(leafy["leaves"]))]
        elif what == "leaves moved":
            leafy["leaves"][:2] = leafy["leaves"][:2][::-1]
        elif what == "a leaf added":
            leafy["leaves"].append(leafy["leaves"][-1])
        elif what == "a record altered":
            one["record"] = one["record"].replace('"verdict":"failed"', '"verdict":"passed"')
        elif what == "a record left out":
            due = json.loads(one["record"])["due"]
            watch["evidence"] = [o for o in evidence if json.loads(o["record"])["due"] != due]
        elif what == "a record moved":
            one["place"] += 1
        elif what == "a record added":
            evidence.append({**one, "place": 10_000})
        elif what == "another form":
            one["record"] = one["record"].replace(":", ": ", 1)
        elif what == "a claim":
            watch["claims"]["bad_s"] += 1
        else:
            watch["before"] = "11" * 32
        return what

    def test_a_number_of_the_page_that_was_altered_is_named(self):
        key = self.record["watches"][0]["key"]
        for name in ("available", "outages", "p95", "outage 0"):
            found = re.search(rf'data-said="{key} {name}">([^<]*)<', self.page)
            altered = self.page.replace(found[0], found[0].replace(found[1], "100.0000 %"))
            self.assertTrue(any(name in fault for fault in verify.faults(altered)), name)

    def test_it_is_checked_by_the_file_alone(self):
        with tempfile.TemporaryDirectory() as name:
            script = Path(name) / "verify.py"
            script.write_bytes(Path(verify.__file__).read_bytes())
            report = Path(name) / "report.html"
            report.write_text(self.page, encoding="utf-8")

            def run(*more):
                command = [sys.executable, "-I", "-S", str(script), str(report), *more]
                done = subprocess.run(command, capture_output=True, text=True, check=False)
                return done.returncode, done.stdout

            status, said = run()
            self.assertEqual(status, 0, said)
            self.assertIn("All is as it was sealed.", said)
            last = heads.newest(self.history, self.watches[0].id)
            sealed = heads.heads(self.history, self.watches[0].id, BEGIN, self.end)
            self.assertEqual(run("--head", sealed[5].head.hex())[0], 0)
            status, said = run("--head", last.head.hex())  # of an hour after the report
            self.assertEqual(status, 1)
            self.assertIn("is not among those of this report", said)
            record = self.copy()
            record["watches"][1]["evidence"].pop()
            data = base64.b64encode(zlib.compress(json.dumps(record).encode())).decode()
            report.write_text(re.sub(r'(id="record">)[^<]*', rf"\g<1>{data}", self.page))
            status, said = run()
            self.assertEqual(status, 1)
            self.assertIn("Weather: ", said)
            broken = '<script type="application/octet-stream" id="record">x</script>'
            for text in ("", "<html></html>", broken, self.page[:5_000]):
                report.write_text(text)
                self.assertEqual(run()[0], 2)

    def test_roots_by_the_standard(self):
        for number in (0, 1, 2, 3, 5, 8, 13, 60):
            leaves = [verify.leaf_hash(bytes([n])) for n in range(number)]
            self.assertEqual(verify.root_of(leaves), made_root(leaves))
        # RFC 6962's and 9162's empty tree, and a leaf of nothing
        self.assertEqual(verify.root_of([]).hex()[:16], "e3b0c44298fc1c14")
        self.assertEqual(verify.leaf_hash(b"").hex()[:16], "6e340b9cffb37a98")

    def test_an_hour_is_sealed_once_and_not_before_its_runs_have_ended(self):
        self.assertEqual(sum(heads.seal(self.history, BEGIN + 26 * HOUR + 100, BEGIN)), 0)
        newest = heads.newest(self.history, self.watches[0].id)
        self.assertEqual(newest.hour, BEGIN // HOUR + 24)
        watch = self.watches[0].id
        rows = heads.runs_in(self.history, watch, newest.hour * HOUR, (newest.hour + 1) * HOUR)
        self.assertEqual(newest.runs, verify.runs_hash(rows))
        digest = hashlib.sha256(
            b"saltpath runs 1\0"
            + b"".join(
                due.to_bytes(8, "big")
                + bytes([flag])
                + late.to_bytes(2, "big")
                + us.to_bytes(4, "big")
                for due, flag, late, us in rows
            )
        )
        self.assertEqual(newest.runs, digest.digest())

    def test_the_workbook_has_the_same(self):
        book = read_book(workbook.write(self.proof))
        names = [sheet.name for sheet in book.sheets]
        self.assertEqual(names, ["Watches", "Outages", "Sealed hours"])


def year(days):
    """How long a year of minutes takes to be checked."""
    rows, chance, head = [], random.Random(1), verify.NOTHING
    hours = []
    for hour in range(BEGIN // HOUR, BEGIN // HOUR + days * 24):
        rows = [
            (hour * HOUR + minute * 60, (1 if chance.random() < 0.001 else 0) | 8, 2, 90_000)
            for minute in range(60)
        ]
        root, digest = verify.root_of([]), verify.runs_hash(rows)
        head = verify.head_of(head, hour, 0, root, digest)
        from saltpath.formats.proof.record import Hour

        hours.append(Hour(hour, rows, 0, root, head, b""))
    from saltpath.formats.proof.record import Proof, Watched

    end = BEGIN + days * 86_400
    watched = Watched("w", "A year", "", "", 0.999, (3, 1), (500_000,), (None,), [],
                      verify.NOTHING, hours, [], [], [])  # fmt: skip
    text = b"".join(page.write(Proof("P", "", BEGIN, end, end, "UTC", [watched]))).decode()
    begun = time.perf_counter()
    found = list(verify.faults(text))
    took = time.perf_counter() - begun
    print(
        f"{days * 1440:,} runs, a page of {len(text) / 1e6:.1f} MB: {took:.1f} s, "
        f"{len(found)} faults"
    )


if __name__ == "__main__":
    if sys.argv[1:] and sys.argv[1].isdigit():
        year(int(sys.argv[1]))
    else:
        unittest.main()
