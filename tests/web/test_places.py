"""Every literal of a request that an answer may hand over can be put there by the page, wherever it
stands, and the request stays what it was: the server's `literals` and the page's places are held
against each other on requests at random. Seeded."""

import json
import os
import random
import subprocess
import unittest
from pathlib import Path
from typing import Any
from urllib.parse import parse_qsl, quote, quote_plus, unquote

from saltpath.core.assist.observations import telling
from saltpath.core.assist.repeated import literals
from saltpath.core.format.reader import case_from_data
from saltpath.core.references.scopes import Scope, Scopes
from saltpath.core.references.templates import literal
from saltpath.core.running.prepare import Prepared, prepare

HERE = Path(__file__).resolve().parent
STEPS = 400
VALUES = [
    "PC-20931",
    "V-77 80",
    "größe 1",
    "1318.40",
    "20931",
    "a/b?c=1&d",
    "100%41",
    "tok.en-12345==",
    'say "1234"',
    "back\\slash 1",
    "\U0001f6a2 ship 1",
]


def prepared(step: dict[str, Any], value: str) -> Prepared:
    case = case_from_data({"salt-path": 1, "case": "x", "steps": [step]})
    return prepare(case.steps[0], Scopes(Scope({"v": value})))


def read(address: str) -> tuple[list[str], list[tuple[str, str]]]:
    """Its segments and its query, however they are written."""
    path, _, query = address.partition("?")
    return [unquote(part) for part in path.split("/")], parse_qsl(query, keep_blank_values=True)


class Places(unittest.TestCase):
    def setUp(self) -> None:
        self.chance = random.Random(1712)

    def text(self) -> str:
        """A value, or JSON that holds some."""
        if self.chance.random() < 0.7:
            return self.chance.choice(VALUES)
        inside = {
            "id": self.chance.choice(VALUES),
            "of": [self.chance.choice(VALUES), {"n": 20931}],
            "on": True,
        }
        return json.dumps(inside, ensure_ascii=False)

    def pairs(self) -> Any:
        names = [self.chance.choice(["a", "b", "größe"]) for _ in range(self.chance.randint(1, 4))]
        pairs = [[name, literal(self.text())] for name in names]
        return (
            dict(pairs) if len(set(names)) == len(names) and self.chance.random() < 0.7 else pairs
        )

    def step(self) -> dict[str, Any]:
        chance = self.chance
        segments = [quote(chance.choice(VALUES), safe="") for _ in range(chance.randint(0, 3))]
        query = "&".join(
            f"{name}={quote_plus(self.text())}" for name in ("q", "q", "r")[: chance.randint(0, 3)]
        )
        send = "/".join(["POST http://h.example", *segments]) + (f"?{query}" if query else "")
        step: dict[str, Any] = {"request": "A", "key": "aaaaaa", "send": send}
        if chance.random() < 0.5:
            step["query"] = self.pairs()
        if chance.random() < 0.5:
            step["headers"] = {
                "X-A": chance.choice(["PC-20931", '{"id": "PC-20931", "n": 20931}']),
                "X-B": chance.choice(["V-77 80", "x"]),
            }
        if chance.random() < 0.3:
            step["auth"] = chance.choice(
                [{"bearer": "tok.en-12345=="}, {"basic": ["PC-20931", "V-77 80"]}]
            )
        body = chance.choice(["form", "multipart", "json", "json as text", ""])
        if body == "form":
            step["form"] = self.pairs()
        elif body == "multipart":
            step["multipart"] = [
                {"name": "p", "text": literal(self.text())} for _ in range(chance.randint(1, 3))
            ]
        elif body:
            document = {"a": chance.choice(VALUES), "b": [chance.choice(VALUES), 20931, None]}
            step["json"] = document if body == "json" else json.dumps(document)
        return step

    def test_what_is_handed_over_is_sent_as_it_was(self) -> None:
        asked = [
            (step, sorted({text for text in literals(step) if telling(text)}))
            for step in (self.step() for _ in range(STEPS))
        ]
        done = subprocess.run(
            ["node", "--harmony-json-parse-with-source", HERE / "places.mjs"],
            input=json.dumps(asked),
            capture_output=True,
            text=True,
            timeout=120,
            env={**os.environ, "WEB": str(HERE.parents[1] / "web")},
        )
        self.assertEqual(done.returncode, 0, done.stderr[-2000:])
        put = 0
        for (before, texts), after in zip(asked, json.loads(done.stdout), strict=True):
            for text, step in zip(texts, after, strict=True):
                with self.subTest(text=text, before=before, after=step):
                    if step is None or text in set(literals(step)):
                        self.assertRegex(
                            text,
                            r'["\\]',
                            "what JSON within a text would have to escape is not offered there",
                        )
                        continue
                    put += 1
                    was, now = prepared(before, text), prepared(step, text)
                    self.assertEqual(
                        (read(now.address), now.headers), (read(was.address), was.headers)
                    )
                    if "json" in step:
                        mine, theirs = json.loads(now.body), json.loads(was.body)
                        self.assertEqual(
                            json.dumps(mine).replace('"20931"', "20931"),
                            json.dumps(theirs).replace('"20931"', "20931"),
                        )
                    elif "multipart" not in step:
                        self.assertEqual(now.body, was.body)
        self.assertGreater(put, STEPS * 2)
