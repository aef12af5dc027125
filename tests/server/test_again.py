"""What opens something to others asks for the password again; administrators need a second factor
where others come."""

from __future__ import annotations

import unittest
from typing import Any

import pyotp
from werkzeug.test import TestResponse

from saltpath.server import rights
from saltpath.server.app import contract
from saltpath.server.entry import cookies
from saltpath.store import people, reaching, sessions
from saltpath.store.database import write
from tests.entering import PASSWORD, Entering

AGAIN = {
    "addKey",
    "invite",
    "inviteAccount",
    "makePasswordLink",
    "changeAccount",
    "dropSecondFactorOf",
    "setPart",
    "changeReach",
    "changeProvider",
    "saySecondFactorRule",
}
KEY = {"name": "Nightly", "scopes": ["run"], "days": 9}


class Again(Entering):
    def setUp(self) -> None:
        super().setUp()
        self.boss = self.person("boss")
        people.set_administrator(self.store, self.boss, True)
        self.browser = self.client()
        self.assertEqual(self.sign_in(self.browser, "boss").status_code, 200)

    def minutes_later(self, minutes: int) -> None:
        """So long ago everybody gave their password last."""
        with write(self.store):
            self.store.execute(
                "UPDATE session SET confirmed_at = confirmed_at - ?", (minutes * 60_000_000,)
            )

    def test_each_of_them_asks_and_does_nothing_before(self) -> None:
        found = {
            told["operationId"]: (method, path)
            for path, methods in contract()["paths"].items()
            for method, told in methods.items()
            if told.get("x-again")
        }
        self.assertEqual(set(found), AGAIN)
        self.minutes_later(16)
        for name, (method, path) in found.items():
            place = path.replace("{id}", "x").replace("{person}", "y")
            answer = self.browser.open(
                f"/api/v1{place}",
                method=method.upper(),
                data=b"{not read",
                content_type="application/json",
            )
            self.assertEqual((answer.status_code, answer.json["code"]), (403, "confirm"), name)

    def test_it_counts_for_a_quarter_of_an_hour(self) -> None:
        self.assertEqual(self.post(self.browser, "/keys", KEY).status_code, 201)
        self.minutes_later(14)
        self.assertEqual(self.post(self.browser, "/keys", KEY).status_code, 201)
        self.minutes_later(2)
        self.assertEqual(self.post(self.browser, "/keys", KEY).json["code"], "confirm")
        wrong = self.post(self.browser, "/me/confirm", {"password": "guess"})
        self.assertEqual((wrong.status_code, wrong.json["code"]), (403, "wrong"))
        self.assertEqual(self.post(self.browser, "/keys", KEY).json["code"], "confirm")
        right = self.post(self.browser, "/me/confirm", {"password": PASSWORD})
        self.assertEqual(right.status_code, 200)
        self.assertEqual(self.post(self.browser, "/keys", KEY).status_code, 201)

    def test_it_counts_in_this_browser_alone(self) -> None:
        other = self.client()
        self.sign_in(other, "boss")
        self.minutes_later(16)
        self.post(self.browser, "/me/confirm", {"password": PASSWORD})
        self.assertEqual(self.post(self.browser, "/keys", KEY).status_code, 201)
        self.assertEqual(self.post(other, "/keys", KEY).json["code"], "confirm")

    def test_guessing_it_is_slowed(self) -> None:
        self.minutes_later(16)
        answers = [
            self.post(self.browser, "/me/confirm", {"password": f"guess {n}"}).status_code
            for n in range(12)
        ]
        self.assertIn(429, answers)

    def test_who_has_no_password_is_not_asked(self) -> None:
        person = people.add_person(self.store, "Tilda", "tilda")
        _, token = sessions.begin(self.store, person, "", "", "provider")
        browser = self.client()
        browser.set_cookie(f"{cookies.SESSION}-8420", token, domain="127.0.0.1")
        self.minutes_later(100)
        self.assertEqual(self.post(browser, "/keys", KEY).status_code, 201)


class SecondFactors(Entering):
    def setUp(self) -> None:
        super().setUp()
        self.boss = self.person("boss")
        people.set_administrator(self.store, self.boss, True)
        self.browser = self.client()
        self.sign_in(self.browser, "boss")

    def accounts(self) -> TestResponse:
        return self.browser.get("/api/v1/accounts")

    def say(self, administrators: bool | None) -> Any:
        body = {"administrators": administrators}
        return self.browser.put("/api/v1/installation/second-factor", json=body)

    def set_one(self) -> None:
        secret = self.post(self.browser, "/second-factor/begin").json["secret"]
        given = {"secret": secret, "code": pyotp.TOTP(secret).now(), "password": PASSWORD}
        answer = self.browser.put("/api/v1/second-factor", json=given)
        self.assertEqual(answer.status_code, 200)

    def test_where_others_come_an_administrator_needs_one(self) -> None:
        self.assertEqual(self.accounts().status_code, 200, "only this machine comes here")
        reaching.say_shared(self.store, True)
        answer = self.accounts()
        self.assertEqual((answer.status_code, answer.json["code"]), (403, "second-factor-needed"))
        self.assertEqual(self.say(False).status_code, 403, "nor is it a way round to say so")
        self.assertEqual(self.me(self.browser).status_code, 200, "all else goes on")
        self.set_one()
        self.assertEqual(self.accounts().status_code, 200)
        self.assertEqual(self.say(False).json, {"administrators": False, "shared": True})
        self.post(self.browser, "/second-factor/off", {"password": PASSWORD})
        self.assertEqual(self.accounts().status_code, 200)

    def test_who_says_that_it_is_needed_has_one(self) -> None:
        self.assertEqual(self.say(True).status_code, 409)
        self.set_one()
        self.assertEqual(self.say(True).status_code, 200)
        self.post(self.browser, "/second-factor/off", {"password": PASSWORD})
        self.assertEqual(self.accounts().json["code"], "second-factor-needed")

    def test_others_are_not_asked_for_one(self) -> None:
        reaching.say_shared(self.store, True)
        _, token = sessions.begin(self.store, self.boss, "", "", "provider")
        browser = self.client()
        browser.set_cookie(f"{cookies.SESSION}-8420", token, domain="127.0.0.1")
        told = "who vouches for them asks for it"
        self.assertEqual(browser.get("/api/v1/accounts").status_code, 200, told)
        self.assertEqual(rights.CONFIRMED_US, 15 * 60_000_000)


if __name__ == "__main__":
    unittest.main()
