"""What differs since a step's last pass, and what is otherwise at each pass anyhow."""

import json
import random
import unittest
from typing import Any

from saltpath.core.answers.exchange import Exchange, Times
from saltpath.core.assist.since_pass import facts_of, since_pass
from saltpath.core.paths.jsonpath import MISSING


def exchange(body: Any, status: int = 200, sent: bytes = b"", path: str = "/") -> Exchange:
    octets = body if isinstance(body, bytes) else json.dumps(body).encode()
    head = f"HTTP/1.1 {status} X\r\nContent-Type: application/json\r\nDate: now\r\n\r\n".encode()
    asked = b"POST / HTTP/1.1\r\n\r\n"
    return Exchange(
        "POST", f"http://h{path}", asked, sent, status, head, octets, octets, Times(), 0
    )


class SincePass(unittest.TestCase):
    def told(self, now: Exchange, *passes: Exchange) -> list[tuple[str, Any, Any, bool]]:
        return [(one.where, one.before, one.after, one.volatile) for one in since_pass(now, passes)]

    def test_what_is_otherwise_at_each_pass_stands_apart(self) -> None:
        passes = [
            exchange({"id": f"PC-{n}", "berth": {"metres": 150}, "made": f"0{n}"}) for n in range(3)
        ]
        now = exchange({"id": "PC-9", "berth": {"metres": 120}, "made": "09"})
        self.assertEqual(
            self.told(now, *passes),
            [
                ("$.berth.metres", 150, 120, False),
                ("$.id", "PC-0", "PC-9", True),
                ("$.made", "00", "09", True),
            ],
        )

    def test_one_pass_alone_tells_all_that_differs(self) -> None:
        now = exchange({"a": 1}, 500, b'{"q": 1}', "/x")
        told = self.told(now, exchange({"a": 1}, 200, b'{"q": 2}'))
        self.assertEqual(
            [one[:3] for one in told],
            [
                ("address", "POST http://h/", "POST http://h/x"),
                ("$.q", 2, 1),
                ("status", 200, 500),
            ],
        )

    def test_what_came_or_went_is_told_once_as_a_whole(self) -> None:
        before = exchange({"lines": [{"a": 1}], "gone": {"b": {"c": 1}}, "kind": [1]})
        now = exchange({"lines": [{"a": 1}, {"a": 2}], "kind": {"x": 1}})
        self.assertEqual(
            [one[:3] for one in self.told(now, before)],
            [
                ("$.gone", {"b": {"c": 1}}, MISSING),
                ("$.kind", [1], {"x": 1}),
                ("$.lines[1]", MISSING, {"a": 2}),
            ],
        )

    def test_another_body_than_json_is_told_as_text(self) -> None:
        [one] = self.told(exchange(b"<p>down</p>"), exchange({"a": 1}))[:1]
        self.assertEqual(one[0], "$.a")
        told = self.told(exchange(b"now"), exchange(b"then"))
        self.assertEqual(told, [("body", "then", "now", False)])

    def test_nothing_is_told_of_what_is_the_same_and_all_that_is_not(self) -> None:
        chance = random.Random(7)
        for _ in range(300):
            before = made(chance, 3)
            after = before if chance.random() < 0.2 else made(chance, 3)
            one, other = exchange({"v": before}), exchange({"v": after})
            told = since_pass(other, [one])
            self.assertEqual(bool(told), before != after, (before, after))
            facts = facts_of(one), facts_of(other)
            for difference in told:
                place = (difference.part, difference.where)
                for side, value in zip(facts, (difference.before, difference.after), strict=True):
                    self.assertEqual(side.get(place, MISSING), value)


def made(chance: random.Random, depth: int) -> Any:
    kind = chance.randrange(5 if depth else 3)
    if kind == 3:
        return [made(chance, depth - 1) for _ in range(chance.randrange(3))]
    if kind == 4:
        names = chance.sample(["a", "b.c", "d'e", "[0]"], chance.randrange(3))
        return {name: made(chance, depth - 1) for name in names}
    return [chance.randrange(3), "x", None][kind]
