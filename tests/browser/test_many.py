"""Five hundred cases in one run, followed in two browsers, while a runner and the web server are
killed: nothing is lost, nothing counts twice, and the page stays quick."""

import re
import sys
import time
from collections import Counter

from playwright.sync_api import expect

from tests.browser.page import BrowserTest

CASES, STEPS, JOBS = 500, 4, 16


class Many(BrowserTest):
    def test_five_hundred_cases_live_in_two_browsers(self):
        suite = self.many_cases()
        asked = {"project": self.app.project, "suite": suite, "jobs": JOBS, "seed": 7}
        run = self.app.ask("POST", "/runs", asked)[2]["id"]
        other = self.browser.new_context()
        self.sign_in(other)
        pages = [self.page, other.new_page()]
        for page in pages:
            page.goto(f"{self.app.address}/runs/{run}")
            page.locator(".banner").wait_for()
        self.half_way(run)
        self.app.kill("runner")
        self.app.kill("web")
        self.app.wait(lambda: self.app.get("/health"))
        report = self.app.finished(run, 120)
        for page in pages:
            said = page.locator(".banner").get_by_text(re.compile(r"^\d+ of 500 cases passed"))
            expect(said).to_have_text(f"{report['counts']['passed']} of 500 cases passed.")
        other.close()
        self.assert_totals_agree(run, report)
        self.assert_quick(run, report)
        # the browser itself tells of a server that went away
        self.said[:] = [line for line in self.said if "ERR_" not in line]

    def many_cases(self) -> str:
        about = {"project": self.app.project, "name": "Many"}
        suite = str(self.app.ask("POST", "/suites", about)[2]["id"])
        paths = ("berths", "vessels/V-101", "vessels", "nowhere")
        for number in range(CASES):
            steps = [
                {
                    "request": f"Step {n}",
                    "send": f"GET [=harbour]/{paths[n] if number % 50 == 0 or n < 3 else paths[0]}",
                    "expect": [{"of": "status", "is": 200}],
                }
                for n in range(STEPS)
            ]
            document = {"salt-path": 1, "case": f"Case {number}", "steps": steps}
            case = {"project": self.app.project, "suite": suite, "document": document}
            self.assertEqual(self.app.ask("POST", "/cases", case)[0], 201)
        return suite

    def half_way(self, run: str) -> None:
        def probe() -> bool:
            ended = [case["state"] for case in self.app.get(f"/runs/{run}")["cases"]]
            return ended.count("finished") > CASES // 4

        self.app.wait(probe)

    def assert_totals_agree(self, run: str, report: dict) -> None:
        """What the run says is what its evidence says, each step once."""
        cases = Counter(case["verdict"] for case in report["cases"])
        self.assertEqual(dict(cases), report["counts"])
        self.assertEqual(sum(cases.values()), CASES)
        for case in report["cases"]:
            wanted = "failed" if case["position"] % 50 == 0 else "passed"
            if case["verdict"] != wanted:  # it was under way in the runner that was killed
                self.assertEqual((case["verdict"], case["why"]["code"]), ("blocked", "interrupted"))
        self.assertLessEqual(cases["blocked"], JOBS)
        places = Counter(
            (case["position"], step["part"], step["index"])
            for case in report["cases"]
            for step in case["steps"]
        )
        self.assertEqual(set(places.values()), {1}, "nothing twice")
        whole = self.app.ask("GET", f"/runs/{run}/report?format=json")[2]
        self.assertEqual(whole["counts"]["cases"], report["counts"])
        steps = Counter(step["verdict"] for case in report["cases"] for step in case["steps"])
        self.assertEqual(whole["counts"]["steps"], dict(steps))
        page = self.app.ask("GET", f"/runs/{run}/report?format=html")[2]
        self.assertLess(len(page), 3_000_000)

    def assert_quick(self, run: str, report: dict) -> None:
        """How long it took is told; that it is quick is measured elsewhere (bench/)."""
        self.page.goto(f"{self.app.address}/runs")
        self.page.get_by_role("link", name="Many").first.wait_for()
        begun = time.monotonic()
        self.page.get_by_role("link", name="Many").first.click()
        self.page.locator(".run-case").first.wait_for()
        picture = time.monotonic() - begun
        words = self.page.get_by_placeholder("with these words")
        words.click()
        begun = time.monotonic()
        self.page.keyboard.type("7")
        expect(words).to_have_value("7")
        typed = time.monotonic() - begun
        few = sum("77" in case["name"] for case in report["cases"])
        self.page.keyboard.type("7")
        words.fill("Case 77")
        expect(self.page.locator(".run-case")).to_have_count(few)
        print(
            f"counted: a run of {CASES} cases: its page after {1000 * picture:.0f} ms, a letter "
            f"after {1000 * typed:.0f} ms",
            file=sys.__stdout__,
            flush=True,
        )
