"""Hostile answers: each is blocked with its reason within limits of time and memory, and the next
step runs (bars, F3)."""

import resource
import socket
import threading
import time
import unittest

from tests.harbour import case, harbour, run_text

OPTIONS = "on failure: go on\noptions: { largest body: 5 MB }\n"
LATE = ("slow", "drip")  # they are given 700 ms; the others as long as a slow machine may need
KINDS = {
    "slow": ("timed-out", "no complete answer within 700 ms"),
    "cut": ("cut", "the connection was cut in the middle of the answer, after 11 B of the body"),
    "hang-up": ("cut", "the connection was cut"),
    "endless": ("too-large", "the answer is larger than 5 MB"),
    "drip": ("timed-out", "no complete answer within 700 ms"),
    "bad-gzip": ("bad-encoding", "the body says it is gzip, and is not"),
    "cut-gzip": ("bad-encoding", "it ends too early"),
    "odd-encoding": ("unknown-encoding", "encoded as brine"),
    "bomb": ("too-large", "the answer is larger than 5 MB"),
    "deep": ("too-deep", "nested deeper than 1000 levels"),
    "long-headers": ("headers-too-large", "headers are larger than 150 kB"),
    "long-line": ("headers-too-large", "headers are larger than 150 kB"),
    "short": ("cut", "the connection was cut in the middle of the answer"),
    "not-http": ("not-http", "is not HTTP"),
    "bad-length": ("not-http", "is not HTTP"),
    "bad-chunks": ("cut", "the connection was cut"),
    "loop": ("redirect-loop", "the redirects go in a circle"),
    "many-redirects": ("redirect-many", "more than 10 redirects"),
    "redirect-elsewhere": ("redirect-nowhere", "only http and https are followed"),
}


def step(address: str, timeout: str = "30 s") -> str:
    return (
        f'  - {{ request: try, send: "GET {address}", options: {{ timeout: {timeout} }}, '
        f"expect: [ {{ of: status, is: 200 }} ] }}\n"
    )


WELL = step("[=harbour]/pilots")


class Hostile(unittest.TestCase):
    def test_every_kind_blocks_with_its_reason_and_the_next_step_runs(self):
        for kind, (code, words) in KINDS.items():
            with self.subTest(kind):
                memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
                begun = time.monotonic()
                tried = step(
                    f"[=harbour]/faults/{kind}?ms=60000", "700 ms" if kind in LATE else "30 s"
                )
                results = run_text(case(tried + WELL, OPTIONS))
                bad, well = results.cases[0].steps
                self.assertEqual(
                    (bad.verdict, bad.why and bad.why.code),
                    ("blocked", code),
                    bad.why and bad.why.sentence,
                )
                self.assertIn(words, bad.why.sentence)
                self.assertEqual(well.verdict, "passed")
                self.assertLess(time.monotonic() - begun, 15)
                grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - memory
                self.assertLess(grown, 120_000, "kB")

    def test_bodies_that_are_not_what_they_say_fail_the_checks_that_need_them(self):
        for kind, code in (("malformed", "not-json"), ("wrong-type", "not-json-but-marked-up")):
            check = (
                f'  - {{ request: a, send: "GET [=harbour]/faults/{kind}", expect: [ {{ of: '
                f"status, is: 200 }}, {{ of: $.id, present: true }} ] }}\n"
            )
            found = run_text(case(check)).cases[0].steps[0]
            self.assertEqual([outcome.verdict for outcome in found.outcomes], ["passed", "failed"])
            self.assertEqual(found.outcomes[1].why.code, code)
            self.assertTrue(found.exchanges[0].body, "what came is kept")

    def test_nobody_there(self):
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = probe.getsockname()[1]
        for address, code in [
            (f"http://127.0.0.1:{port}/", "refused"),
            ("http://no-such-host.invalid/", "no-host"),
            (harbour().replace("http:", "https:") + "/", "tls"),
            ("http://exa mple/", "address-unreadable"),
            ("gopher://127.0.0.1/", "address-unreadable"),
        ]:
            with self.subTest(address):
                results = run_text(case(step(address)))
                self.assertEqual(results.cases[0].verdict, "blocked")
                self.assertEqual(results.cases[0].why.code, code, results.cases[0].why.sentence)

    def test_a_resent_request_is_shown(self):
        """A kept-alive connection that dies under a request: libcurl sends it again, and the
        exchange says so."""
        seen: list[bytes] = []
        server = socket.create_server(("127.0.0.1", 0))

        def serve() -> None:
            for number in range(3):
                connection, _ = server.accept()
                seen.append(connection.recv(4096))
                if number == 0:
                    connection.sendall(b"HTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\n{}")
                    seen.append(connection.recv(4096))
                    connection.close()
                    continue
                connection.sendall(
                    b"HTTP/1.1 200 OK\r\nContent-Length: 2\r\nConnection: close\r\n\r\n{}"
                )
                connection.close()
                return

        threading.Thread(target=serve, daemon=True).start()
        address = f"http://127.0.0.1:{server.getsockname()[1]}/"
        results = run_text(case(step(address) * 2))
        server.close()
        self.assertEqual(results.verdict, "passed")
        self.assertTrue(results.cases[0].steps[1].exchanges[0].resent)
        self.assertEqual(len(seen), 3)
