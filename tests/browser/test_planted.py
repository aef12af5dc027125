"""What others have named and answered does nothing in a page: markup is planted wherever a text can
stand, and every place is looked at."""

import unittest

from saltpath.store import people
from saltpath.store.database import connect, write
from tests.browser.page import BrowserTest

PLANTED = '<img src=x onerror="window.planted=1"><script>window.planted=1</script>'


class Planted(BrowserTest):
    def plant(self) -> list[str]:
        """Put it everywhere; the places to look at."""
        ask, project = self.app.ask, self.app.project
        suite = ask("POST", "/suites", {"project": project, "name": PLANTED})[2]["id"]
        document = {
            "salt-path": 1,
            "case": PLANTED,
            "about": PLANTED,
            "tags": ["x"],
            "values": {"v": PLANTED},
            "steps": [
                {
                    "request": PLANTED,
                    "send": "POST [=harbour]/echo",
                    "headers": {"X-Planted": PLANTED},
                    "text": PLANTED,
                    "type": "text/html",
                    "expect": [{"of": "body", "is": PLANTED, "note": PLANTED}],
                }
            ],
        }
        asked = {"project": project, "suite": suite, "document": document}
        case = ask("POST", "/cases", asked)[2]["id"]
        run = self.app.run(cases=[case], title=PLANTED, note=PLANTED, build="b")["id"]
        ask("POST", "/environments", {"project": project, "name": "<b onclick=x>"})
        put = {"kind": "put", "name": "planted", "suite": "", "environment": "", "text": PLANTED}
        ask("POST", "/values", {"project": project, "changes": [put]})
        with connect(self.app.data) as store, write(store):
            odd = people.by_sign_in(store, "odd")
            people.rename(store, odd, PLANTED, "odd")
        ask("POST", f"/projects/{project}/invitations", {"name": PLANTED, "role": "viewer"})
        ask("POST", "/keys", {"name": PLANTED, "scopes": ["read"], "days": 1})
        shared = ask("POST", f"/runs/{run}/shares", {"days": 1})[2]["address"]
        asked = {"name": PLANTED, "role": "editor"}
        invited = ask("POST", f"/projects/{project}/invitations", asked)
        return [
            *(
                self.app.address + path
                for path in (
                    "/cases",
                    f"/cases/{case}",
                    f"/cases/{case}?view=text",
                    f"/cases/{case}?view=sheet",
                    f"/cases/{case}/runs",
                    "/runs",
                    f"/runs/{run}",
                    "/setup",
                    "/setup/people",
                    "/setup/done",
                    "/setup/everybody",
                    "/you",
                )
            ),
            shared,
            invited[2]["address"],
        ]

    def test_it_does_nothing_anywhere(self):
        seen = 0
        for address in self.plant():
            with self.subTest(address):
                self.page.goto(address)
                self.page.locator("h1").first.wait_for()
                self.page.wait_for_timeout(400)
                self.assertIsNone(self.page.evaluate("window.planted ?? null"))
                self.assertEqual(self.page.locator("img[src=x]").count(), 0)
                seen += "onerror" in self.page.content()
        self.assertGreater(seen, 8, "it was there to be seen")

    def test_it_cannot_be_framed(self):
        for path in ("/cases", "/enter", "/s/none", "/api/v1/health"):
            answer = self.context.request.get(self.app.address + path)
            self.assertIn("frame-ancestors 'none'", answer.headers["content-security-policy"], path)

    def test_no_address_leads_elsewhere(self):
        """An open redirect needs an address that is followed: none is."""
        for path in (
            "//evil.example",
            "/\\evil.example",
            "/cases//evil.example",
            "/enter?to=//evil",
        ):
            answer = self.context.request.get(self.app.address + path, max_redirects=0)
            self.assertLess(answer.status, 300, path)


if __name__ == "__main__":
    unittest.main()
