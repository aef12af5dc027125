"""Property tests, seeded: what is written out arrives as it stands there, at every place of a
request, alone and around a reference."""

import random
import unittest
from email import message_from_bytes, policy
from typing import Any
from urllib.parse import parse_qsl, unquote, urlsplit

from saltpath.core.format.nodes import FormatError
from saltpath.core.format.reader import case_from_data
from saltpath.core.references.scopes import Scope, Scopes
from saltpath.core.running.prepare import Prepared, prepare
from saltpath.core.values.why import Blocked
from tests.core.test_inserting import HOSTILE

PIECES = [piece for piece in HOSTILE if "[=" not in piece]
ROUNDS = 400
VALUE = 'v&1+ä%"'


def texts(chance: random.Random) -> tuple[str, str]:
    """A text as a tester writes it, perhaps around a reference, and what must arrive."""
    before, after = (chance.choice(PIECES) + chance.choice(PIECES) for _ in range(2))
    if chance.random() < 0.5:
        return before + after, before + after
    return f"{before}[=v]{after}", before + VALUE + after


class WrittenOut(unittest.TestCase):
    """Blocked is right where a place cannot hold a text at all; anything else must arrive."""

    def setUp(self) -> None:
        self.chance = random.Random(1811)
        self.arrived = 0

    def sent(self, send: str = "POST http://h.example/a", **fields: Any) -> Prepared | None:
        data = {"request": "a", "send": send, **fields}
        try:
            step = case_from_data({"salt-path": 1, "case": "x", "steps": [data]}).steps[0]
        except FormatError:
            return None
        try:
            made = prepare(step, Scopes(Scope({"v": VALUE})))
        except Blocked:
            return None
        self.arrived += 1
        return made

    def each(self, shares: float):
        for _ in range(ROUNDS):
            yield texts(self.chance), texts(self.chance)
        self.assertGreater(self.arrived, ROUNDS * shares)

    def test_forms(self):
        for (name, read_name), (value, read) in self.each(0.9):
            if "[=" in name:
                name = read_name  # names of a form are not templates
            made = self.sent(form=[[name, value], ["last", value]])
            if made is not None:
                pairs = parse_qsl(made.body.decode(), keep_blank_values=True)
                self.assertEqual(pairs, [(name, read), ("last", read)])

    def test_queries(self):
        for (name, read_name), (value, read) in self.each(0.9):
            if "[=" in name:
                name = read_name
            made = self.sent(query=[[name, value], ["last", value]])
            if made is not None:
                query = urlsplit(made.address).query
                self.assertEqual(
                    parse_qsl(query, keep_blank_values=True), [(name, read), ("last", read)]
                )

    def test_parts(self):
        for (name, read_name), (value, read) in self.each(0.9):
            made = self.sent(
                multipart=[{"name": name, "text": value}, {"name": "last", "text": "1"}]
            )
            if made is not None:
                kind = dict(made.headers)["Content-Type"]
                whole = message_from_bytes(
                    b"Content-Type: " + kind.encode() + b"\r\n\r\n" + made.body, policy=policy.HTTP
                )
                parts = list(whole.iter_parts())
                self.assertEqual(len(parts), 2, (name, value))
                self.assertEqual(parts[0].get_payload(decode=True), read.encode())
                line = made.body.split(b"\r\n")[1].decode()
                quoted = read_name.replace('"', "%22").replace("\r", "%0D").replace("\n", "%0A")
                self.assertEqual(line, f'Content-Disposition: form-data; name="{quoted}"')

    def test_headers_and_cookies(self):
        for (value, read), (key, read_key) in self.each(0.6):
            made = self.sent(
                headers={"X-A": value}, auth={"key": {"in": "cookie", "name": "k", "value": key}}
            )
            if made is not None:
                headers = dict(made.headers)
                self.assertEqual(headers["X-A"], read.strip())
                self.assertNotRegex(headers["Cookie"], r"[\r\n;,\s\"\\]")
                self.assertEqual(unquote(headers["Cookie"].partition("=")[2]), read_key)

    def test_segments(self):
        """What is written out in a path is an address already: what an address cannot hold is
        encoded, what is encoded stays."""
        for (value, _), _ in self.each(0.3):
            made = self.sent(f"POST http://h.example/a/{value}/z")
            if made is not None and "[=" not in value:
                parts = urlsplit(made.address)
                self.assertRegex(made.address, r"\A[!-~]+\Z")
                self.assertEqual(parts.hostname, "h.example")
                whole = f"http://h.example/a/{value}/z".partition("#")[0]
                self.assertEqual(unquote(made.address), unquote(whole))

    def test_texts_that_utf_8_cannot_hold(self):
        for field in (
            {"form": {"a\ud800": "b\udc00"}},
            {"multipart": [{"name": "a\ud800", "text": "b\udc00"}]},
            {"query": {"a\ud800": "b\udc00"}},
            {"headers": {"X-A": "b\udc00"}},
            {"text": "b\udc00", "type": "text/plain"},
            {"json": {"a": "b\udc00"}},
            {"multipart": [{"name": "a", "text": "b", "type": "text/pl\r\nX: 1"}]},
        ):
            with self.subTest(field):
                made = self.sent(**field)
                self.assertTrue(made is None or (made.body or b"").count(b"\r\nX:") == 0)


if __name__ == "__main__":
    unittest.main()
