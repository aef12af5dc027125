"""How steps sign in, said once: for the case, the suite, the project; and steps that do not."""

from typing import Any

from playwright.sync_api import expect

from tests.browser.page import BrowserTest


class SignIn(BrowserTest):
    def made(self) -> str:
        sent = {"json": {"vessel": "Marrow Finch", "lengthMetres": 23.4, "nights": 2}}
        steps: list[dict[str, Any]] = [
            {
                "request": "Sign in",
                "send": "POST [=harbour]/sessions",
                "json": {"user": "desk", "password": "[=deskPassword]"},
                "keep": {"token": {"of": "$.token", "secret": True}},
            },
            {
                "request": "Ask for a berth",
                "send": "POST [=harbour]/port-calls",
                "auth": {"bearer": "[=token]"},
                **sent,
                "expect": [{"of": "status", "is": 201}],
                "keep": {"callId": "$.id"},
            },
            {
                "request": "Read it",
                "send": "GET [=harbour]/port-calls/[=callId]",
                "expect": [{"of": "status", "is": 200}],
            },
        ]
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        document = {
            "salt-path": 1,
            "case": "Signed once",
            "values": {"deskPassword": "salt-and-tar"},
            "steps": steps,
        }
        id = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "document": document}
        )[2]["id"]
        self.go(f"/cases/{id}")
        self.page.get_by_role("heading", name="Signed once").wait_for()
        return id

    def auths(self, id: str) -> list[Any]:
        document = self.app.get(f"/cases/{id}")["document"]
        return [document.get("auth"), *(step.get("auth") for step in document["steps"])]

    def card(self):
        return self.page.locator(".step.open")

    def test_of_a_case_with_a_step_that_does_not(self) -> None:
        id = self.made()
        self.open_step(2)
        self.card().get_by_role("button", name="every step", exact=True).click()
        expect(self.card()).to_contain_text("signed by token as this case does")
        self.becomes(lambda: self.auths(id), [{"bearer": "[=token]"}, "none", None, None])
        self.open_step(3)
        expect(self.card()).to_contain_text("signed by token as this case does")
        self.assertEqual(
            [step["verdict"] for step in self.app.run(cases=[id])["cases"][0]["steps"]],
            ["unchecked", "passed", "passed"],
        )
        self.assertEqual(self.axe(), [])
        expect(self.card().get_by_role("button", name="every step of the suite")).to_be_disabled()
        self.card().get_by_role("button", name="not here").click()
        expect(self.card()).to_contain_text("not signed in")
        self.becomes(lambda: self.auths(id)[3], "none")
        self.card().get_by_role("button", name="as this case does").click()
        expect(self.card()).to_contain_text("signed by token as this case does")
        self.card().get_by_title("How this case signs in").click()
        self.page.keyboard.press("Control+a")
        self.page.keyboard.type("basic desk [=deskPassword]")
        self.page.keyboard.press("Enter")
        expect(self.card()).to_contain_text("signed by desk as this case does")
        self.becomes(
            lambda: self.auths(id), [{"basic": ["desk", "[=deskPassword]"]}, "none", None, None]
        )
        self.page.get_by_role("button", name="Undo", exact=True).click()
        expect(self.card()).to_contain_text("signed by token as this case does")

    def test_of_a_suite_and_of_a_project(self) -> None:
        id = self.made()
        self.open_step(3)
        self.card().get_by_role("button", name="+ sign-in").click()
        self.page.keyboard.type("key header X-Desk salt-1")
        self.page.keyboard.press("Enter")
        self.card().get_by_role("button", name="every step", exact=True).click()
        self.card().get_by_role("button", name="every step of the suite").click()
        expect(self.card()).to_contain_text("as the suite Arrivals does")
        self.becomes(lambda: self.auths(id), [None, None, {"bearer": "[=token]"}, None])
        levels = {
            level["origin"]: level["document"] for level in self.app.get(f"/cases/{id}")["signIns"]
        }
        key = {"key": {"in": "header", "name": "X-Desk", "value": "salt-1"}}
        self.assertEqual(levels, {"project": None, "suite": key, "case": None})
        self.card().get_by_role("button", name="every step of the project").click()
        expect(self.card()).to_contain_text("as the project Fernholm Harbour does")
        self.page.get_by_role("status").get_by_role("button", name="Undo").click()
        expect(self.card()).to_contain_text("as the suite Arrivals does")
        self.card().get_by_title("How the suite Arrivals signs in").click()
        self.page.keyboard.press("Control+a")
        self.page.keyboard.press("Delete")
        self.page.keyboard.press("Enter")
        self.card().get_by_role("button", name="+ sign-in").wait_for()
        self.assertEqual(
            {level["document"] for level in self.app.get(f"/cases/{id}")["signIns"]}, {None}
        )
