"""What an answer says besides its body, and a body of one JSON text a line."""

import random
import unittest

from saltpath.core.answers.answer import Answer
from saltpath.core.answers.facts import facts_of
from saltpath.core.answers.subjects import find, read_subject
from saltpath.core.references.scopes import Scope, Scopes

HEAD = (
    b"HTTP/1.1 201 Created\r\nContent-Type: application/json\r\nDate: x\r\nLocation: /calls/7\r\n"
    b"X-A: 1\r\nx-a: 2\r\n"
    b"Set-Cookie: desk=a=b; Path=/\r\nSet-Cookie: tide=\r\n\r\n"
)


class Facts(unittest.TestCase):
    def test_each_is_what_its_subject_finds(self):
        answer = Answer(201, HEAD, b'{"id": 7}', 182_000)
        found = list(facts_of(answer))
        self.assertEqual(
            [subject for subject, _, _ in found],
            [
                "status",
                "header Location",
                "header X-A",
                "cookie desk",
                "cookie tide",
                "type",
                "time",
                "size",
            ],
        )
        for subject, value, unit in found:
            with self.subTest(subject):
                read = read_subject(subject)
                self.assertEqual(find(read, answer, Scopes(Scope({}))).nodes[0][1], value)
                self.assertEqual(read.unit, unit)

    def test_names_at_random_are_read_or_left_out(self):
        """Servers name headers and cookies as they like; what no subject can hold is not proposed,
        all else is what it finds."""
        chance = random.Random(1826)
        pieces = [
            "a",
            "Z",
            "-",
            "_",
            "|",
            "~",
            " | ",
            "[=",
            "$",
            "'",
            '"',
            "(",
            "/",
            "@",
            ",",
            "\\",
            "{",
            "é",
            "1",
            ".",
            "x y",
        ]
        left = 0
        for _ in range(3000):
            name = (
                "".join(chance.choice(pieces) for _ in range(chance.randint(1, 4))).strip() or "a"
            )
            head = f"HTTP/1.1 200 OK\r\n{name}: tide\r\nSet-Cookie: {name}=ebb\r\n\r\n".encode(
                "latin-1"
            )
            answer = Answer(200, head, b"{}", 1)
            proposed = [
                (subject, value)
                for subject, value, _ in facts_of(answer)
                if value in ("tide", "ebb")
            ]
            left += 2 - len(proposed)
            for subject, value in proposed:
                found = find(read_subject(subject), answer, Scopes(Scope({})))
                self.assertEqual([node for _, node in found.nodes], [value], subject)
        self.assertTrue(1000 < left < 5000, left)


class Lines(unittest.TestCase):
    def read(self, body: bytes, media_type: str = "application/x-ndjson"):
        answer = Answer(
            200, f"HTTP/1.1 200 OK\r\nX: y\r\nContent-Type: {media_type}\r\n\r\n".encode(), body, 1
        )
        found = find(read_subject("$[*].n"), answer, Scopes(Scope({})))
        return [value for _, value in found.nodes] or found.nothing

    def test_they_are_a_list(self):
        body = b'{"n": 1318.40}\r\n\n{"n": 12345678901234567890}\n  {"n": null}'
        for media_type in (
            "application/x-ndjson",
            "application/NDJSON; charset=utf-8",
            "application/jsonl",
            "application/x-jsonlines",
        ):
            with self.subTest(media_type):
                self.assertEqual(
                    [str(value) for value in self.read(body, media_type)],
                    ["1318.40", "12345678901234567890", "None"],
                )
        self.assertEqual(
            self.read(
                '{"n": "Größe"}\n'.encode("latin-1"), "application/x-ndjson; charset=latin-1"
            ),
            ["Größe"],
        )
        self.assertEqual(self.read(b'{"n": 1}\n'), [1], "also of one line")

    def test_a_line_that_is_none_is_named(self):
        self.assertIn("line 3", self.read(b'{"n": 1}\n\n{"n": \n{"n": 2}').sentence)

    def test_of_any_other_type_they_are_no_document(self):
        for media_type in (
            "application/json",
            "text/plain",
            "application/ndjsonx",
            "application/json-seq",
        ):
            with self.subTest(media_type):
                self.assertEqual(self.read(b'{"n": 1}\n{"n": 2}', media_type).code, "not-json")
