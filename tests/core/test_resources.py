"""What exchanges made and took away, told from their answers."""

import json
import random
import unittest

from msgspec.structs import replace

from saltpath.core.answers.exchange import MASK, Exchange, Times
from saltpath.core.running.resources import ResourceEvent, left, resource_events

SURE = ("identity", True)
BASE = "http://harbour.example/v1"


def exchange(
    method: str, path: str, status: int, body: object = b"", at: int = 0, **headers: str
) -> Exchange:
    lines = "".join(f"{name.replace('_', '-')}: {value}\r\n" for name, value in headers.items())
    octets = body if isinstance(body, bytes) else json.dumps(body).encode()
    head = f"HTTP/1.1 {status} X\r\n{lines}\r\n".encode()
    return Exchange(method, BASE + path, b"", b"", status, head, octets, octets, Times(), at)


class Told(unittest.TestCase):
    def told(self, one: Exchange) -> tuple[str, str, bool] | None:
        events = resource_events([one])
        if not events:
            return None
        [event] = events
        return event.address.removeprefix(BASE), event.how, event.is_sure

    def test_where_something_was_made(self) -> None:
        link = {"_links": {"self": {"href": "/v1/calls/9"}}}
        for one, wanted in (
            (exchange("POST", "/calls", 201, Location="calls/7"), ("/calls/7", "location", True)),
            (exchange("POST", "/calls", 200, Location="/v1/c/7"), ("/c/7", "location", True)),
            (exchange("POST", "/calls?x=1", 201, {"id": 7}), ("/calls/7", "identity", True)),
            (exchange("POST", "/calls/", 200, {"id": "a/b"}), ("/calls/a%2Fb", "identity", False)),
            (exchange("POST", "/calls", 201, link), ("/calls/9", "link", True)),
            (exchange("POST", "/calls", 200, {"data": {"id": 7}}), ("/calls/7", "identity", False)),
            (exchange("POST", "/port-calls", 201, {"portCallId": 4}), ("/port-calls/4", *SURE)),
            (exchange("POST", "/parties", 201, {"party_id": 4}), ("/parties/4", *SURE)),
            (exchange("PUT", "/calls/7", 201), ("/calls/7", "address", True)),
            (exchange("PATCH", "/calls/7", 201), ("/calls/7", "address", True)),
            (exchange("PUT", "/calls/7", 200, {"id": 7}), None),
            (exchange("POST", "/calls", 202, Location="/v1/jobs/1"), None),
            (exchange("POST", "/calls", 303, Location="/v1/calls/7"), None),
            (exchange("POST", "/calls", 422, {"id": 7}), None),
            (exchange("GET", "/calls", 201, {"id": 7}, Location="/x"), None),
            (exchange("POST", "/calls", 201, {"id": True, "uuid": "two words"}), None),
            (exchange("POST", "/calls", 201, {"self": "http://elsewhere.example/9"}), None),
            (exchange("POST", "/calls", 201, Location="/v1/calls"), None),
            (exchange("POST", "/calls", 201, Location="/v1/calls/?page=2"), None),
            (exchange("POST", "/calls", 201, {"id": 7}, Location="/"), ("/calls/7", *SURE)),
            (exchange("POST", "/calls", 201, {"id": 7, "self": "/v1"}), ("/calls/7", *SURE)),
            (exchange("POST", "/calls", 201, b"[1, 2"), None),
        ):
            with self.subTest(one.method + one.address + str(one.status)):
                self.assertEqual(self.told(one), wanted)

    def test_what_goes(self) -> None:
        for status, gone in ((204, True), (404, True), (410, True), (403, False), (500, False)):
            events = resource_events([exchange("DELETE", "/calls/7", status)])
            self.assertEqual([event.gone for event in events], [True] if gone else [])

    def test_what_stands_at_another_host_is_told_apart(self) -> None:
        for place, elsewhere in (
            ("http://elsewhere.example/9", True),
            ("https://harbour.example/v1/calls/9", True),
            ("http://harbour.example:8080/v1/calls/9", True),
            ("http://HARBOUR.example:80/v1/calls/9", False),
            ("//harbour.example/v1/calls/9", False),
        ):
            [event] = resource_events([exchange("POST", "/calls", 201, Location=place)])
            self.assertEqual(event.elsewhere, elsewhere, place)

    def test_a_secret_in_an_address_is_seen(self) -> None:
        for text in (MASK, "%E2%97%8F%E2%97%8F%E2%97%8F"):
            [event] = resource_events([exchange("POST", "/calls", 201, Location=f"/calls/{text}")])
            self.assertTrue(event.is_masked)

    def test_whatever_an_answer_holds_nothing_breaks(self) -> None:
        drawn = random.Random(21)
        odd = [None, True, 7, -7, 1.5, "", "x", "\ud800", "//[", "http://[::1", [], {}, {"href": 1}]
        names = ["id", "self", "links", "_links", "href", "@odata.id", "data", "callId"]
        for _ in range(2_000):
            body = {drawn.choice(names): drawn.choice(odd) for _ in range(3)}
            body["more"] = {drawn.choice(names): drawn.choice(odd)}
            method = drawn.choice(["POST", "PUT", "DELETE", "PATCH", "post"])
            where = drawn.choice(["/x", "//[", "http://[::1", "http://h:99999/", "?", ""])
            base = drawn.choice(
                [BASE, BASE, f"http://h:{MASK}", f"http://[{MASK}]", "http://\ud800"]
            )
            status = drawn.choice([200, 201, 204, 404])
            one = exchange(method, drawn.choice(["/calls", "/", ""]), status, body, Location=where)
            one = replace(one, address=base + one.address.removeprefix(BASE))
            left(resource_events([one]))


class WhatIsLeft(unittest.TestCase):
    def left(self, *events: tuple[str, str]) -> list[str]:
        made = [
            ResourceEvent(at, "", 201, BASE + path, gone=kind == "gone")
            for at, (kind, path) in enumerate(events)
        ]
        return [event.address.removeprefix(BASE) for event in left(made)]

    def test_what_is_taken_away(self) -> None:
        made = ("made", "/ports/2/calls/17")
        for gone in (
            "/ports/2/calls/17",
            "/ports/2/calls/17/",
            "/ports/2/calls/%31%37",
            "/ports/2",
            "/ports/2/calls/17?key=7",
            "/calls/17",
        ):
            self.assertEqual(self.left(made, ("gone", gone)), [], gone)
        for gone in ("/ports/2/calls/1", "/ports/2/calls?state=old", "/17", "/orders/17"):
            self.assertEqual(self.left(made, ("gone", gone)), [made[1]], gone)
        self.assertEqual(self.left(("gone", made[1]), made), [made[1]], "it was made after that")
        self.assertEqual(self.left(made, ("gone", made[1]), made), [made[1]])
        self.assertEqual(self.left(made, made), [made[1]], "each once")

    def test_nothing_where_it_was_only_guessed_to_stand_says_nothing(self) -> None:
        for how, status, there in (
            ("location", 404, False),
            ("identity", 404, True),
            ("identity", 410, False),
            ("identity", 204, False),
        ):
            made = ResourceEvent(1, "POST", 201, BASE + "/calls/7", how)
            gone = ResourceEvent(2, "DELETE", status, BASE + "/calls/7", gone=True)
            self.assertEqual(left([made, gone]), [made] if there else [], (how, status))

    def test_against_a_plain_model(self) -> None:
        drawn = random.Random(7)
        for _ in range(400):
            stands: dict[str, None] = {}
            events = []
            for _ in range(drawn.randint(1, 30)):
                path = f"/calls/{drawn.randint(1, 6)}"
                kind = drawn.choice(["made", "gone"])
                events.append((kind, path))
                stands.pop(path, None)
                if kind == "made":
                    stands[path] = None
            self.assertEqual(self.left(*events), list(stands))


if __name__ == "__main__":
    unittest.main()
