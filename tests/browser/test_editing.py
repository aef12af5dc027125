"""A case made from nothing and mended, as a tester does it: by pointing with the mouse, and with
the keyboard alone."""

import re

from playwright.sync_api import expect

from tests.browser.page import BrowserTest


class Editing(BrowserTest):
    def new_case(self, name: str) -> None:
        self.go("/cases")
        self.page.get_by_role("button", name="+ case").first.click()
        self.page.get_by_label("Add a case to this suite").fill(name)
        self.page.keyboard.press("Enter")
        self.page.get_by_role("heading", name=name).wait_for()

    def add_step(self, text: str) -> None:
        field = self.page.get_by_label("Add a step: a method and an address")
        field.fill(text)
        field.press("Enter")
        expect(field).to_have_value("")

    def step(self, number: int):
        return self.page.locator(f'[data-step="{number}"]')

    def send_alone(self) -> None:
        self.page.get_by_role("button", name="Send this step alone").click()
        self.page.get_by_role("status").filter(has_text="Finished").wait_for()

    def node(self, text: str | re.Pattern[str]):
        return self.page.get_by_role("treeitem").filter(has_text=text).first

    def saved(self):
        return self.app.get(f"/cases/{self.page.url.rpartition('/')[2]}")["document"]

    def test_what_a_step_sent_alone_needs_is_asked_for(self):
        self.new_case("A vessel is read")
        self.add_step("GET [=harbour]/vessels?limit=1")
        self.add_step("GET [=harbour]/vessels/[=vesselId]")
        path = f"/cases/{self.page.url.rpartition('/')[2]}"
        self.app.wait(lambda: len(self.saved()["steps"]) == 2)
        now = self.app.get(path)
        now["document"]["steps"][0]["keep"] = {"vesselId": "$.items[0].id"}
        self.app.ask("PUT", path, {"document": now["document"]}, If_Match=f'"{now["version"]}"')
        self.step(1).get_by_text("gives vesselId").wait_for()
        self.open_step(2)
        self.page.get_by_role("button", name="Send this step alone").click()
        asked = self.page.get_by_role("alert").filter(
            has_text="Nothing was sent: vesselId is not kept yet"
        )
        asked.wait_for()
        self.assertEqual(self.axe(), [])
        asked.get_by_role("button", name="Send it first").click()
        self.page.get_by_role("status").filter(has_text="Finished").wait_for()
        expect(asked).to_have_count(0)
        self.node(re.compile("^name")).wait_for()
        self.send_alone()  # with what is kept now, nothing is asked

    def test_a_step_that_is_opened_while_another_is_added_stays_open(self):
        self.new_case("Opened meanwhile")
        for text in ("GET [=harbour]/vessels", "GET [=harbour]/berths"):
            self.add_step(text)
        self.step(2).locator(".step.open").wait_for()
        with self.saved_late(r"/cases/\w+(\?|$)"):
            self.add_step("GET [=harbour]/pilots")
            self.open_step(1)
        self.step(3).wait_for()
        self.page.wait_for_timeout(300)
        expect(self.step(1).locator(".step.open")).to_have_count(1)
        self.add_step("wait 10 ms")
        self.step(4).locator(".step.open").wait_for()  # as nobody opened another

    def test_a_case_from_nothing_by_mouse(self):
        self.new_case("A vessel is found again")
        self.add_step("GET [=harbour]/vessels")
        self.send_alone()
        self.add_step("GET [=harbour]/vessels/{vesselId}")
        self.add_step("[=harbour]/pilots?limit=2")
        self.open_step(1)
        self.node(re.compile("^id")).click()
        self.page.get_by_role("button", name="Put into…").click()
        self.page.get_by_role("button", name="in the address at {vesselId}").click()
        self.step(1).get_by_text("to step 2").wait_for()
        self.open_step(2)
        self.send_alone()
        self.node(re.compile("^name")).click()
        self.page.get_by_role("button", name="Expect “").click()
        self.step(2).locator(".check").get_by_text("$.name").wait_for()
        self.node(re.compile("^length")).click()
        self.page.get_by_role("button", name="Expect any number").click()
        self.step(2).locator(".check").get_by_text("is of kind").wait_for()
        for number in (1, 3):
            self.open_step(number)
            self.page.get_by_label("Expect something more, as a sentence").fill("status 200")
            self.page.get_by_label("Expect something more, as a sentence").press("Enter")
            self.step(number).locator(".check").get_by_text("is 200").wait_for()
        self.page.get_by_role("button", name="Run this case").click()
        self.page.get_by_role("status").filter(has_text="Finished: passed.").wait_for()
        document = self.saved()
        self.assertEqual(
            [step["send"] for step in document["steps"]][1:],
            ["GET [=harbour]/vessels/[=vesselId]", "GET [=harbour]/pilots"],
        )
        self.assertEqual(document["steps"][2]["query"], {"limit": "2"})
        self.assertEqual(list(document["steps"][0]["keep"]), ["vesselId"])

    def test_edits_are_judged_at_once_undone_and_kept(self):
        self.open_case("A long vessel gets a berth long enough")
        self.page.locator(".check.failed").wait_for()
        failing = self.page.locator(".check.failed")
        failing.get_by_role("button").first.click()
        field = self.page.get_by_label(re.compile("^Change the check"))
        field.fill("$.berth.metres is at least 1")
        self.page.locator(".understood").get_by_text("$.berth.metres is at least 1").wait_for()
        field.press("Enter")
        self.page.get_by_text("judged again").wait_for()
        expect(self.page.locator(".check.failed")).to_have_count(0)
        self.page.get_by_role("button", name="Undo").click()
        self.page.locator(".check.failed").wait_for()
        self.page.get_by_role("button", name="Redo").click()
        expect(self.page.locator(".check.failed")).to_have_count(0)
        self.page.reload()
        self.page.locator(".step-head", has_text="Ask for a berth").click()
        self.page.get_by_text("judged again").wait_for()
        self.page.get_by_label("Expect something more, as a sentence").fill("stauts is 3")
        self.page.get_by_label("Expect something more, as a sentence").press("Enter")
        self.page.get_by_role("alert").get_by_text("did you mean status").wait_for()
        expect(self.page.get_by_label("Expect something more, as a sentence")).to_have_value(
            "stauts is 3"
        )

    def test_nothing_is_lost_while_the_server_is_away(self):
        self.new_case("Kept")
        self.app.kill("web")
        self.page.get_by_label("Add a step: a method and an address").fill("GET [=harbour]/tides")
        self.page.get_by_label("Add a step: a method and an address").press("Enter")
        self.app.wait(lambda: self.app.get("/health"))
        self.step(1).get_by_text("Read tides").wait_for()
        self.page.get_by_role("heading", name="Kept").wait_for()
        self.assertEqual(self.saved()["steps"][0]["send"], "GET [=harbour]/tides")
        # the browser reports the lost connection itself
        self.said = [line for line in self.said if "ERR_" not in line]

    def test_with_the_keyboard_alone(self):
        self.new_case("By keyboard")
        self.add_step("GET [=harbour]/vessels")
        self.add_step("GET [=harbour]/pilots")
        self.step(1).locator(".step-head").focus()
        self.page.keyboard.press("Enter")
        self.page.keyboard.press("Alt+ArrowDown")
        expect(self.step(2).locator(".step-name")).to_have_text("Read vessels")
        self.page.keyboard.press("Control+z")
        expect(self.step(1).locator(".step-name")).to_have_text("Read vessels")
        self.step(1).locator(".step-head").focus()
        self.page.keyboard.press("F2")
        self.page.keyboard.press("Control+a")
        self.page.keyboard.type("List them all")
        self.page.keyboard.press("Enter")
        expect(self.step(1).locator(".step-name")).to_have_text("List them all")
        self.send_alone()
        self.page.get_by_role("tree").focus()
        for key in ("ArrowDown", "ArrowDown", "e", "a", "k"):
            self.page.keyboard.press(key)
        self.page.get_by_label("Keep as").press("Enter")
        self.step(1).locator("[data-keep]").first.wait_for()
        expect(self.step(1).locator(".check")).to_have_count(2)
        self.assertEqual(self.axe(), [])

    def test_the_rest_is_expected_as_it_is_and_a_broken_thread_is_mended(self):
        self.new_case("Everything is watched")
        self.add_step("GET [=harbour]/vessels/[=vesselId]")
        self.add_step("GET [=harbour]/vessels")
        self.add_step("wait 10 ms")
        self.open_step(2)
        self.send_alone()
        self.node(re.compile("^id")).click()
        self.page.get_by_role("button", name="Keep as…").click()
        self.page.get_by_label("Keep as").press("Enter")
        self.open_step(1)
        self.page.get_by_role(
            "button", name="Move step 2, which keeps vesselId, before this one"
        ).click()
        expect(self.step(1).locator(".step-name")).to_have_text("Read vessels")
        expect(self.page.locator(".thread.broken")).to_have_count(0)
        self.page.get_by_role("button", name="Run this case").click()
        self.page.get_by_role("status").filter(has_text="Finished: unchecked.").wait_for()
        self.open_step(2)
        self.page.get_by_role("button", name="expect the rest as it is").click()
        self.page.get_by_text(re.compile(r"^(\d+) of \1 fields are checked")).wait_for()
        exact = self.saved()["steps"][1]["expect"]
        self.assertIn("$.registerNumber", [check["of"] for check in exact])
        self.page.get_by_title("How it signs in").click()
        self.page.get_by_label("How it signs in").fill("bearer [=vesselId]")
        self.page.keyboard.press("Enter")
        self.step(2).get_by_text(", signed by").wait_for()
        self.page.get_by_title("The options").click()
        self.page.get_by_label("The options").fill("timeout: soon")
        self.page.keyboard.press("Control+Enter")
        self.page.get_by_role("alert").get_by_text("soon").wait_for()
        self.page.get_by_label("The options").fill("timeout: 3 s")
        self.page.keyboard.press("Control+Enter")
        self.step(2).get_by_text("at most 3 s").wait_for()
        self.open_step(3)
        target = self.step(3).bounding_box()
        assert target is not None
        self.step(1).locator(".grip").hover()
        self.page.mouse.down()
        self.page.mouse.move(target["x"] + 60, target["y"] + target["height"] - 6, steps=8)
        self.page.mouse.up()
        expect(self.step(3).locator(".step-name")).to_have_text("Read vessels")
        self.assertEqual(self.saved()["steps"][0]["options"], {"timeout": "3 s"})
        # the browser reports the refused edit itself
        self.said = [line for line in self.said if "422" not in line]

    def test_two_tabs_keep_each_others_edits(self):
        self.new_case("Two at once")
        self.add_step("GET [=harbour]/vessels")
        self.step(1).get_by_text("nothing is checked here yet").or_(
            self.step(1).get_by_text("Nothing is checked")
        ).first.wait_for()
        other = self.page.context.new_page()
        other.goto(self.page.url)
        other.locator(".step-head").first.wait_for()
        self.add_step("GET [=harbour]/pilots")
        field = other.get_by_label("Expect something more, as a sentence")
        field.fill("status 200")
        field.press("Enter")
        other.get_by_text("This case was changed elsewhere").wait_for()
        other.locator('[data-step="2"]').wait_for()
        other.close()
        # the browser reports the late edit itself
        self.said = [line for line in self.said if "412" not in line]
        steps = self.saved()["steps"]
        self.assertEqual(
            [step["send"] for step in steps], ["GET [=harbour]/vessels", "GET [=harbour]/pilots"]
        )
        self.assertEqual(steps[0]["expect"], [{"of": "status", "is": 200}])

    def test_values_are_offered_where_they_can_stand(self):
        self.new_case("Values are picked")
        self.add_step("GET [=harbour]/vessels")
        self.send_alone()
        self.node(re.compile("^id")).click()
        self.page.keyboard.press("Escape")
        self.page.get_by_role("tree").press("k")
        self.page.get_by_label("Keep as").press("Enter")
        self.step(1).locator("[data-keep]").first.wait_for()
        field = self.page.get_by_label("Add a step: a method and an address")
        field.focus()
        self.page.keyboard.type("GET [=har")
        self.page.get_by_role("option").filter(has_text="project").first.wait_for()
        self.page.keyboard.press("Enter")
        self.page.keyboard.type("/vessels/[=")
        self.page.get_by_role("option").filter(has_text="step 1").first.wait_for()
        self.page.keyboard.press("Tab")
        expect(field).to_have_value("GET [=harbour]/vessels/[=vesselId]")
        self.page.keyboard.press("Enter")
        self.step(1).get_by_text("to step 2").or_(
            self.step(1).get_by_text("gives")
        ).first.wait_for()
        self.step(2).get_by_text("vesselId").first.wait_for()
        self.assertEqual(self.saved()["steps"][1]["send"], "GET [=harbour]/vessels/[=vesselId]")
