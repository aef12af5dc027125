"""People in the pages: coming in by a link and by a password, a second factor, keys, sessions that
end while one works, a report for somebody without an account, and who did what."""

import re
import unittest

import pyotp
from playwright.sync_api import Page, expect

from saltpath.store import people
from saltpath.store.database import connect
from tests.browser.page import BrowserTest
from tests.provider import CLIENT, SECRET, StandIn

PASSWORD = "gull rope ninety kelp"


class People(BrowserTest):
    def stranger(self) -> Page:
        """A page of somebody who is not signed in."""
        context = self.browser.new_context()
        self.addCleanup(context.close)
        return context.new_page()

    def invited(self, name: str, role: str = "editor") -> str:
        """The address of an invitation into Fernholm Harbour."""
        asked = {"name": name, "role": role}
        path = f"/projects/{self.app.project}/invitations"
        return self.app.ask("POST", path, asked)[2]["address"]

    def come_in(self, page: Page, name: str, sign_in: str, role: str = "editor") -> None:
        page.goto(self.invited(name, role))
        page.get_by_label("Name to sign in by").fill(sign_in)
        page.get_by_label("Password").fill(PASSWORD)
        page.get_by_role("button", name="Come in").click()
        page.get_by_role("navigation", name="Places").wait_for()

    def sign_in_by_password(self, page: Page, name: str, password: str) -> None:
        page.get_by_label("Name").fill(name)
        page.get_by_label("Password").fill(password)
        page.get_by_role("button", name="Sign in").click()

    def test_an_owner_invites_and_the_invited_comes_in(self):
        self.go("/setup/people")
        self.page.get_by_label("Whom to invite").fill("Runa Dahl")
        self.page.get_by_label("As what").select_option("viewer")
        self.page.get_by_role("button", name="Make a link").click()
        link = self.page.locator(".told-text").inner_text()
        self.assertEqual(self.axe(), [])
        other = self.stranger()
        other.goto(link)
        told = "Ines Wathne invites Runa Dahl into Fernholm Harbour, as viewer."
        other.get_by_text(told).wait_for()
        other.get_by_label("Name to sign in by").fill("runa")
        other.get_by_label("Password").fill("Password1234")
        other.get_by_role("button", name="Come in").click()
        other.get_by_role("alert").filter(has_text="commonly used").wait_for()
        other.get_by_label("Password").fill(PASSWORD)
        other.get_by_role("button", name="Come in").click()
        other.get_by_role("navigation", name="Places").wait_for()
        self.assertNotIn(link.rpartition("#")[2], other.evaluate("location.href"))
        other.goto(link)
        other.get_by_role("alert").filter(has_text="was used already").wait_for()
        self.page.reload()
        row = self.page.get_by_role("listitem").filter(has_text="Runa Dahl is")
        row.get_by_label("What Runa Dahl is").select_option("editor")
        self.page.reload()
        expect(self.page.get_by_label("What Runa Dahl is")).to_have_value("editor")
        self.page.get_by_role("link", name="Who did what").click()
        self.page.get_by_text("invited Runa Dahl into the project").wait_for()
        self.page.get_by_text("said what Runa Dahl (editor) is in the project").wait_for()
        self.page.get_by_label("Find what was done").fill("no such thing")
        self.page.get_by_text("Nothing of that kind was done.").wait_for()
        self.assertEqual(self.axe(), [])

    def test_a_session_that_ends_is_begun_again_over_the_page(self):
        other = self.stranger()
        self.come_in(other, "Bo Lind", "bo")
        other.goto(f"{self.app.address}/cases")
        other.get_by_role("link", name="A berth is described in full").click()
        head = other.get_by_role("heading", name="A berth is described in full")
        head.wait_for()
        accounts = self.app.get("/accounts")["items"]
        bo = next(one["id"] for one in accounts if one["name"] == "Bo Lind")
        self.app.ask("POST", f"/accounts/{bo}/sessions/end")
        dialog = other.get_by_role("dialog", name="You are signed out here")
        dialog.wait_for()
        dialog.get_by_label("Password").fill("wrong")
        dialog.get_by_role("button", name="Sign in").click()
        dialog.get_by_role("alert").filter(has_text="do not belong together").wait_for()
        dialog.get_by_label("Password").fill(PASSWORD)
        dialog.get_by_role("button", name="Sign in").click()
        expect(dialog).to_have_count(0)
        head.wait_for()
        other.get_by_role("button", name="BL, Bo Lind").click()
        other.get_by_role("menuitem", name="Sign Bo Lind out").click()
        other.get_by_role("heading", name="Sign in").wait_for()

    def test_a_code_is_asked_beside_the_password(self):
        other = self.stranger()
        self.come_in(other, "Siv Moe", "siv")
        other.goto(f"{self.app.address}/you")
        other.get_by_role("button", name="Ask for one").click()
        secret = other.locator(".second-factor .told-text").inner_text().replace(" ", "")
        other.get_by_label("The code that it shows").fill(pyotp.TOTP(secret).now())
        other.get_by_label("Your password").fill(PASSWORD)
        other.get_by_role("button", name="Ask for codes from now on").click()
        code = other.locator(".told-once .told-text").inner_text().split()[0]
        other.get_by_role("button", name="It is kept").click()
        other.get_by_role("button", name="SM, Siv Moe").click()
        other.get_by_role("menuitem", name="Sign Siv Moe out").click()
        other.get_by_label("Name").wait_for()
        self.sign_in_by_password(other, "siv", PASSWORD)
        other.get_by_label("Code").fill(code)
        other.get_by_role("button", name="Sign in").click()
        other.get_by_role("navigation", name="Places").wait_for()

    def test_a_key_is_made_and_ended(self):
        self.go("/you")
        self.page.get_by_label("What the key is called").fill("Nightly pipeline")
        self.page.get_by_role("button", name="Make it").click()
        key = self.page.locator(".told-text").inner_text()
        self.assertRegex(key, "^saltpath_key_")
        self.assertEqual(self.axe(), [])
        asked = {"Cookie": "", "Authorization": f"Bearer {key}"}
        self.assertEqual(self.app.ask("GET", "/projects", **asked)[0], 200)
        self.page.get_by_role("button", name="End it: the key Nightly pipeline").click()
        self.page.get_by_text("it has ended").wait_for()
        self.assertEqual(self.app.ask("GET", "/projects", **asked)[0], 401)

    def test_a_report_is_shared_with_somebody_without_an_account(self):
        run = self.app.get(f"/runs?project={self.app.project}")["items"][-1]
        self.go(f"/runs/{run['id']}")
        self.page.get_by_role("button", name="Hand on…").click()
        self.page.get_by_role("menuitem", name="A link for people without an account…").click()
        self.page.get_by_role("button", name="Make a link").click()
        link = self.page.locator(".told-text").inner_text()
        self.assertEqual(self.axe(), [])
        other = self.stranger()
        other.goto(link)
        other.get_by_role("heading", name=re.compile("Every suite")).first.wait_for()
        self.page.get_by_role("button", name="End it").click()
        self.page.get_by_text("No link leads there.").wait_for()
        other.reload()
        other.get_by_text("leads nowhere any more").wait_for()

    def change_in_place(self, label: str, text: str, key: str = "Enter") -> None:
        self.page.get_by_title(label, exact=True).click()
        self.page.get_by_label(label).fill(text)
        self.page.get_by_label(label).press(key)
        self.page.get_by_title(label, exact=True).filter(has_text=text.split(":")[0]).wait_for()

    def test_people_come_by_an_account_that_they_have_elsewhere(self):
        provider = self.enterContext(StandIn())
        self.go("/setup/everybody")
        self.change_in_place("The provider's address", provider.issuer)
        self.change_in_place("What people call it", "Harbour accounts")
        self.change_in_place("The client's identity at the provider", CLIENT)
        secret = self.page.get_by_label("the secret that the provider gave")
        self.page.get_by_title("Give its secret").click()
        secret.fill("another")
        secret.press("Escape")
        self.page.get_by_text("They share no secret.").wait_for()
        self.page.get_by_title("Give its secret").click()
        secret.fill(SECRET)
        self.page.get_by_role("button", name="Keep it").click()
        self.page.get_by_text("a secret that is kept sealed").wait_for()
        self.change_in_place("The claim that gives roles", "groups")
        given = "testers: editor in Fernholm Harbour"
        self.change_in_place("What each value of the claim gives", given, "Control+Enter")
        self.assertEqual(self.axe(), [])
        other = self.stranger()
        other.goto(self.app.address)
        other.get_by_role("link", name="Sign in with Harbour accounts").click()
        other.get_by_role("alert").filter(has_text="did not let you in here").wait_for()
        self.page.reload()
        self.page.get_by_text("who came has no part here").wait_for()
        provider.says["groups"] = ["testers"]
        other.get_by_role("link", name="Sign in with Harbour accounts").click()
        other.get_by_role("navigation", name="Places").wait_for()
        other.get_by_role("link", name="Runs").first.wait_for()
        self.app.ask("PATCH", "/installation/provider", {"issuer": ""})
        self.page.reload()
        self.page.get_by_text("no provider yet").wait_for()

    def test_whose_session_ends_goes_on_by_another_tab(self):
        provider = self.enterContext(StandIn())
        named = {"issuer": provider.issuer, "clientId": CLIENT, "secret": SECRET}
        named |= {"called": "Harbour accounts", "claim": "groups"}
        named |= {"given": ["testers: editor in Fernholm Harbour"]}
        provider.says |= {"name": "Alva Roos", "groups": "testers"}
        self.assertEqual(self.app.ask("PATCH", "/installation/provider", named)[0], 200)
        other = self.stranger()
        other.goto(self.app.address)
        other.get_by_role("link", name="Sign in with Harbour accounts").click()
        other.get_by_role("button", name="Alva Roos").wait_for()
        path = "/accounts"
        other.get_by_role("navigation", name="Places").wait_for()
        account = next(one for one in self.app.get(path)["items"] if one["name"] == "Alva Roos")
        self.app.ask("POST", f"/accounts/{account['id']}/sessions/end")
        dialog = other.get_by_role("dialog", name="You are signed out here")
        dialog.wait_for()
        dialog.get_by_role("button", name="Go on here").click()
        dialog.get_by_text("You are not signed in yet.").wait_for()
        with other.expect_popup() as opened:
            dialog.get_by_role("link", name="Sign in with Harbour accounts").click()
        opened.value.get_by_role("button", name="Alva Roos").wait_for()
        dialog.get_by_role("button", name="Go on here").click()
        expect(dialog).to_have_count(0)
        self.app.ask("PATCH", "/installation/provider", {"issuer": ""})

    def test_the_password_is_asked_again_before_something_is_opened(self):
        page = self.stranger()
        self.come_in(page, "Vera Lind", "vera", role="owner")
        with connect(self.app.data) as store:
            store.execute("UPDATE session SET confirmed_at = 0")
        page.goto(f"{self.app.address}/setup/people")
        page.get_by_label("Whom to invite").fill("Noor Vik")
        page.get_by_role("button", name="Make a link").click()
        asked = page.get_by_role("dialog", name="Is it you?")
        asked.wait_for()
        asked.get_by_role("button", name="Leave it").click()
        page.get_by_role("alert").filter(has_text="Give your password again").wait_for()
        self.assertEqual(page.get_by_label("Whom to invite").input_value(), "Noor Vik")
        page.get_by_role("button", name="Make a link").click()
        asked.get_by_label("Password").fill("not this one")
        asked.get_by_role("button", name="It is me").click()
        asked.get_by_role("alert").filter(has_text="not your password").wait_for()
        asked.get_by_label("Password").fill(PASSWORD)
        page.keyboard.press("Enter")
        page.locator(".told-text").wait_for()
        expect(asked).to_have_count(0)

    def test_an_administrator_without_a_second_factor_where_one_is_needed(self):
        page = self.stranger()
        self.come_in(page, "Wim Aas", "wim")
        with connect(self.app.data) as store:
            people.set_administrator(store, people.by_sign_in(store, "wim"), True)
            people.set_setting(store, "second-factor", "yes")
        page.goto(f"{self.app.address}/setup/everybody")
        page.get_by_text("Administrators need a second factor here.").wait_for()
        page.get_by_role("link", name="Set one in your account").click()
        page.get_by_role("heading", name="Wim Aas").wait_for()
        with connect(self.app.data) as store:
            people.set_setting(store, "second-factor", "no")
        page.goto(f"{self.app.address}/setup/everybody")
        rule = page.get_by_label("Whether administrators need a second factor")
        rule.select_option("true")
        page.get_by_role("alert").filter(has_text="Set one in your account first").wait_for()
        rule.select_option("")
        expect(page.get_by_role("alert")).to_have_count(0)
        expect(rule).to_have_value("")
        with connect(self.app.data) as store:
            self.assertEqual(people.setting(store, "second-factor"), "")


if __name__ == "__main__":
    unittest.main()
