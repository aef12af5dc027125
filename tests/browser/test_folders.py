"""Suites in folders, as users move them: by dragging, by the keyboard, by the menu; each undone."""

from playwright.sync_api import Locator, expect

from tests.browser.page import BrowserTest


class Folders(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        project = f"?project={self.app.project}"
        for name in ("Port", "Quay"):
            self.app.ask("POST", "/suites", {"project": self.app.project, "name": name})
        self.ids = {s["name"]: s["id"] for s in self.app.get(f"/suites{project}")["items"]}
        self.addCleanup(self.taken_away)
        self.go("/cases")

    def taken_away(self) -> None:
        for name in ("Quay", "Port"):
            self.app.ask("PATCH", f"/suites/{self.ids[name]}", {"into": None})
        for name in ("Quay", "Port"):
            self.assertEqual(self.app.ask("DELETE", f"/suites/{self.ids[name]}")[0], 200)

    def folder(self, name: str) -> str | None:
        items = self.app.get(f"/suites?project={self.app.project}")["items"]
        within = {one["id"]: one["within"] for one in items}[self.ids[name]]
        return next((one["name"] for one in items if one["id"] == within), None)

    def block(self, name: str) -> Locator:
        return self.page.locator(f'section[aria-labelledby="{self.ids[name]}"]')

    def head(self, name: str) -> Locator:
        return self.block(name).locator(".suite-head").first

    def stands(self, name: str, folder: str | None) -> None:
        inner = self.block(folder).locator(f'[id="{self.ids[name]}"]') if folder else None
        expect(inner if inner else self.page.locator(f'h2[id="{self.ids[name]}"]')).to_be_visible()
        self.becomes(lambda: self.folder(name), folder)

    def test_it_is_moved_by_keys_by_dragging_and_by_the_menu(self) -> None:
        page = self.page
        name = page.get_by_title("The name of the suite Quay")
        name.press("Alt+ArrowRight")  # into the one above
        page.get_by_text("Quay stands in Port now.").wait_for()
        self.stands("Quay", "Port")
        page.get_by_role("button", name="Undo").click()
        self.stands("Quay", None)
        self.head("Quay").drag_to(self.head("Port"))
        self.stands("Quay", "Port")
        self.assertEqual(self.axe(), [])
        name.press("Alt+ArrowLeft")  # out again, behind it
        page.get_by_text("Quay stands behind Port now.").wait_for()
        self.stands("Quay", None)
        self.head("Quay").hover()
        page.get_by_role("button", name="move to… Quay").click()
        page.get_by_role("menuitem", name="into Port").click()
        self.stands("Quay", "Port")
        name.press("Alt+ArrowUp")  # there is none above it in its folder
        self.stands("Quay", "Port")
        self.head("Port").hover()
        expect(self.head("Port").get_by_role("button", name="delete")).to_have_count(0)

    def test_its_tags_reach_what_is_in_it(self) -> None:
        page = self.page
        arrivals = self.ids["Arrivals"]
        held = self.app.get(f"/suites?project={self.app.project}")["items"]
        cases = next(one["cases"] for one in held if one["id"] == arrivals)
        self.addCleanup(self.app.ask, "PATCH", f"/suites/{arrivals}", {"into": None})
        self.app.ask("PATCH", f"/suites/{arrivals}", {"into": self.ids["Port"]})
        page.get_by_title("The tags of the suite Port").click()
        field = page.get_by_role("textbox", name="The tags of the suite Port")
        field.fill("harbour-side, nightly")
        field.press("Enter")
        page.get_by_text("harbour-side, nightly").wait_for()
        expect(self.head("Port")).to_contain_text(f"Run these {len(cases)}")
        page.get_by_label("Find cases by text").fill("harbour-side")
        expect(page.get_by_text(f"{len(cases)} cases", exact=True)).to_be_visible()
        expect(self.block("Quay")).to_have_count(0)
        page.get_by_label("Find cases by text").fill("")
        page.get_by_title("Add a suite in Quay").click()
        field = page.get_by_role("textbox", name="Add a suite in Quay")
        field.fill("Steps of stone")
        field.press("Enter")
        self.block("Quay").get_by_title("The name of the suite Steps of stone").wait_for()
        self.block("Quay").locator(".inner .suite-head").hover()
        self.block("Quay").locator(".inner").get_by_role("button", name="delete").click()
        expect(self.block("Quay").locator(".inner")).to_have_count(0)
