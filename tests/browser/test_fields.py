"""The fields of a suite's last answers that no check watches: listed, checked from the list, and
undone."""

from playwright.sync_api import expect

from tests.browser.page import BrowserTest


class Fields(BrowserTest):
    def test_unchecked_fields_are_listed_and_checked_from_the_list(self):
        page = self.page
        suite = self.app.ask("POST", "/suites", {"project": self.app.project, "name": "Watched"})[
            2
        ]["id"]
        steps = [
            {
                "request": "Read a vessel",
                "send": "GET [=harbour]/vessels/V-101",
                "expect": [{"of": "$.name", "is": "Marrow Finch"}],
            },
            {
                "request": "List the berths",
                "send": "GET [=harbour]/berths",
                "expect": [{"of": "status", "is": 200}],
            },
        ]
        document = {"salt-path": 1, "case": "Half watched", "steps": steps}
        case = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "document": document}
        )[2]["id"]
        self.app.run(suite=suite)
        self.go(f"/cases/suite/{suite}")
        page.get_by_role("link", name="what is not checked").click()
        page.get_by_text("1 Read a vessel: 1 of 7 checked").wait_for()
        page.get_by_label("$.homePort").check()
        page.get_by_label("$.items[*].id").check()
        self.assertEqual(self.axe(), [])
        page.get_by_role("button", name="Expect 2 fields as they are").click()
        page.get_by_text("2 fields are checked now.").wait_for()
        page.get_by_text("1 Read a vessel: 2 of 7 checked").wait_for()
        checks = [
            step["expect"][1:] for step in self.app.get(f"/cases/{case}")["document"]["steps"]
        ]
        self.assertEqual(
            checks,
            [[{"of": "$.homePort", "is": "Fernholm"}], [{"of": "$.items[*].id", "kind": "text"}]],
        )
        page.get_by_role("button", name="Undo").click()
        page.get_by_text("1 Read a vessel: 1 of 7 checked").wait_for()
        self.go(f"/cases/{case}")
        page.get_by_role("link", name="what is not checked").click()
        page.get_by_role("checkbox", name="all of these").first.check()
        expect(page.get_by_role("button", name="Expect 6 fields as they are")).to_be_enabled()
