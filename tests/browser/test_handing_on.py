"""A run is described, handed on, found again from anywhere, and started from a pipeline."""

import os
import re
import subprocess
import sys
import tempfile
import xml.etree.ElementTree as ET
from pathlib import Path

from playwright.sync_api import expect

from tests.browser.page import BrowserTest

EVIL = "<script>document.title='owned'</script><img src='http://127.0.0.1:9/x' onerror=alert(1)>"


AT_ONCE = """(rule) => {
  for (const [label, value] of [["In which form", "json"], ["Which environment", "Rehearsal"]]) {
    const choice = rule.querySelector(`[aria-label^="${label}"]`);
    choice.value = value;
    choice.dispatchEvent(new Event("change", { bubbles: true }));
  }
}"""
"""Two choices before the first is drawn: both are meant."""


class HandingOn(BrowserTest):
    def slow_suite(self, name: str, cases: int, seconds: float, note: str = "") -> str:
        about = {"project": self.app.project, "name": name}
        suite = str(self.app.ask("POST", "/suites", about)[2]["id"])
        for number in range(cases):
            request = {
                "request": f"Ask {note}",
                "send": f"GET [=harbour]/faults/slow?seconds={seconds}",
                "headers": {"X-Note": note or "none"},
                "expect": [{"of": "$.late", "is": not note}],
            }
            document = {
                "salt-path": 1,
                "case": f"{name} {number}",
                "tags": ["slowly"],
                "steps": [request],
            }
            case = {"project": self.app.project, "suite": suite, "document": document}
            self.assertEqual(self.app.ask("POST", "/cases", case)[0], 201)
        return suite

    def test_a_run_is_described_and_handed_on(self):
        suite = self.slow_suite("Hostile", 1, 0, EVIL)
        run = self.app.run(suite=suite)
        self.go(f"/runs/{run['id']}")
        for label, text in (
            ("The title of this run", f"Before the fair {EVIL}"),
            ("The build that was tested", "3.3.0-rc2"),
            ("A note on this run", "The quay is closed."),
        ):
            self.page.get_by_role("button", name=label).or_(
                self.page.locator(f'button[title="{label}"]')
            ).first.click()
            field = self.page.get_by_label(label)
            field.fill(text)
            field.press("Control+Enter" if label.startswith("A note") else "Enter")
            field.wait_for(state="detached")
        self.page.get_by_role("heading", name="Before the fair").wait_for()
        self.page.get_by_text("build 3.3.0-rc2").wait_for()
        self.page.reload()
        self.page.get_by_text("The quay is closed.").wait_for()
        self.page.get_by_role("button", name="Hand on…").click()
        with self.page.expect_download() as downloaded:
            self.page.get_by_role("menuitem", name="A page for people").click()
        self.looked_at_from_disk(Path(downloaded.value.path()))

    def looked_at_from_disk(self, downloaded: Path) -> None:
        """It shows all, asks for nothing, and what was hostile does nothing."""
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "run.html"
            file.write_bytes(downloaded.read_bytes())
            context = self.browser.new_context(offline=True)
            page, asked, said = context.new_page(), [], []
            page.on("request", lambda request: asked.append(request.url))
            page.on("console", lambda line: said.append(line.text))
            page.on("dialog", lambda dialog: said.append(dialog.message))
            page.goto(file.as_uri())
            expect(page.get_by_role("heading", level=1)).to_contain_text("<script>")
            page.get_by_text("The quay is closed.").wait_for()
            expect(page.locator(".banner")).to_contain_text("Failed.")
            expect(page.get_by_text("X-Note: <script>").first).to_be_visible()
            self.assertIn("Before the fair", page.title())
            expect(page.locator("details.case")).to_have_count(1)
            self.assertEqual((asked, said), ([file.as_uri()], []))
            self.assertEqual(page.locator("script, img, iframe, object, link").count(), 0)
            context.close()

    def test_its_cases_are_filtered_without_a_script(self):
        run = self.app.run(tags=["rows"], jobs=4)
        status, _, octets = self.app.ask("GET", f"/runs/{run['id']}/report?format=html")
        self.assertEqual(status, 200)
        context = self.browser.new_context(offline=True, java_script_enabled=False)
        page = context.new_page()
        page.set_content(octets.decode())
        for verdict in ("passed", "failed"):
            number = run["counts"][verdict]
            page.get_by_label(f"{number} {verdict}").check()
            expect(page.locator("details.case:visible")).to_have_count(number)
        context.close()

    def test_a_long_run_is_found_again_from_anywhere(self):
        suite = self.slow_suite("Long", 3, 1.5)
        self.go("/data")
        self.page.get_by_role("heading", name="Data").wait_for()
        expect(self.page.locator(".going-on")).to_have_count(0)
        asked = {"project": self.app.project, "suite": suite, "title": "The long one"}
        run = self.app.ask("POST", "/runs", asked)[2]
        line = self.page.get_by_role("link", name=re.compile("The long one"))
        expect(line).to_contain_text(re.compile(r"[012] of 3"))
        line.click()
        banner = self.page.locator(".banner")
        banner.get_by_text(re.compile(r"cases a minute · about [\d.]+ m?s yet")).wait_for()
        expect(self.page.locator(".going-on")).to_have_count(0)  # it is here
        banner.get_by_text("All 3 cases passed.").wait_for()
        self.page.get_by_role("link", name="Data").click()
        self.page.get_by_role("heading", name="Data").wait_for()
        expect(self.page.locator(".going-on")).to_have_count(0)
        self.assertEqual(self.app.get(f"/runs/{run['id']}")["verdict"], "passed")

    def test_the_lines_for_a_pipeline_do_what_they_say(self):
        self.slow_suite("It's “quick” $HOME", 1, 0)
        self.go("/cases")
        self.page.get_by_role("button", name="Run It's “quick” $HOME from a pipeline…").click()
        lines = self.page.locator(".from-pipeline pre")
        expect(lines).to_have_count(2)
        asked = {"name": "Pipeline", "scopes": ["run"], "days": 1, "project": self.app.project}
        key = self.app.ask("POST", "/keys", asked)[2]["text"]
        with tempfile.TemporaryDirectory() as folder:
            path = f"{Path(sys.executable).parent}:{os.environ['PATH']}"
            for number, text in enumerate(lines.all_inner_texts()):
                went = subprocess.run(
                    ["sh", "-c", text],
                    cwd=folder,
                    env={**os.environ, "PATH": path, "BUILD": f"7.{number}", "SALTPATH_KEY": key},
                    capture_output=True,
                    text=True,
                    timeout=60,
                )
                self.assertEqual(went.returncode, 0, f"{text}\n{went.stdout}{went.stderr}")
                report = Path(folder) / "junit.xml"
                [suite] = ET.parse(report).getroot()
                self.assertEqual((suite.get("tests"), suite.get("failures")), ("1", "0"))
                report.unlink()
                run = self.app.get(f"/runs?project={self.app.project}&limit=1")["items"][0]
                self.assertEqual((run["verdict"], run["build"]), ("passed", f"7.{number}"))
        self.page.get_by_role("button", name="Make an address").click()
        address = self.page.locator(".told-text").inner_text()
        self.assertEqual(self.axe(), [])
        elsewhere = self.browser.new_context()
        self.addCleanup(elsewhere.close)
        picture = elsewhere.new_page().goto(address)
        self.assertIn("1 of 1 passed", picture.text())
        self.page.get_by_role("button", name="End it").click()
        self.page.get_by_text("An address by").wait_for(state="detached")

    def test_results_go_where_a_sentence_says(self):
        self.go("/setup")
        part = self.page.get_by_role("region", name="Deliveries")
        part.get_by_role("button", name="+ an address").click()
        field = part.get_by_label("Send results to one more address")
        field.fill("register.example/in")
        field.press("Enter")
        part.get_by_text("begins with http:// or https://").first.wait_for()
        self.said.clear()  # that it was refused stands in the console
        address = f"http://127.0.0.1:{self.app.harbour_port}/results?second"
        field.fill(address)
        field.press("Enter")
        rule = part.locator(".delivery-rules li").filter(has_text="second")
        rule.wait_for()
        rule.evaluate(AT_ONCE)
        expect(rule.get_by_label("In which form")).to_have_value("json")
        expect(rule.get_by_label("Which environment")).to_have_value("Rehearsal")
        rule.get_by_role("button", name="+ a key").click()
        rule.get_by_label("The header of the key").fill("X-Key")
        self.page.keyboard.press("Enter")
        rule.get_by_role("button", name="which is not given yet").click()
        rule.get_by_label(f"The key of {address}").fill("register-3")
        self.page.keyboard.press("Enter")
        rule.get_by_text("●●●").wait_for()
        self.assertEqual(self.axe(), [])
        run = self.app.run(tags=["smoke"])
        line = part.locator(".delivery-log > li").filter(
            has=self.page.get_by_role("link", name=f"run {run['number']}", exact=True)
        )
        sent = line.filter(has_text="second")
        sent.get_by_text(re.compile("^arrived")).wait_for()
        sent.get_by_role("button", name=f"Send again run {run['number']}").click()
        sent.get_by_text(re.compile("at the 2nd try")).wait_for()
        sent.locator("summary").click()
        sent.get_by_text("it answered 200").wait_for()
        rule.get_by_role("button", name=f"Remove {address}").click()
        rule.wait_for(state="detached")
        undo = part.get_by_role("button", name="Undo what was said of deliveries")
        undo.click()
        rule.wait_for()
        expect(rule.get_by_label("In which form")).to_have_value("json")
        undo.click()  # the key stays: it is read by nobody, and cannot be put back
        rule.get_by_role("button", name="+ a key").wait_for()
        undo.click()
        expect(rule.get_by_label("Which environment")).to_have_value("")
        undo.click()
        expect(rule.get_by_label("In which form")).to_have_value("junit")
        undo.click()
        rule.wait_for(state="detached")

    def test_what_is_ticked_or_found_runs_as_the_sentence_says(self):
        self.go("/cases")
        for name in ("Free berths are listed", "An agent signs in, and a stranger does not"):
            self.page.get_by_label(f"Tick {name}", exact=True).check()
        self.page.get_by_role("button", name="one at a time").click()
        self.page.get_by_role("menuitem", name="4 at once", exact=True).click()
        self.page.get_by_role("button", name="to the end").click()
        self.page.get_by_role("menuitem", name="until one is bad").click()
        self.page.get_by_role("button", name="until one is bad").click()
        self.page.get_by_role("menuitem", name="once the service is up").click()
        self.page.get_by_role("button", name="once the service is up").click()
        self.page.get_by_role("menuitem", name="once an address answers well…").click()
        address = self.page.get_by_label("The address that answers once the service is up")
        address.fill("harbour/health")
        address.press("Enter")
        self.page.get_by_text("An address begins with http:// or https://").wait_for()
        address.fill("[=harbour]/vessels, 5 h")
        address.press("Enter")
        self.page.get_by_text("It waits an hour at most.").wait_for()
        address.fill("[=harbour]/vessels, 5 min")
        self.assertEqual(self.axe(), [])
        address.press("Enter")
        said = "once [=harbour]/vessels is up, 5 min at most"
        self.page.get_by_role("button", name=said).wait_for()
        self.assertEqual(self.axe(), [])
        with self.page.expect_request("**/api/v1/runs") as asked:
            self.page.get_by_role("button", name="Run the 2 ticked").click()
        body = asked.value.post_data_json
        self.assertEqual((body["jobs"], body["stopAfter"], body["waitUntilUp"]), (4, 1, 300))
        self.assertEqual(body["upAt"], "[=harbour]/vessels")
        self.page.locator(".banner").get_by_text("All 2 cases passed.").wait_for()
        self.go("/cases")
        self.page.get_by_label("Find cases by text, tag, address or verdict").fill("on-purpose")
        self.page.get_by_role("button", name=re.compile(r"Run the \d found")).click()
        banner = self.page.locator(".banner")
        banner.get_by_text("Stopped by the limit of 1 bad case").or_(
            banner.get_by_text("stopped by the limit of 1 bad case")
        ).first.wait_for()
        left = self.page.get_by_role("button", name=re.compile("Go on with the"))
        if left.count():
            left.click()
            self.page.locator(".run-case").first.wait_for()

    def test_a_suite_whose_cases_need_each_other_says_so(self):
        suite = self.slow_suite("One by one", 3, 0.2)
        self.go("/cases")
        part = self.page.locator("section", has=self.page.locator(f"#{suite}"))
        part.get_by_role("button", name="+ in order").click()
        part.get_by_role("button", name="one after the other").wait_for()
        run = self.app.run(suite=suite, jobs=8)
        cases = run["cases"]
        steps = [self.app.get(f"/runs/{run['id']}/cases/{n}")["items"][0] for n in range(3)]
        begun = [step["exchanges"][0]["begunAt"] for step in steps]
        self.assertEqual(begun, sorted(begun))
        self.assertGreater(run["ms"], sum(case["ms"] for case in cases) - 5)

    def test_a_case_becomes_a_suites_set_up(self):
        suite = self.slow_suite("Around", 9, 0)
        self.go("/cases")
        part = self.page.locator("section", has=self.page.locator(f"#{suite}"))
        for case, role, said in (
            ("Around 2", "the suite’s set-up", "runs once before the others"),
            ("Around 0", "the suite’s clean-up", "runs once after the others"),
        ):
            line = part.locator(".case-line", has_text=case)
            line.hover()
            self.page.get_by_role("button", name=f"move to… {case}").click()
            self.page.get_by_role("menuitem", name=role).click()
            expect(line).to_contain_text(said)
        self.assertEqual(self.axe(), [])
        part.get_by_label("Tick Around 1").check()
        self.page.get_by_role("button", name="Run the ticked one").click()
        self.page.locator(".banner").get_by_text("All 3 cases passed.").wait_for()
        self.go(f"/runs/{self.app.run(suite=suite)['id']}")
        shown = self.page.locator(".run-case")
        for words, number in (("slowly", 9), ("slowly 2", 1), ("hastily", 0)):
            self.page.get_by_label("Words of the cases that are shown").fill(words)
            expect(shown).to_have_count(number)
        self.go("/cases")
        line = part.locator(".case-line", has_text="Around 2")
        line.hover()
        self.page.get_by_role("button", name="Delete the case Around 2").click()
        self.page.get_by_role("button", name="Undo").click()
        expect(line).to_contain_text("runs once before the others")
        line.hover()
        self.page.get_by_role("button", name="move to… Around 2").click()
        self.page.get_by_role("menuitem", name="the suite’s other cases").click()
        expect(line).not_to_contain_text("runs once before the others")

    def test_a_run_is_put_beside_another(self):
        suite = self.slow_suite("Beside", 2, 0)
        first = self.app.run(suite=suite, build="3.2.0")
        case = self.app.get(f"/runs/{first['id']}")["cases"][0]["case"]
        held = self.app.get(f"/cases/{case}")
        [step] = held["document"]["steps"]
        broken = {**step, "send": "GET [=harbour]/nowhere"}
        document = {**held["document"], "steps": [broken]}
        self.app.ask(
            "PUT", f"/cases/{case}", {"document": document}, If_Match=f'"{held["version"]}"'
        )
        second = self.app.run(suite=suite, build="3.3.0")
        self.go(f"/runs/{second['id']}")
        since = self.page.get_by_role("region", name="Since its last pass")
        since.get_by_role("link", name=f"run {first['number']}").wait_for()
        expect(since).to_contain_text("build 3.2.0")
        since.get_by_role("row", name=re.compile(r"^status 200 404")).wait_for()
        self.page.get_by_role("button", name="Compare with…").click()
        self.page.get_by_role("menuitem", name=re.compile(f"^{first['number']}: Beside")).click()
        self.page.get_by_text("1 case broke.").wait_for()
        self.page.get_by_role("button", name="Beside 0").click()
        self.page.locator(".compared-steps button").first.click()
        self.page.get_by_role("row", name=re.compile("^status 200 404")).wait_for()
        self.assertEqual(self.axe(), [])
        expect(self.page.get_by_role("button", name="Beside 1")).to_have_count(0)
        self.page.get_by_role("button", name="Show the 1 that came the same, too").click()
        self.page.get_by_role("button", name="Beside 1").wait_for()

    def test_the_runs_of_a_case_and_what_was_edited_between_them(self):
        suite = self.slow_suite("Edited", 1, 0)
        self.app.run(suite=suite)
        case = self.app.get(f"/runs?project={self.app.project}&limit=1")["items"][0]["id"]
        case = self.app.get(f"/runs/{case}")["cases"][0]["case"]
        held = self.app.get(f"/cases/{case}")
        document = {**held["document"], "about": "Asked slowly."}
        self.app.ask(
            "PUT", f"/cases/{case}", {"document": document}, If_Match=f'"{held["version"]}"'
        )
        self.app.run(suite=suite)
        self.go("/cases")
        row = self.page.locator(".case-line", has_text="Edited 0")
        row.get_by_role("link", name="its last runs").click()
        self.page.get_by_text("It passed in 2 of the last 2 runs.").wait_for()
        expect(self.page.locator(".run-line")).to_have_count(2)
        self.page.get_by_text("edited by Ines Wathne").click()
        self.page.get_by_text("about of the case").wait_for()
        self.assertEqual(self.axe(), [])
        self.page.locator(".page-head select").select_option("Live")
        self.page.get_by_text("It was not run against Live yet.").wait_for()
        self.page.get_by_role("link", name="Edited 0").click()
        self.page.get_by_role("link", name="its runs").click()
        self.page.get_by_role("heading", name="Its runs").wait_for()

    def test_what_a_run_left_is_removed(self):
        app = self.app
        case = app.cases(app.troubles)["A berth is asked for and not given back"]
        status, _, run = app.ask("POST", "/runs", {"project": app.troubles, "cases": [case]})
        self.assertEqual(status, 201)
        app.finished(run["id"])
        self.go(f"/runs/{run['id']}")
        self.page.get_by_role("button", name="It left 1 thing there").click()
        self.assertEqual(self.axe(), [])
        what = self.page.get_by_role("region", name="What it left")
        what.get_by_text("POST was answered 201 and said that it stands there").wait_for()
        ticked = what.get_by_role("checkbox")
        ticked.uncheck()
        self.assertTrue(what.get_by_role("button", name="Remove").is_disabled())
        ticked.check()
        what.get_by_role("button", name="Remove this one now").click()
        self.page.get_by_role("button", name="What it left has been removed").wait_for()
        what.get_by_text("each of them is gone").wait_for()
        what.get_by_role("link", name="a run").click()
        self.page.get_by_text(f"It removes what run {run['number']}").wait_for()
        self.assertEqual(self.page.get_by_role("button", name="Run it again").count(), 0)
        self.page.get_by_role("heading", name="Sign in").wait_for()
        self.assertEqual(self.page.get_by_role("link", name="Open the step").count(), 0)
        done = self.app.get(f"/audit?project={app.troubles}")["items"][0]["about"]
        self.assertRegex(done, r"^began run \d+, Remove 1 thing that run \d+ left$")
