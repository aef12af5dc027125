"""What a redirect carries: all to its own origin, what a browser would send to another one, all
again where that is trusted; and none leads to Salt Path itself."""

import socket
import unittest
from collections.abc import Callable
from urllib.parse import urlsplit

from saltpath.core.format.nodes import FormatError
from saltpath.core.format.reader import read_case
from saltpath.core.running.reach import Reach
from tests.engine.raw import next_head, raw_server
from tests.engine.test_secure import made, secured
from tests.harbour import case, run_text

OWN = ("Authorization", "X-Berth", "Proxy-Authorization", "Content-Type")
STEP = """  - request: A
    send: {method} {address}/begin
    headers: {{ X-Berth: quay-7, Proxy-Authorization: Basic c2FsdA==, Accept: text/plain }}
    {auth}
    {body}
    {options}
"""
AUTH = "auth: { basic: [desk, salt-and-tar] }"


def answering(
    heads: list[bytes], answer: Callable[[bytes], bytes]
) -> Callable[[socket.socket], None]:
    """A server's thread: one request a connection, its head noted."""

    def serve(connection: socket.socket) -> None:
        with connection:
            head, _ = next_head(connection, b"")
            if head:
                heads.append(head)
                connection.sendall(answer(head))

    return serve


def led_to(address: str, status: int) -> bytes:
    return (
        f"HTTP/1.1 {status} X\r\nLocation: {address}\r\nConnection: close\r\nContent-Length: "
        "0\r\n\r\n"
    ).encode()


WELL = b"HTTP/1.1 200 OK\r\nConnection: close\r\nContent-Length: 2\r\n\r\n{}"


class Redirects(unittest.TestCase):
    def went(
        self,
        status: int,
        elsewhere: bool,
        method: str = "GET",
        body: str = "",
        trusted: str = "",
        auth: str = AUTH,
    ):
        """What came of a step whose first answer leads to another origin, or to its own: the
        results, and the heads of both servers."""
        first: list[bytes] = []
        second: list[bytes] = []
        with raw_server(answering(second, lambda _: WELL)) as (there, _):
            place = [f"{there}/end"]
            with raw_server(
                answering(
                    first, lambda head: led_to(place[0], status) if b" /begin " in head else WELL
                )
            ) as (here, _):
                if not elsewhere:
                    place[0] = "/end"
                options = (
                    f"options: {{ trust redirects to: "
                    f"[{trusted.format(port=urlsplit(there).port)}] }}"
                    if trusted
                    else ""
                )
                step = STEP.format(
                    method=method, address=here, auth=auth, body=body, options=options
                )
                results = run_text(case(step))
        return results, first, second

    def carried(self, head: bytes) -> set[str]:
        return {name for name in OWN if f"\r\n{name}:".lower().encode() in head.lower()}

    def test_to_its_own_origin_all_goes_along(self):
        for status in (301, 302, 303, 307, 308):
            results, first, _ = self.went(status, elsewhere=False)
            self.assertEqual(results.verdict, "unchecked")
            self.assertEqual(
                self.carried(first[1]), {"Authorization", "X-Berth", "Proxy-Authorization"}, status
            )

    def test_to_another_one_goes_what_a_browser_would_send(self):
        for status in (301, 302, 303, 307, 308):
            for method in ("GET", "HEAD", "DELETE"):
                results, _, second = self.went(status, elsewhere=True, method=method)
                self.assertEqual(results.verdict, "unchecked", results.cases[0].steps[0].why)
                self.assertEqual(self.carried(second[0]), set(), (status, method))
                self.assertIn(b"accept: text/plain", second[0].lower())

    def test_a_cookie_is_seen_that_a_redirect_on_the_way_sets(self):
        """What a sign-in sets where it leads on; the last that sets it counts, and one of an
        attempt before does not."""
        heads: list[bytes] = []

        def answer(head: bytes) -> bytes:
            path = head.split()[1].decode()
            if path == "/end" or path.startswith("/again"):
                return WELL.replace(b"OK\r\n", b"OK\r\nSet-Cookie: last=end; Path=/\r\n")
            there, cookies = (
                ("/hop", "desk=first\r\nSet-Cookie: last=begin")
                if path == "/begin"
                else ("/end", "desk=second")
            )
            return led_to(f"http://{host}{there}", 303).replace(
                b"\r\nConn", f"\r\nSet-Cookie: {cookies}\r\nConn".encode(), 1
            )

        with raw_server(answering(heads, answer)) as (address, _):
            host = urlsplit(address).netloc
            keeps = "keep: { desk: cookie desk, last: cookie last }"
            step = f"  - request: A\n    send: POST {address}/begin\n    {keeps}\n"
            self.assertEqual(
                run_text(case(step)).cases[0].steps[0].kept, {"desk": "second", "last": "end"}
            )
            step = (
                f"  - request: A\n    send: GET {address}/begin\n    options: {{ follow "
                f"redirects: false }}\n    {keeps}\n"
            )
            self.assertEqual(
                run_text(case(step)).cases[0].steps[0].kept, {"desk": "first", "last": "begin"}
            )
            step = (
                f"  - request: A\n    send: GET {address}/again\n    expect: [ {{ of: cookie "
                f"desk, absent: true }} ]\n"
            )
            self.assertEqual(run_text(case(step)).verdict, "passed")
            until = (
                "repeat: { every: 10 ms, at most: 200 ms, until: [ { of: cookie desk, is: "
                "second } ] }"
            )
            before = len(heads)
            step = (
                f"  - request: A\n    send: POST {address}/begin\n    {until}\n    expect: [ "
                f"{{ of: status, is: 200 }} ]\n"
            )
            self.assertEqual(run_text(case(step)).verdict, "passed")
            self.assertEqual(len(heads) - before, 3, "the first attempt has the cookie")

    def test_a_key_in_a_header_does_not_go_along(self):
        for place in ("header, name: X-Key", "header, name: Authorization", "cookie, name: key"):
            auth = f"auth: {{ key: {{ in: {place}, value: salt-and-tar }} }}"
            results, first, second = self.went(302, elsewhere=True, auth=auth)
            self.assertEqual(results.verdict, "unchecked", results.cases[0].steps[0].why)
            self.assertIn(b"salt-and-tar", first[0])
            self.assertNotIn(b"salt-and-tar", second[0])

    def test_a_body_goes_nowhere_else(self):
        for status in (307, 308):
            results, _, second = self.went(
                status, elsewhere=True, method="POST", body="json: { a: 1 }"
            )
            step = results.cases[0].steps[0]
            self.assertEqual((step.verdict, step.why.code), ("blocked", "redirect-with-body"))
            self.assertEqual(second, [])
            self.assertEqual(len(step.exchanges), 1, "what was answered is kept")
        for status in (301, 302, 303):
            results, _, second = self.went(
                status, elsewhere=True, method="POST", body="json: { a: 1 }"
            )
            self.assertTrue(second[0].startswith(b"GET /end "), second[0])

    def test_all_goes_along_where_it_is_trusted(self):
        for trusted in ("127.0.0.1", "'127.0.0.1:{port}'"):
            results, _, second = self.went(307, True, "POST", "json: { a: 1 }", trusted)
            self.assertEqual(results.verdict, "unchecked", results.cases[0].steps[0].why)
            self.assertEqual(self.carried(second[0]), set(OWN), trusted)
            self.assertTrue(second[0].startswith(b"POST /end "))
        results, _, second = self.went(302, True, trusted="'127.0.0.1:1'")
        self.assertEqual(self.carried(second[0]), set())

    def test_the_option_is_read_strictly(self):
        for wrong in (
            "files.example",
            "['http://files.example/']",
            "{ a: b }",
            "['']",
            "['*']",
            "['a b']",
            "[[a]]",
        ):
            with self.subTest(wrong), self.assertRaises(FormatError):
                read_case(
                    case(
                        f"  - {{ request: A, send: 'GET http://h/', options: {{ trust redirects "
                        f"to: {wrong} }} }}\n"
                    )
                )

    def test_a_client_certificate_is_not_shown_to_another_origin(self):
        certificate, key = made("desk")
        with secured(certificate) as there:
            heads: list[bytes] = []
            with raw_server(answering(heads, lambda _: led_to(f"{there}/", 302))) as (here, _):
                for trusted, verdict in (
                    ("", "blocked"),
                    (", trust redirects to: [127.0.0.1]", "unchecked"),
                ):
                    options = f"verify tls: false, client certificate: desk.pem{trusted}"
                    steps = f"  - {{ request: A, send: 'GET {here}/', options: {{ {options} }} }}\n"
                    results = run_text(case(steps), read_file=lambda _: certificate + key)
                    step = results.cases[0].steps[0]
                    self.assertEqual(results.verdict, verdict, step.why)
                    self.assertEqual(len(step.exchanges), 2)
                    if verdict == "blocked":
                        self.assertRegex(step.why.sentence, "client certificate|was cut")

    def test_none_leads_to_salt_path_itself(self):
        heads: list[bytes] = []
        with raw_server(answering(heads, lambda _: WELL)) as (own, _):
            port = urlsplit(own).port
            for place in (
                own,
                f"http://localhost:{port}",
                f"http://127.1:{port}",
                f"http://[::ffff:127.0.0.1]:{port}",
                f"http://0:{port}",
            ):
                for status in (302, 307):
                    with (
                        self.subTest(place, status=status),
                        raw_server(
                            answering(
                                [],
                                lambda _, to=place, by=status: led_to(f"{to}/api/v1/projects", by),
                            )
                        ) as (here, _),
                    ):
                        step = f"  - {{ request: A, send: 'GET {here}/' }}\n"
                        results = run_text(case(step), reach=Reach(own_ports=(port,)))
                        found = results.cases[0].steps[0]
                        self.assertEqual(
                            (found.verdict, found.why.code), ("blocked", "redirect-here")
                        )
            self.assertEqual(heads, [])
            step = case(f"  - {{ request: A, send: 'GET {own}/' }}\n")
            results = run_text(step, reach=Reach(own_ports=(port,)))
            self.assertEqual(results.cases[0].steps[0].why.code, "reach-own")
            self.assertEqual(run_text(step).verdict, "unchecked", "from somebody's own machine")
