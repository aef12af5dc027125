"""Where requests may go, with real servers: however an address is written, whoever leads there, and
also for tokens, proxies and databases."""

from __future__ import annotations

import socket
import unittest
from unittest.mock import patch
from urllib.parse import urlsplit

from saltpath.core.running.reach import Reach, read_rule
from saltpath.core.values.why import Blocked
from saltpath.engine import postgres
from saltpath.engine.connections import Place
from saltpath.store import people, reaching
from saltpath.store.database import connect, migrate
from tests.engine.test_redirects import answering, case, led_to, raw_server
from tests.harbour import run_text

CLOSED = Reach(nearby=False)
WRITTEN = (
    "127.0.0.1",
    "localhost",
    "127.1",
    "2130706433",
    "0x7f000001",
    "0x7f.1",
    "0177.0.0.1",
    "017700000001",
    "0.0.0.0",
    "0",
    "[::ffff:127.0.0.1]",
    "[::ffff:7f00:1]",
    "[::]",
    "LOCALHOST.",
)
"""This machine, as attackers write it."""


class Reaching(unittest.TestCase):
    def code(self, step: str, reach: Reach, **more: str) -> str:
        found = run_text(case(step), reach=reach, **more).cases[0].steps[0]
        return found.why.code if found.why else found.verdict

    def test_this_machine_however_it_is_written(self) -> None:
        heads: list[bytes] = []
        with raw_server(answering(heads, lambda _: led_to("/", 200))) as (here, _):
            port = urlsplit(here).port
            for host in WRITTEN:
                step = f"  - {{ request: A, send: 'GET http://{host}:{port}/' }}\n"
                with self.subTest(host):
                    self.assertIn(
                        self.code(step, CLOSED), ("reach-nearby", "no-host", "refused"), host
                    )
            self.assertEqual(heads, [], "nothing was asked")
            open_step = f"  - {{ request: A, send: 'GET http://127.0.0.1:{port}/' }}\n"
            self.assertEqual(self.code(open_step, Reach()), "unchecked")
            opened = Reach(nearby=False, allow=(read_rule(f"127.0.0.1:{port}"),))
            self.assertEqual(self.code(open_step, opened), "unchecked")

    def test_a_redirect_to_where_machines_find_their_keys(self) -> None:
        for to in (
            "http://169.254.169.254/latest/meta-data/",
            "http://[::ffff:169.254.169.254]/",
            "http://2852039166/",
            "http://0xa9fea9fe/",
            "http://[fe80::1]/",
        ):
            with (
                self.subTest(to),
                raw_server(answering([], lambda _, to=to: led_to(to, 302))) as (here, _),
            ):
                step = f"  - {{ request: A, send: 'GET {here}/' }}\n"
                self.assertEqual(self.code(step, Reach()), "reach-special")

    def test_a_name_that_is_led_elsewhere(self) -> None:
        """A name that may be asked, and is looked up as this machine: what counts is the address
        that is connected to."""
        with raw_server(answering([], lambda _: led_to("/", 200))) as (here, _):
            port = urlsplit(here).port
            reach = Reach(nearby=False, allow=(read_rule("localhost"),))
            step = f"  - {{ request: A, send: 'GET http://localhost:{port}/' }}\n"
            self.assertEqual(self.code(step, reach), "reach-nearby")
            denied = Reach(deny=(read_rule("localhost"),))
            self.assertEqual(self.code(step, denied), "reach-denied")
            by_number = step.replace("localhost", "127.0.0.1")
            self.assertEqual(self.code(by_number, denied), "unchecked", "the name was meant")

    def test_where_tokens_come_from_and_through_a_proxy(self) -> None:
        heads: list[bytes] = []
        with raw_server(answering(heads, lambda _: led_to("/", 200))) as (here, _):
            step = (
                "  - request: A\n    send: GET http://192.0.2.1/\n    auth: { oauth2: { token url: "
                f"'{here}/token', client id: a, client secret: b }} }}\n"
            )
            found = run_text(case(step), reach=CLOSED).cases[0].steps[0]
            self.assertEqual(found.verdict, "blocked")
            by_proxy = (
                "  - {{ request: A, send: 'GET http://{to}/', options: {{ proxy: '{proxy}' }} }}\n"
            )
            self.assertEqual(
                self.code(by_proxy.format(to="192.0.2.1", proxy=here), CLOSED), "reach-nearby"
            )
            self.assertEqual(heads, [])
            for to in ("169.254.169.254", "2852039166", "[fe80::1]"):
                self.assertEqual(
                    self.code(by_proxy.format(to=to, proxy=here), Reach()), "reach-special", to
                )
            self.assertEqual(heads, [], "the proxy was asked for nothing")

    def test_a_database_is_asked_at_the_address_that_was_looked_at(self) -> None:
        answers = iter(["9.9.9.9", "127.0.0.1"])

        def look_up(host: str, port: int, **_: object) -> list[object]:
            return [(socket.AF_INET, socket.SOCK_STREAM, 6, "", (next(answers), port))]

        with patch.object(postgres.socket, "getaddrinfo", look_up):
            self.assertEqual(postgres._looked_up("h.example", 5432, CLOSED), "9.9.9.9")
            with self.assertRaises(Blocked) as caught:
                postgres._looked_up("h.example", 5432, CLOSED)
            self.assertIn("private network", caught.exception.reason.sentence)
        for host in ("/var/run/postgresql", "@abstract", "a,b"):
            with self.assertRaises(Blocked):
                postgres._looked_up(host, 5432, CLOSED)
        place = Place("postgres", "127.0.0.1:1/x")
        with self.assertRaises(Blocked) as caught:
            postgres.Postgres(place, CLOSED)
        self.assertIn("private network", caught.exception.reason.sentence)


class Said(unittest.TestCase):
    def test_private_networks_follow_from_who_comes_here(self) -> None:
        import tempfile
        from contextlib import closing
        from pathlib import Path

        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        migrate(folder)
        with closing(connect(folder)) as store:
            people.local_owner(store)
            self.assertTrue(reaching.reach(store, 8420).nearby)
            reaching.say_shared(store, True)
            self.assertFalse(reaching.reach(store, 8420).nearby)
            reaching.say(store, reaching.Said(nearby=True, deny=("*.internal",)))
            self.assertTrue(reaching.reach(store, 8420).nearby)
            self.assertEqual(reaching.reach(store, 8420).deny[0].name, "*.internal")


if __name__ == "__main__":
    unittest.main()
