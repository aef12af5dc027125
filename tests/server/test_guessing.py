"""What is tried at the door: passwords and codes guessed, how long it takes, and what is told;
where a password stands."""

from __future__ import annotations

import io
import logging
import random
import time
import unittest
import zipfile
from contextlib import closing
from unittest.mock import patch

import pyotp
from argon2 import PasswordHasher

from saltpath.server.entry import codes, delays, passwords
from saltpath.server.entry.delays import FREE, LONGEST_S, Delays, place_of
from saltpath.store import links, people, second_factors
from saltpath.store.backup import back_up
from saltpath.store.database import connect
from tests.entering import PASSWORD, QUICK, Entering, p_of_ranks

TRIES = 400


class Guessing(Entering):
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


if __name__ == "__main__":
    unittest.main()
