"""Coming in by a provider that vouches: the way there and back, what the claims give, and tokens,
codes and answers that are not what they should be."""

from __future__ import annotations

import base64
import json
import tempfile
import threading
import time
import unittest
from contextlib import closing
from pathlib import Path
from typing import Any
from unittest.mock import patch
from urllib.parse import parse_qsl, urlsplit

import jwt
from cryptography.hazmat.primitives.asymmetric import rsa
from flask.testing import FlaskClient
from werkzeug.test import TestResponse

from saltpath.runner.courier import Courier
from saltpath.server.api import provider_api
from saltpath.server.app import make_app
from saltpath.server.entry import cookies
from saltpath.store import audit, people, projects, providers, sessions
from saltpath.store.database import connect, migrate
from saltpath.store.providers import Given, Provider
from tests.entering import Browser
from tests.provider import CLIENT, SECRET, StandIn

REFUSED = "/?refused=provider"


def _unsigned(claims: dict[str, Any]) -> str:
    parts = [{"alg": "none", "kid": "one"}, claims]
    texts = [base64.urlsafe_b64encode(json.dumps(part).encode()).decode() for part in parts]
    return ".".join(text.rstrip("=") for text in texts) + "."


class ProviderTest(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory())) / "data"
        migrate(self.folder)
        self.store = self.enterContext(closing(connect(self.folder)))
        self.owner = people.local_owner(self.store)
        self.harbour = self.project("Fernholm Harbour")
        self.provider = self.enterContext(StandIn())
        self.name(newcomers=True)
        self.app = make_app(self.folder)
        self.app.test_client_class = Browser
        self._over = threading.Event()
        courier = threading.Thread(target=self._run_courier)
        courier.start()
        self.addCleanup(courier.join)
        self.addCleanup(self._over.set)

    def project(self, name: str) -> Any:
        return projects.add_project(self.store, self.owner.id, {"salt-path": 1, "project": name})

    def _run_courier(self) -> None:
        while not self._over.wait(0.005):
            Courier(self.folder).run_errands()

    def name(self, **more: Any) -> None:
        wanted = Provider(self.provider.issuer, CLIENT, "Harbour accounts", **more)
        providers.set_provider(self.store, self.folder, wanted, SECRET)

    def went(self, client: FlaskClient) -> str:
        """The way back, as the provider gives it to the browser."""
        answer = client.get("/api/v1/provider/begin")
        self.assertEqual(answer.status_code, 303)
        address = answer.headers["Location"]
        self.assertTrue(address.startswith(f"{self.provider.issuer}/authorize?"), address)
        query = dict(parse_qsl(urlsplit(address).query))
        self.assertEqual(query["code_challenge_method"], "S256")
        return self.provider.authorize(query).removeprefix("http://127.0.0.1:8420")

    def came(self) -> tuple[FlaskClient, TestResponse]:
        client = self.app.test_client()
        return client, client.get(self.went(client))

    def assert_in(self, answer: TestResponse) -> None:
        self.assertEqual((answer.status_code, answer.headers["Location"]), (303, "/"))

    def assert_refused(self, client: FlaskClient, answer: TestResponse, why: str = "") -> None:
        self.assertEqual((answer.status_code, answer.headers["Location"]), (303, REFUSED))
        self.assertEqual(client.get("/api/v1/me").status_code, 401)
        if why:
            self.assertIn(why, audit.lines(self.store, audit.Wanted(), None, 1)[0].about)

    def test_whoever_is_vouched_for_comes_in_and_is_the_same_next_time(self) -> None:
        client, answer = self.came()
        self.assert_in(answer)
        me = client.get("/api/v1/me").json
        self.assertEqual((me["name"], me["administrator"]), ("Signe Holm", False))
        self.provider.says["name"] = "Another name"
        again, _ = self.came()
        self.assertEqual(again.get("/api/v1/me").json["id"], me["id"])
        self.provider.says["sub"] = "u-18"
        other, _ = self.came()
        self.assertNotEqual(other.get("/api/v1/me").json["id"], me["id"])
        self.assertEqual(self.provider.seen.count("/.well-known/openid-configuration"), 4)

    def test_a_claim_that_is_no_name_is_left_out(self) -> None:
        odd = ("", " ", "\x00", "\ud800", "\u202e", 7, None, [], {"a": 1}, "x" * 5_000)
        for number, name in enumerate(odd):
            with self.subTest(name):
                self.provider.says = {"sub": f"odd {number}", "name": name}
                client, answer = self.came()
                self.assert_in(answer)
                called = client.get("/api/v1/me").json["name"]
                self.assertIn(called, ("Somebody", "\\ud800", "x" * 200))
        self.provider.says = {"sub": "told", "name": [], "preferred_username": " Odd\tVermeer "}
        self.assertEqual(self.came()[0].get("/api/v1/me").json["name"], "Odd Vermeer")

    def test_a_claim_gives_roles_and_takes_them_away(self) -> None:
        other = self.project("Pilots")
        oid = self.harbour.oid
        given = (
            Given("look", "viewer", oid),
            Given("test", "editor", oid),
            Given("rule", "administrator"),
        )
        self.name(claim="groups", given=given)
        client, answer = self.came()
        self.assert_refused(client, answer, "has no part here")
        self.assertEqual(len(people.people(self.store)), 1, "nobody is written down for that")
        self.provider.says["groups"] = ["look", "test", "rule"]
        self.assert_in(self.came()[1])
        person = people.by_subject(self.store, f"{self.provider.issuer} u-17")
        assert person is not None
        self.assertTrue(person.administrator)
        self.assertEqual(people.roles_of(self.store, person), {self.harbour.id: "editor"})
        people.set_role(self.store, other.id, person, "runner", self.owner.id)
        self.provider.says["groups"] = "look"
        self.assert_in(self.came()[1])
        person = people.person_by_id(self.store, person.id)
        self.assertFalse(person.administrator)
        roles = {self.harbour.id: "viewer", other.id: "runner"}
        self.assertEqual(people.roles_of(self.store, person), roles)
        del self.provider.says["groups"]
        self.assert_in(self.came()[1])
        self.assertEqual(people.roles_of(self.store, person), {other.id: "runner"})

    def test_the_last_administrator_stays_one(self) -> None:
        self.name(claim="groups", given=(Given("rule", "administrator"),))
        self.provider.says["groups"] = ["rule"]
        self.came()
        people.end_person(self.store, self.owner)
        self.provider.says["groups"] = []
        client, answer = self.came()
        self.assert_in(answer)
        self.assertTrue(client.get("/api/v1/me").json["administrator"])

    def test_whoever_was_ended_here_does_not_come_in_there(self) -> None:
        self.came()
        person = people.by_subject(self.store, f"{self.provider.issuer} u-17")
        assert person is not None
        people.end_person(self.store, person)
        client, answer = self.came()
        self.assert_refused(client, answer)

    def test_tokens_that_are_not_what_they_should_be(self) -> None:
        stranger = rsa.generate_private_key(public_exponent=65537, key_size=2048)
        public = json.dumps(self.provider.public_key()).encode()
        now = int(time.time())
        bent: dict[str, dict[str, Any]] = {
            "another nonce": {"nonce": "guessed"},
            "no nonce": {"nonce": None},
            "for another": {"aud": "another"},
            "for others, too": {"aud": [CLIENT, "another"]},
            "of another issuer": {"iss": "http://127.0.0.1:9"},
            "expired": {"exp": now - 120},
            "of tomorrow": {"iat": now + 86_400},
            "not yet": {"nbf": now + 3_600},
            "nobody": {"sub": ""},
            "a number": {"sub": 17},
            "without a subject": {"sub": None},
            "without an end": {"exp": None},
        }
        for what, change in bent.items():
            with self.subTest(what):
                self.provider.bend = lambda claims, change=change: {
                    name: value for name, value in (claims | change).items() if value is not None
                }
                self.assert_refused(*self.came())
        self.provider.bend = lambda claims: claims
        kid = {"kid": "one"}
        signed: dict[str, Any] = {
            "by nobody": _unsigned,
            "by another key": lambda claims: jwt.encode(claims, stranger, "RS256", headers=kid),
            "by the public key as a secret": lambda claims: jwt.encode(
                claims, public, "HS256", headers=kid
            ),
            "by a key that is not there": lambda claims: jwt.encode(
                claims, self.provider.key, "RS256", headers={"kid": "two"}
            ),
            "changed afterwards": lambda claims: self.provider.signed(claims)[:-8] + "AAAAAAAA",
            "no token": lambda claims: "x.y",
        }
        for what, sign in signed.items():
            with self.subTest(what):
                self.provider.sign = sign
                self.assert_refused(*self.came())
        self.provider.sign = self.provider.signed
        self.assert_in(self.came()[1])

    def test_the_way_back_counts_once_and_in_one_browser(self) -> None:
        client, other = self.app.test_client(), self.app.test_client()
        back = self.went(client)
        self.assert_refused(other, other.get(back))
        self.assert_in(client.get(back))
        self.assertEqual(client.get(back).headers["Location"], REFUSED)
        begun = self.app.test_client()
        self.went(begun)
        code = back.partition("code=")[2].partition("&")[0]
        for query in ("", f"?code={code}", f"?code={code}&state=", "?state=x&error=access_denied"):
            answer = begun.get(f"/api/v1/provider/back{query}")
            self.assert_refused(begun, answer)

    def test_who_begins_often_pushes_out_nobody(self) -> None:
        client, held = self.app.test_client(), f"{cookies.STATE}-8420"
        with patch.object(provider_api, "MOST_USED", 3):
            back = self.went(client)
            for _ in range(20):
                self.went(self.app.test_client())
            kept = client.get_cookie(held, domain="127.0.0.1").value
            self.assert_in(client.get(back))
        client.set_cookie(held, kept, domain="127.0.0.1")
        refused = client.get(back)
        self.assertEqual(
            refused.headers["Location"], REFUSED, "a copy of the cookie counts no more"
        )
        late = self.app.test_client()
        back = self.went(late)
        with patch.object(provider_api.time, "time", lambda: time.time_ns() / 1e9 + 601):
            self.assert_refused(late, late.get(back))
        made_up = self.app.test_client()
        back = self.went(made_up)
        own = made_up.get_cookie(held, domain="127.0.0.1").value
        for text in ("", "x", own[:-4] + "AAAA", kept, "=" * 50, "é" * 9):
            made_up.set_cookie(held, text, domain="127.0.0.1")
            self.assert_refused(made_up, made_up.get(back))

    def test_a_code_of_somebody_elses_is_worth_nothing(self) -> None:
        thief, victim = self.app.test_client(), self.app.test_client()
        mine, theirs = self.went(thief), self.went(victim)
        state = mine.partition("state=")[2].partition("&")[0]
        code = theirs.partition("code=")[2].partition("&")[0]
        answer = thief.get(f"/api/v1/provider/back?code={code}&state={state}")
        self.assert_refused(thief, answer, "400")

    def test_a_provider_that_describes_itself_wrongly(self) -> None:
        for change in (
            {"issuer": "https://id.other.example"},
            {"authorization_endpoint": "javascript:alert(1)"},
            {"token_endpoint": "file:///etc/passwd"},
            {"jwks_uri": 7},
        ):
            with self.subTest(change):
                self.provider.describe = lambda found, change=change: found | change
                client = self.app.test_client()
                self.assert_refused(client, client.get("/api/v1/provider/begin"))

    def test_without_a_provider_nobody_is_led_away(self) -> None:
        providers.set_provider(self.store, self.folder, Provider(), "")
        self.assertEqual(self.app.test_client().get("/api/v1/provider/begin").status_code, 404)

    def test_its_secret_is_told_nowhere_and_stays_when_another_thing_changes(self) -> None:
        _, token = sessions.begin(self.store, self.owner, "", "", "link")
        client = self.app.test_client()
        client.environ_base["HTTP_ORIGIN"] = "http://127.0.0.1:8420"
        client.set_cookie("saltpath-8420", token, domain="127.0.0.1")
        path = "/api/v1/installation/provider"
        given = {
            "issuer": self.provider.issuer,
            "clientId": CLIENT,
            "claim": "groups",
            "given": ["test: editor in Fernholm Harbour", "a:b: administrator"],
        }
        answer = client.patch(path, json=given)
        self.assertEqual(answer.status_code, 200, answer.text)
        self.assertEqual(answer.json["given"], given["given"])
        self.assertTrue(answer.json["hasSecret"])
        self.assertNotIn(SECRET.encode(), answer.data + client.get(path).data)
        self.assertEqual(providers.secret_of(self.store, self.folder), SECRET)
        rows = self.store.execute("SELECT value FROM installation").fetchall()
        self.assertFalse([row for row in rows if SECRET in row["value"]])
        for wrong in (
            {"issuer": "ftp://id.example"},
            {"issuer": "http://id.example"},
            {"issuer": "https://id.example/#f"},
            {"issuer": "https://id.example/?q"},
            {"issuer": "https://u:p@id.example"},
            {"given": ["test: editor in Nowhere"]},
            {"given": ["test: king in Fernholm Harbour"]},
            {"given": ["administrator"]},
        ):
            with self.subTest(wrong):
                self.assertEqual(client.patch(path, json=given | wrong).status_code, 422)
        for change in ({"called": "One"}, {"claim": "roles"}, {"newcomers": True}):
            client.patch(path, json=change)  # as from tabs that do not know of one another
        held = client.get(path).json
        self.assertEqual((held["called"], held["claim"], held["newcomers"]), ("One", "roles", True))
        other = given | {"issuer": "https://id.other.example"}
        self.assertFalse(
            client.patch(path, json=other).json["hasSecret"], "it is not sent elsewhere"
        )
