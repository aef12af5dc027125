"""Today and Trends as they are used: in the morning, over weeks, on a phone; a supplier report that
is saved and checked."""

import random
import re
import sqlite3
import subprocess
import sys
import tempfile
import unittest
from contextlib import closing
from datetime import date, timedelta
from pathlib import Path
from urllib.parse import urlencode

from playwright.sync_api import expect

from saltpath.core.proof import verify
from tests.browser.page import BrowserTest

NOTEBOOK = {"width": 1280, "height": 800}
PHONE = {"width": 390, "height": 800}
SLOWER = re.compile(r"Slower by (half|[45]\d %)")
"""What was made half as slow again, as far as its runs tell."""
CARGO = re.compile("POST .cargo|Dangerous goods need|Declare two items")
"""The operation that was made so, or, where one of its steps shows it more clearly, that."""
LONG = "A long vessel gets a berth long enough"


class Trends(BrowserTest):
    past = True

    def line(self, name):
        return self.page.get_by_role("listitem").filter(
            has=self.page.get_by_role("link", name=name)
        )

    def test_the_morning(self):
        self.go("/")
        expect(self.page).to_have_url(re.compile("/today$"))
        expect(self.page.get_by_role("heading", level=1)).to_contain_text("broke since")
        worst = self.page.get_by_label("Worth a look").get_by_role("listitem").first
        expect(worst).to_contain_text(re.compile("expected|answered|no complete answer"))
        mine = self.line(LONG).first
        expect(mine).to_contain_text("$.berth.metres was 120, expected at least 141.9")
        expect(mine).to_contain_text("broke")
        known = self.line("What is stored is what was said").first
        expect(known).to_contain_text("it was known until")
        expect(self.line(CARGO).first).to_contain_text(SLOWER)
        expect(self.page.get_by_label("Suites at a glance")).to_contain_text("Berths and fees")
        expect(self.page.get_by_label("Who did what")).to_contain_text(
            "Ines Wathne ran Every suite"
        )
        mine.get_by_role("button", name=f"More for {LONG}").click()
        self.page.get_by_role("menuitem", name="Its runs").click()
        expect(self.page.get_by_role("heading", name="Its runs")).to_be_visible()
        self.page.go_back()
        mine.get_by_role("link", name="Look").click()
        expect(self.page).to_have_url(re.compile("/runs/run_"))
        self.page.go_back()
        self.page.get_by_text("a week ago", exact=True).click()
        expect(self.page).to_have_url(re.compile("since=a"))
        expect(self.page.get_by_role("heading", level=1)).to_contain_text("since")

    def test_over_weeks(self):
        self.go("/trends")
        moved = self.page.get_by_label("Slower or quicker")
        cargo = moved.get_by_role("listitem").filter(has_text=CARGO)
        name = cargo.get_by_role("link").inner_text()
        expect(cargo).to_contain_text(re.compile(SLOWER.pattern + r" since .*, build 3\.3\.0"))
        trust = self.page.get_by_label("Cases that cannot be trusted")
        expect(trust).to_contain_text("passed again with nothing changed")
        never = self.page.get_by_label("Never failed")
        never.get_by_role("button", name=re.compile("Would it notice. A visiting vessel")).click()
        expect(never.get_by_role("status")).to_contain_text("It would notice")
        cargo.get_by_role("link").click()
        expect(self.page.get_by_role("heading", name=name)).to_be_visible()
        happened = self.page.get_by_label("What happened then")
        expect(happened).to_contain_text("Build 3.3.0 came")
        expect(self.page.get_by_label("Where the time goes")).to_contain_text(
            "What changed is waiting"
        )
        # dragged over its second half: only that is shown
        line = self.page.locator(".trend-list .over-time").bounding_box()
        y = line["y"] + 60
        self.page.mouse.move(line["x"] + line["width"] * 0.5, y)
        self.page.mouse.down()
        self.page.mouse.move(line["x"] + line["width"] * 0.8, y, steps=4)
        self.page.mouse.up()
        expect(self.page).to_have_url(re.compile("from=.*to="))
        self.page.get_by_role("button", name="up to now again").click()
        expect(self.page).not_to_have_url(re.compile("from="))

    def test_how_often_each_check_of_a_case_failed(self):
        self.go("/trends")
        trust = self.page.get_by_label("Cases that cannot be trusted")
        trust.get_by_role("link", name="Vessels are filtered, sorted and paged").click()
        checks = self.page.get_by_label("Its checks")
        said = checks.get_by_text(re.compile(r"^8 of its 9 checks never failed, in up to \d+ runs"))
        said.click()
        name = checks.get_by_role("listitem").filter(has_text="$.items[0].name is").last
        expect(name).to_contain_text(re.compile(r"failed in \d+ of \d+ runs"))
        checks.get_by_role("button", name=re.compile("Would it notice")).click()
        expect(checks.get_by_role("status")).to_contain_text("It would notice")

    def test_everything_that_is_followed_is_found(self):
        self.go("/trends/all")
        self.page.get_by_label("Find what is followed").fill("declare")
        expect(self.page.get_by_role("link", name="Declare two items")).to_be_visible()
        self.page.get_by_text("operations", exact=True).click()
        expect(self.page.get_by_text("Nothing is called so.")).to_be_visible()
        self.page.get_by_label("Find what is followed").fill("/cargo")
        expect(self.page.get_by_role("link", name="POST /cargo")).to_be_visible()
        self.page.get_by_label("Find what is followed").fill("")
        self.page.get_by_text("watches", exact=True).click()
        weather = self.page.get_by_role("listitem").filter(has_text="Weather")
        expect(weather).to_contain_text(SLOWER)
        expect(self.page.get_by_role("link", name="Berth desk")).to_have_count(0)
        self.page.get_by_label("Which environment").select_option("Live")
        self.page.get_by_role("link", name="Berth desk").click()
        expect(self.page.get_by_role("heading", level=1)).to_contain_text("Berth desk")

    def test_two_builds_and_where_the_time_goes(self):
        self.go("/trends/compared")
        self.page.get_by_text("two builds", exact=True).click()
        times = self.page.get_by_label("Times compared")
        row = times.get_by_role("row").filter(has_text="POST /cargo")
        expect(row).to_contain_text(re.compile(r"\+\d+ %, between"))
        expect(
            self.page.get_by_text("no difference that these runs can show").first
        ).to_be_visible()
        self.page.get_by_text("two environments", exact=True).click()
        expect(self.page.get_by_text("Runs have gone to one environment only.")).to_be_visible()
        self.page.get_by_text("two runners", exact=True).click()
        self.page.get_by_label("The runner before").select_option("runner 2")
        expect(self.page.get_by_text(re.compile(r"runs? \(runner 2, Rehearsal"))).to_be_visible()
        expect(self.page.get_by_role("heading", level=1)).to_have_text(
            "No difference that these runs can show"
        )
        self.page.get_by_text("two times", exact=True).click()
        for label, ago in (("before", (27, 16)), ("after", (10, 1))):
            for edge, days in zip(("first", "last"), ago, strict=True):
                day = date.today() - timedelta(days=days)
                self.page.get_by_label(f"The {edge} day {label}").fill(day.isoformat())
        expect(
            self.page.get_by_role("row").filter(has_text="POST /sessions").first
        ).to_contain_text(re.compile(r"^POST /sessions operation.*−\d+ %, between"))
        self.go("/trends/time")
        expect(self.page.get_by_label("Side by side")).to_contain_text("at once")
        self.page.get_by_label("Which suite").select_option("Desks and papers")
        slowest = self.page.get_by_label("Slowest steps")
        expect(slowest.get_by_role("listitem").first).to_contain_text("Cargo is declared by SOAP")

    def test_each_run_is_copied_into_a_spreadsheet(self):
        self.context.grant_permissions(["clipboard-read", "clipboard-write"])
        self.go("/trends/runs")
        self.page.get_by_role("button", name="Copy the table").click()
        expect(self.page.get_by_text("Copied.")).to_be_visible()
        text = self.page.evaluate("navigator.clipboard.readText()")
        rows = [row.split("\t") for row in text.splitlines()]
        self.assertEqual(rows[0][:5], ["date", "run", "build", "cases", "passed"])
        self.assertEqual({len(row) for row in rows}, {9})
        self.assertEqual(len(rows) - 1, self.page.get_by_role("row").count() - 1)

    def test_a_supplier_report_is_saved_and_checked(self):
        self.go("/watches")
        self.page.get_by_role("link", name="Supplier report").click()
        self.page.get_by_label("Over which time").select_option("the last 7 days")
        with tempfile.TemporaryDirectory() as name:
            report, script = Path(name) / "report.html", Path(name) / "verify.py"
            for link, file in (("Save the report", report), ("The file that checks it", script)):
                with self.page.expect_download() as download:
                    self.page.get_by_role("link", name=link).click()
                download.value.save_as(file)
                named = r"availability-[\d-]{10}-to-[\d-]{10}\.html|verify\.py"
                self.assertRegex(download.value.suggested_filename, named)
            command = [sys.executable, "-I", str(script), str(report)]
            done = subprocess.run(command, capture_output=True, text=True, check=False)
            self.assertEqual(done.returncode, 0, done.stdout)
            self.assertIn("Tide tables", done.stdout)
            record = verify.record_in(report.read_text())
            sealed = {watch["name"]: watch["hours"][-1]["head"] for watch in record["watches"]}
        for head in sealed.values():
            expect(self.page.get_by_label("Last heads")).to_contain_text(head[:12])

    def test_whatever_an_address_says_its_page_is_shown(self):
        chance = random.Random()
        values = (
            "", "zzz", "constructor", "2026-13-45", "2026-11-01", "0001-01-01T00:00:00Z", "9" * 30,
            "-271821-04-20T00:00:00Z", "+275760-09-13T00:00:00Z", "999999-01-01", "%", "a week",
            "step", "two times", "two builds", "Nowhere", "series_0", "<b>", "\U0001f980" * 90,
        )  # fmt: skip
        names = (
            "from to over environment compare build againstBuild runner againstRunner kind find "
            "againstEnvironment beforeFrom beforeTo afterFrom afterTo since suite"
        ).split()
        paths = "/today /trends /trends/all /trends/compared /trends/runs /watches".split()
        span = {"from": "-271821-04-20T00:00:00Z", "to": "+275760-09-13T00:00:00Z"}
        tried = [("/trends", span), ("/watches", span)]
        tried += [
            ("/trends/compared", {"compare": "two times", name: "abc"}) for name in names[-6:-4]
        ]
        for _ in range(5):
            some = {name: chance.choice(values) for name in chance.sample(names, 5)}
            tried.append((chance.choice(paths), some))
        for path, said in tried:
            address = f"{path}?{urlencode(said)}"
            with self.subTest(address):
                self.go(address)
                self.page.get_by_role("heading", level=1).first.wait_for()
                self.page.wait_for_load_state("networkidle")
                expect(self.page.get_by_text("could not be shown")).to_have_count(0)
        refused = [one for one in self.said if "Failed to load resource" in one]
        self.said[:] = [one for one in self.said if one not in refused]

    def test_one_long_word_as_every_name_makes_no_page_wider(self):
        chance, word = random.Random(), "Gezeitentafelwerk" * 18
        names = {
            "saltpath": (
                *((table, "name") for table in ("test_case", "suite", "watch", "run_case")),
                *((table, "name") for table in ("project", "person", "route")),
                ("run", "label"),
            ),
            "history": (("trend_run", "build"), ("trend_run", "runner"), ("trend_series", "name")),
        }
        case = self.app.cases()[LONG]
        for file, columns in names.items():
            with closing(sqlite3.connect(self.app.data / f"{file}.db", timeout=20)) as store:
                for table, column in columns:
                    begin = word + chance.choice(("", " und mehr ", "."))
                    store.execute(f"UPDATE {table} SET {column} = ? || {column}", (begin,))
                    self.addCleanup(self.named_again, file, table, column, begin)
                store.commit()
        ways = ("two builds", "two runners", "two times")
        paths = (
            "/today /trends /trends/all /trends/runs /trends/time /watches /watches/report /setup "
            f"/runs /cases /cases/{case} /cases/{case}/runs"
        ).split()
        paths += [f"/trends/compared?compare={way}" for way in ways]
        for path in chance.sample(paths, 6):
            size = chance.choice((NOTEBOOK, PHONE))
            self.page.set_viewport_size(size)
            self.go(path)
            self.page.get_by_role("heading", level=1).first.wait_for()
            self.page.wait_for_load_state("networkidle")
            wide = self.page.evaluate("document.documentElement.scrollWidth")
            self.assertLessEqual(wide, size["width"], path)

    def named_again(self, file, table, column, begin):
        with closing(sqlite3.connect(self.app.data / f"{file}.db", timeout=20)) as store:
            store.execute(
                f"UPDATE {table} SET {column} = substr({column}, ?) WHERE {column} LIKE ? || '%'",
                (len(begin) + 1, begin),
            )
            store.commit()

    def test_they_read_well_light_and_dark_and_on_a_phone(self):
        for path in ("/today", "/trends", "/trends/time", "/trends/compared", "/trends/runs",
                     "/watches/report"):  # fmt: skip
            for size in (NOTEBOOK, PHONE):
                self.page.set_viewport_size(size)
                for theme in ("light", "dark"):
                    self.page.add_init_script(f"localStorage.setItem('saltpath-theme', '{theme}')")
                    self.go(path)
                    self.page.get_by_role("heading", level=2).or_(
                        self.page.get_by_role("heading", level=1)
                    ).first.wait_for()
                    self.page.wait_for_load_state("networkidle")
                    self.assertEqual(self.axe(), [], (path, size, theme))
                    wide = self.page.evaluate("document.documentElement.scrollWidth")
                    self.assertLessEqual(wide, size["width"], path)


if __name__ == "__main__":
    unittest.main()
