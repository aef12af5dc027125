"""Coming in: passwords, sessions, links, second factors, keys, and working alone; what strangers
try there, and what they do not learn."""

from __future__ import annotations

import contextlib
import io
import logging
import math
import random
import sqlite3
import tempfile
import threading
import time
import unittest
import zipfile
from collections import Counter
from contextlib import closing
from pathlib import Path
from typing import Any
from unittest.mock import patch

import pyotp
from argon2 import PasswordHasher
from flask.testing import FlaskClient
from werkzeug.test import TestResponse

from saltpath.server.api import entry_api
from saltpath.server.app import make_app
from saltpath.server.entry import codes, delays, pace, passwords
from saltpath.server.entry.delays import FREE, LONGEST_S, Delays, place_of
from saltpath.server.problems import Refused
from saltpath.store import access_keys, audit, links, people, projects, second_factors, sessions
from saltpath.store.backup import back_up
from saltpath.store.database import Conflict, connect, migrate, write
from saltpath.store.people import Person

PASSWORD = "kelp anvil marsh ninety"
TRIES = 400
QUICK = PasswordHasher(time_cost=1, memory_cost=2_048, parallelism=1)
"""Weaker than what is used, so that what else takes time shows more."""


class Browser(FlaskClient):
    """Asks at the port where an installation usually is."""

    def open(self, *args: Any, **kwargs: Any) -> TestResponse:
        kwargs.setdefault("base_url", "http://127.0.0.1:8420")
        return super().open(*args, **kwargs)


def p_of_ranks(a: list[int], b: list[int]) -> float:
    """How likely two samples of one distribution would differ as much in their ranks (Mann and
    Whitney, by the normal distribution)."""
    both = sorted([(value, 0) for value in a] + [(value, 1) for value in b])
    ranks = sum(rank for rank, (_, which) in enumerate(both, 1) if which == 0)
    u = ranks - len(a) * (len(a) + 1) / 2
    spread = math.sqrt(len(a) * len(b) * (len(a) + len(b) + 1) / 12)
    return math.erfc(abs(u - len(a) * len(b) / 2) / spread / math.sqrt(2))


class Entry(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory())) / "data"
        migrate(self.folder)
        self.store = self.enterContext(closing(connect(self.folder)))
        self.enterContext(patch.object(passwords, "_hasher", QUICK))
        passwords._nobodys.cache_clear()
        self.addCleanup(passwords._nobodys.cache_clear)
        self.owner = people.local_owner(self.store)
        self.app = make_app(self.folder)
        self.app.test_client_class = Browser

    def client(self, **headers: str) -> FlaskClient:
        """A browser, with a cookie jar of its own."""
        client = self.app.test_client()
        client.environ_base["HTTP_ORIGIN"] = "http://127.0.0.1:8420"
        for name, value in headers.items():
            client.environ_base[f"HTTP_{name.upper()}"] = value
        return client

    def post(self, client: FlaskClient, path: str, body: Any = None, **more: Any) -> TestResponse:
        return client.post(f"/api/v1{path}", json={} if body is None else body, **more)

    def person(self, name: str = "odd", password: str = PASSWORD) -> Person:
        person = people.add_person(self.store, name.title(), name)
        people.set_password(self.store, person, passwords.hashed(password))
        return people.person_by_id(self.store, person.id)

    def sign_in(
        self, client: FlaskClient, name: str, password: str = PASSWORD, **more: Any
    ) -> TestResponse:
        return self.post(client, "/sign-in", {"name": name, "password": password, **more})

    def me(self, client: FlaskClient) -> Any:
        return client.get("/api/v1/me")

    # ---- the first start

    def test_the_first_link_makes_the_owner_once(self) -> None:
        token, client = links.link_of_owner(self.store), self.client()
        self.assertEqual(self.post(client, "/links/look", {"token": token}).json["kind"], "own")
        weak = {"token": token, "name": "Ines", "signIn": "ines", "password": "ines ines ines"}
        self.assertEqual(self.post(client, "/links/use", weak).status_code, 422)
        given = {**weak, "password": PASSWORD}
        self.assertEqual(self.post(client, "/links/use", given).status_code, 200)
        self.assertTrue(self.me(client).json["administrator"])
        self.assertEqual(self.post(client, "/links/use", given).status_code, 404)
        self.assertEqual(links.link_of_owner(self.store), "", "it has an owner now")

    def test_a_newer_first_link_takes_the_place_of_the_one_before(self) -> None:
        before, now = links.link_of_owner(self.store), links.link_of_owner(self.store)
        client = self.client()
        self.assertEqual(self.post(client, "/links/look", {"token": before}).status_code, 404)
        self.assertEqual(self.post(client, "/links/look", {"token": now}).status_code, 200)

    def test_a_link_that_many_use_at_once_lets_one_in(self) -> None:
        link, token = links.add_link(self.store, "enter", None, person=self.owner)
        statuses: list[int] = []

        def use() -> None:
            statuses.append(self.post(self.client(), "/links/use", {"token": token}).status_code)

        threads = [threading.Thread(target=use) for _ in range(12)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(Counter(status == 200 for status in statuses)[True], 1, statuses)

    def test_an_invitation_gives_its_part_and_takes_none(self) -> None:
        project = projects.add_project(
            self.store, self.owner.id, {"salt-path": 1, "project": "P"}
        ).id
        odd = self.person()
        people.set_role(self.store, project, odd, "owner", self.owner.id)
        _, token = links.add_link(
            self.store, "join", self.owner.id, project=project, role="viewer", name="Odd"
        )
        client = self.client()
        self.sign_in(client, "odd")
        asked = {"token": token, "asMe": True}
        self.assertEqual(self.post(client, "/links/use", asked).status_code, 200)
        self.assertEqual(people.role_in(self.store, odd, project), "owner", "he stays what he was")
        _, token = links.add_link(
            self.store, "join", self.owner.id, project=project, role="viewer", name="Siv"
        )
        new = {"token": token, "name": "Siv", "signIn": "SIV", "password": PASSWORD}
        taken = self.post(self.client(), "/links/use", {**new, "signIn": "Odd"})
        self.assertEqual((taken.status_code, taken.json["code"]), (409, "taken"))
        self.assertEqual(self.post(self.client(), "/links/use", new).status_code, 200)
        siv = people.by_sign_in(self.store, "siv")
        self.assertEqual(people.role_in(self.store, siv, project), "viewer")

    # ---- alone on this machine

    def test_alone_only_on_this_machine_itself(self) -> None:
        token = links.link_of_owner(self.store)
        use = {"token": token, "alone": True}
        far = self.client(x_forwarded_for="192.0.2.7")
        self.assertEqual(self.post(far, "/links/use", use).status_code, 403)
        self.assertEqual(self.post(self.client(), "/links/use", use).status_code, 200)
        near = self.client()
        self.assertEqual(self.me(near).json["way"], "alone")
        for header in ("forwarded", "x_forwarded_for", "x_real_ip", "via", "x_forwarded_host"):
            self.assertEqual(self.me(self.client(**{header: "a"})).status_code, 401, header)
        from_elsewhere = near.get("/api/v1/me", environ_base={"REMOTE_ADDR": "192.0.2.7"})
        self.assertEqual(from_elsewhere.status_code, 401)
        for host, names in (("0.0.0.0", ()), ("127.0.0.1", ("salt.example",)), ("192.0.2.1", ())):
            app = make_app(self.folder, host, names)
            answer = app.test_client().get("/api/v1/me", headers={"Host": "127.0.0.1"})
            self.assertEqual(answer.status_code, 401, (host, names))

    def test_going_back_to_sign_in_wants_somebody_who_can(self) -> None:
        people.set_alone(self.store, True)
        client = self.client()
        refused = client.put("/api/v1/alone", json={"alone": False})
        self.assertEqual(refused.status_code, 409)
        set_first = client.put("/api/v1/password", json={"old": "", "new": PASSWORD})
        self.assertEqual(set_first.status_code, 200)
        self.assertEqual(client.put("/api/v1/alone", json={"alone": False}).status_code, 200)
        self.assertEqual(self.me(client).status_code, 401)

    # ---- sessions

    def test_a_session_is_a_new_one_at_each_sign_in(self) -> None:
        """Session fixation: a cookie that somebody else has set is never made valid."""
        self.person()
        client = self.client()
        client.set_cookie("saltpath-8420", "planted", domain="127.0.0.1")
        answer = self.sign_in(client, "odd")
        given = answer.headers.getlist("Set-Cookie")[0]
        self.assertNotIn("planted", given)
        for part in ("HttpOnly", "SameSite=Lax", "Path=/"):
            self.assertIn(part, given)
        self.assertNotIn("Domain", given)
        first = client.get_cookie("saltpath-8420", domain="127.0.0.1")
        self.sign_in(client, "odd")
        other = self.client()
        other.set_cookie("saltpath-8420", first.value, domain="127.0.0.1")
        self.assertEqual(self.me(other).status_code, 401, "the one before has ended")

    def test_over_tls_the_cookie_is_for_this_host_alone(self) -> None:
        self.person()
        answer = self.client().post(
            "/api/v1/sign-in",
            json={"name": "odd", "password": PASSWORD},
            base_url="https://127.0.0.1:8420",
            headers={"Origin": "https://127.0.0.1:8420"},
        )
        for given in answer.headers.getlist("Set-Cookie"):
            self.assertTrue(given.startswith("__Host-saltpath"), given)
            self.assertIn("; Secure", given)

    def test_sessions_end_everywhere_at_once(self) -> None:
        odd = self.person()
        first, second = self.client(), self.client()
        self.sign_in(first, "odd")
        self.sign_in(second, "odd")
        items = first.get("/api/v1/sessions").json["items"]
        self.assertEqual([item["here"] for item in items], [False, True])
        self.assertEqual(first.delete(f"/api/v1/sessions/{items[0]['id']}").status_code, 200)
        self.assertEqual(self.me(second).status_code, 401)
        self.sign_in(second, "odd")
        other = {"old": PASSWORD, "new": "gull rope ninety kelp"}
        self.assertEqual(second.put("/api/v1/password", json=other).json["ended"], 1)
        self.assertEqual((self.me(first).status_code, self.me(second).status_code), (401, 200))
        people.end_person(self.store, odd)
        self.assertEqual(self.me(second).status_code, 401)
        self.assertEqual(self.sign_in(second, "odd", other["new"]).status_code, 401)

    def test_a_session_that_has_run_out_is_none(self) -> None:
        odd = self.person()
        with patch.object(sessions, "LASTS_US", -1):
            _, token = sessions.begin(self.store, odd, "", "", "password")
        self.assertIsNone(sessions.of_token(self.store, token))

    def test_a_stream_ends_with_its_session(self) -> None:
        odd = self.person()
        project = projects.add_project(self.store, self.owner.id, {"salt-path": 1, "project": "P"})
        people.set_role(self.store, project.id, odd, "viewer", self.owner.id)
        for end in (
            lambda: sessions.end_all(self.store, odd),
            lambda: people.set_role(self.store, project.id, odd, None, self.owner.id),
        ):
            people.set_role(self.store, project.id, odd, "viewer", self.owner.id)
            client = self.client()
            self.sign_in(client, "odd")
            stream = client.get(
                f"/api/v1/events/stream?project={project.oid}", buffered=False
            ).response
            pieces = iter(stream)
            self.assertIn(b"retry", next(pieces))
            end()
            begun = time.monotonic()
            self.assertLessEqual(len(list(pieces)), 2)
            self.assertLess(time.monotonic() - begun, 4)

    def test_a_cookie_changes_nothing_from_elsewhere(self) -> None:
        self.person()
        client = self.client()
        self.sign_in(client, "odd")
        change = {"name": "Mallory"}
        for origin in ("http://evil.example", "null", "http://127.0.0.1:8421", ""):
            answer = client.patch("/api/v1/me", json=change, headers={"Origin": origin})
            self.assertEqual(answer.status_code, 403, origin)
        for site in ("cross-site", "same-site"):
            answer = client.patch("/api/v1/me", json=change, headers={"Sec-Fetch-Site": site})
            self.assertEqual(answer.status_code, 403, site)
        del client.environ_base["HTTP_ORIGIN"]
        self.assertEqual(client.patch("/api/v1/me", json=change).status_code, 403)

    # ---- passwords

    def test_no_such_name_takes_as_long_as_a_wrong_password(self) -> None:
        self.person()
        self.enterContext(patch.object(Delays, "begin", lambda *_: 0.0))
        self.assertGreater(self.p_of_same_time(), 0.001)
        with patch.object(passwords, "fits", self.quicker_for_nobody):
            self.assertLess(self.p_of_same_time(), 1e-6, "and it would be seen")

    @staticmethod
    def quicker_for_nobody(stored: str, password: str) -> bool:
        if not stored:
            return False
        try:
            return QUICK.verify(stored, password)
        except Exception:
            return False

    def p_of_same_time(self) -> float:
        """How likely two kinds of tries would differ so much if they took the same time."""
        client, times = self.client(), {"odd": list[int](), "nobody": list[int]()}
        for _ in range(TRIES // 2):
            for name in random.Random(len(times["odd"])).sample(list(times), 2):
                begun = time.perf_counter_ns()
                answer = self.sign_in(client, name, "not this one")
                times[name].append(time.perf_counter_ns() - begun)
                self.assertEqual(answer.json["code"], "wrong")
        a, b = times.values()
        return p_of_ranks(a, b)

    def test_passwords_that_are_guessed_first_are_refused(self) -> None:
        for password in (
            "short one",
            "Password1234",
            "qwertyuiopas",
            "111111111111",
            "saltpath2026",
            "odd vermeer 1",
            "x" * 201,
        ):
            self.assertNotEqual(passwords.fault(password, "Odd Vermeer", "odd"), "", password)
        for password in (
            PASSWORD,
            "et hav av grå stein",
            "🐚🐚 skjell på stranda",
            " " * 3 + PASSWORD,
        ):
            self.assertEqual(passwords.fault(password, "Odd Vermeer", "odd"), "", password)

    def test_a_password_is_hashed_anew_when_the_parameters_are_others(self) -> None:
        odd = self.person()
        before = people.password_of(self.store, odd)
        stronger = PasswordHasher(time_cost=2, memory_cost=2_048, parallelism=1)
        with patch.object(passwords, "_hasher", stronger):
            self.assertEqual(self.sign_in(self.client(), "odd").status_code, 200)
        after = people.password_of(self.store, odd)
        self.assertNotEqual(before, after)
        self.assertIn("$argon2id$", after)

    def test_the_real_parameters_are_those_that_are_promised(self) -> None:
        self.assertEqual((passwords.MEMORY_KIB, passwords.ROUNDS, passwords.LANES), (19_456, 2, 1))

    def test_a_password_stands_nowhere(self) -> None:
        """Neither in the databases, nor in what is logged, nor in a backup; nor does a token."""
        secret, wrong = "harbour lantern 77 osprey", "mistyped lantern 78 osprey"
        logged = io.StringIO()
        handler = logging.StreamHandler(logged)
        logging.getLogger().addHandler(handler)
        self.addCleanup(logging.getLogger().removeHandler, handler)
        token = links.link_of_owner(self.store)
        client, said = self.client(), []
        own = {"token": token, "name": "Ines", "signIn": "ines", "password": secret}
        tokens = [token]
        for answer in (
            self.post(client, "/links/use", own),
            self.sign_in(self.client(), "ines", wrong),
            self.sign_in(self.client(), wrong, wrong),
            self.sign_in(self.client(), "ines", secret),
            client.put("/api/v1/password", json={"old": wrong, "new": secret}),
            self.post(client, "/sign-in", {"name": "ines", "password": [secret]}),
        ):
            said.append(answer.get_data(as_text=True))
        made = self.post(client, "/keys", {"name": "K", "scopes": ["run"], "days": 1})
        tokens.append(made.json["text"][-43:])
        tokens.append(client.get_cookie("saltpath-8420", domain="127.0.0.1").value)
        archive = self.folder.parent / "all.zip"
        back_up(self.folder, archive)
        with zipfile.ZipFile(archive) as packed:
            held = [packed.read(name) for name in packed.namelist()]
        held += [file.read_bytes() for file in self.folder.iterdir() if file.is_file()]
        held += [logged.getvalue().encode(), *(text.encode() for text in said)]
        for text in (secret, wrong, *tokens):
            self.assertFalse([one for one in held if text.encode() in one], text)

    # ---- trying often

    def test_who_fails_waits_longer_each_time_and_holds_up_nobody_else(self) -> None:
        now = [0.0]
        held = Delays(lambda: now[0])
        waits = []
        for _ in range(30):
            wait = held.begin("odd", "192.0.2.7", False)
            waits.append(wait)
            now[0] += wait
        self.assertEqual(waits[:FREE], [0.0] * FREE)
        grown = [wait for wait in waits[FREE:] if wait]
        self.assertEqual(grown[:4], [1.0, 2.0, 4.0, 8.0])
        self.assertEqual(grown, sorted(grown))
        self.assertEqual(grown[-1], LONGEST_S)
        self.assertEqual(held.begin("odd", "192.0.2.8", False), 0.0, "another place")
        self.assertEqual(held.begin("siv", "192.0.2.7", False), 0.0, "another name")
        self.assertEqual(held.begin("odd", "browser x", True), 0.0, "his own browser")

    def test_from_everywhere_at_once_only_known_browsers_go_on(self) -> None:
        now = [0.0]
        held = Delays(lambda: now[0])
        held.begin("odd", "198.51.100.1", False)
        held.succeeded("odd", "198.51.100.1")
        tried = sum(held.begin("odd", f"10.0.{n // 250}.{n % 250}", False) == 0 for n in range(500))
        self.assertLessEqual(tried, delays.MOST_OF_NAME)
        self.assertEqual(held.begin("odd", "browser x", True), 0.0)
        self.assertEqual(held.begin("odd", "198.51.100.1", False), 0.0, "he came from there before")
        self.assertGreater(held.begin("odd", "203.0.113.5", False), 0.0)
        now[0] += 3_600
        self.assertEqual(held.begin("odd", "203.0.113.5", False), 0.0)

    def test_many_names_from_one_place_are_slowed(self) -> None:
        held = Delays(lambda: 0.0)
        tried = sum(held.begin(f"name {n}", "192.0.2.7", False) == 0 for n in range(1_000))
        self.assertEqual(tried, delays.MOST_OF_PLACE)

    def test_places(self) -> None:
        self.assertEqual(place_of("2001:db8:1:2:3::4"), place_of("2001:db8:1:2:ffff::9"))
        self.assertNotEqual(place_of("2001:db8:1:2::4"), place_of("2001:db8:1:3::4"))
        self.assertEqual(place_of("::ffff:192.0.2.7"), "192.0.2.7")

    def test_too_many_tries_are_told_how_long_to_wait(self) -> None:
        self.person()
        client = self.client()
        statuses = [self.sign_in(client, "odd", "no").status_code for _ in range(FREE + 2)]
        self.assertEqual(statuses, [401] * FREE + [429] * 2)
        told = self.sign_in(client, "odd")
        self.assertEqual(told.headers["Retry-After"], "1")
        known = self.client()
        with patch.object(Delays, "begin", lambda *_: 0.0):
            self.sign_in(known, "odd")
        self.assertEqual(self.sign_in(known, "odd").status_code, 200, "his own browser goes on")

    def test_what_is_held_of_tries_does_not_grow(self) -> None:
        held = Delays(lambda: 0.0)
        with patch.object(delays, "MOST_HELD", 100):
            for n in range(1_000):
                held.begin(f"name {n}", f"place {n}", False)
        self.assertLessEqual(len(held._failures), 100)

    # ---- second factors

    def test_a_code_is_asked_and_counts_once(self) -> None:
        odd = self.person()
        client = self.client()
        self.sign_in(client, "odd")
        secret = self.post(client, "/second-factor/begin").json["secret"]
        now = pyotp.TOTP(secret)
        wrong = {"secret": secret, "code": "000000", "password": PASSWORD}
        self.assertEqual(client.put("/api/v1/second-factor", json=wrong).status_code, 422)
        given = {**wrong, "code": now.now(), "password": "not this one"}
        self.assertEqual(client.put("/api/v1/second-factor", json=given).status_code, 403)
        made = client.put("/api/v1/second-factor", json={**given, "password": PASSWORD}).json
        self.assertEqual(len(made["codes"]), codes.CODES)
        other = self.client()
        self.assertEqual(self.sign_in(other, "odd").json["code"], "second-factor")
        used = self.sign_in(other, "odd", code=now.now())
        self.assertEqual(used.json["code"], "second-factor", "it was used when it was set")
        with patch.object(codes.time, "time", lambda: time.time_ns() / 1e9 + codes.STEP_S):
            later = now.at(time.time() + codes.STEP_S)
            self.assertEqual(self.sign_in(other, "odd", code=later).status_code, 200)
            again = self.sign_in(self.client(), "odd", code=later)
            self.assertEqual(again.status_code, 401)
        kept = made["codes"][0]
        self.assertEqual(self.sign_in(self.client(), "odd", code=kept.upper()).status_code, 200)
        self.assertEqual(self.sign_in(self.client(), "odd", code=kept).status_code, 401)
        self.assertEqual(second_factors.codes_left(self.store, odd), codes.CODES - 1)
        with closing(connect(self.folder)) as store:
            row = store.execute("SELECT second FROM person WHERE id = ?", (odd.id,)).fetchone()
        self.assertNotIn(secret.encode(), row["second"])

    def test_guessing_codes_is_slowed_though_the_password_is_known(self) -> None:
        odd = self.person()
        second_factors.set_second(self.store, self.folder, odd, codes.new_secret(), [])
        client, statuses = self.client(), []
        for number in range(12):
            self.sign_in(client, "odd")
            statuses.append(self.sign_in(client, "odd", code=f"{number:06}").status_code)
        self.assertIn(429, statuses[:4])

    def test_codes_are_those_of_the_standard(self) -> None:
        """RFC 6238, appendix B, its last six digits."""
        secret = "GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ"
        for moment, code in ((59, "287082"), (1111111109, "081804"), (20000000000, "353130")):
            self.assertEqual(codes.step_of(secret, code, moment), moment // 30)
        self.assertIsNone(codes.step_of(secret, "287082", 59 + 90))
        for odd in ("", "²²²²²²", "28708", "2870822", "\ud800", "abcdef"):
            self.assertIsNone(codes.step_of(secret, odd, 59))

    # ---- keys

    def test_a_key_ends_and_is_found_by_what_it_begins_with(self) -> None:
        key, text = access_keys.add_key(self.store, self.owner, "K", ["read"], 1, None)
        self.assertRegex(text, access_keys.PATTERN)
        self.assertTrue(text.startswith(key.begins))
        client = self.client(authorization=f"Bearer {text}")
        self.assertEqual(client.get("/api/v1/projects").status_code, 200)
        used = access_keys.key(self.store, key.oid)
        self.assertEqual((used.used_from, used.used_at is not None), ("127.0.0.1", True))
        for wrong in (text[:-1], text + "x", "", "Bearer", text.upper(), "saltpath_key_x"):
            answer = self.client(authorization=f"Bearer {wrong}").get("/api/v1/projects")
            self.assertEqual(answer.status_code, 401, wrong)
            self.assertIn("Bearer", answer.headers["WWW-Authenticate"])
        access_keys.end_key(self.store, key)
        self.assertEqual(client.get("/api/v1/projects").status_code, 401)
        _, old = access_keys.add_key(self.store, self.owner, "K", ["read"], -1, None)
        answer = self.client(authorization=f"Bearer {old}").get("/api/v1/projects")
        self.assertEqual(answer.status_code, 401, "its days are over")

    def test_a_key_that_is_none_is_not_mended_by_a_cookie(self) -> None:
        self.person()
        client = self.client()
        self.sign_in(client, "odd")
        answer = client.get("/api/v1/me", headers={"Authorization": "Bearer x"})
        self.assertEqual(answer.status_code, 401)

    # ---- what costs much

    def test_what_costs_much_is_done_a_few_times_at_once_for_each(self) -> None:
        held = pace.Pace()
        with contextlib.ExitStack() as turns:
            for _ in range(pace.MOST_AT_ONCE):
                turns.enter_context(held.turn("odd"))
            with self.assertRaises(Refused), held.turn("odd"):
                self.fail("one more")
            with held.turn("siv"):
                pass
        with held.turn("odd"):
            pass
        people.set_alone(self.store, True)
        made = self.post(self.client(), "/projects", {"name": "P"}).json["id"]
        with patch.object(pace, "MOST_AT_ONCE", 0):
            answer = self.client().get(f"/api/v1/projects/{made}/folder")
            self.assertEqual((answer.status_code, answer.headers["Retry-After"]), (429, "2"))
        self.assertEqual(self.client().get(f"/api/v1/projects/{made}/folder").status_code, 200)

    # ---- who did what

    def test_what_was_done_is_not_changed_and_is_kept(self) -> None:
        audit.write_down(self.store, audit.Act("signIn", "signed in", "session"))
        for statement in ("UPDATE audit SET about = 'x'", "DELETE FROM audit"):
            with self.assertRaises(sqlite3.IntegrityError, msg=statement), write(self.store):
                self.store.execute(statement)
        with write(self.store):
            self.store.execute(
                "INSERT INTO audit (at, way, place, operation, thing, about) VALUES (1, 'key', '', "
                "'x', '', 'long ago')"
            )
            self.store.execute("DELETE FROM audit WHERE at = 1")
        told = audit.lines(self.store, audit.Wanted(), None, 10)
        self.assertEqual([line.about for line in told], ["signed in"])

    def test_nobody_is_left_without_an_administrator(self) -> None:
        for act in (people.end_person, lambda s, p: people.set_administrator(s, p, False)):
            with self.assertRaises(Conflict):
                act(self.store, self.owner)

    def test_names_of_people_are_no_formulas_and_no_markup(self) -> None:
        people.set_alone(self.store, True)
        client = self.client()
        name = '=HYPERLINK("http://evil")<script>'
        client.patch("/api/v1/me", json={"name": name})
        told = client.get("/api/v1/installation/audit/file")
        self.assertIn("'=HYPERLINK", told.get_data(as_text=True))
        self.assertEqual(told.mimetype, "text/csv")

    def test_the_installation_says_nothing_of_itself_to_strangers(self) -> None:
        client = self.client()
        for path in ("/api/v1/openapi", "/api/v1/projects", "/api/v1/format", "/api/v1/storage"):
            self.assertIn(client.get(path).status_code, (401, 404), path)
        told = client.get("/api/v1/health")
        self.assertNotIn("Server", told.headers)
        self.assertEqual(set(told.json), {"state"})
        self.assertEqual(entry_api.WRONG, self.sign_in(client, "x", "y").json["title"])


if __name__ == "__main__":
    unittest.main()
