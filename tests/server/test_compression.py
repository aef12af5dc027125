"""Compressed answers: whatever a client says that it takes, it is sent the same octets, in a coding
that it takes."""

import gzip
import random
import shutil
import subprocess
import tempfile
import unittest
from pathlib import Path

from flask import Flask, Response
from werkzeug.test import Client, TestResponse

from saltpath.server.app import PAGES, make_app
from saltpath.server.compression import LEAST, compress_answers
from saltpath.server.problems import json_answer
from tests.application import without_sign_in

SEED = 55021
CODINGS = ("br", "gzip", "identity", "*", "zstd", "deflate", "x", "")
WEIGHTS = ("", ";q=0", ";q=0.5", ";q=1", "; q=0.000", ";q=none", ";Q=0.2")


def header(source: random.Random) -> str:
    return ", ".join(
        source.choice(CODINGS) + source.choice(WEIGHTS) for _ in range(source.randrange(5))
    )


def decoded(answer: TestResponse) -> bytes:
    coding = answer.headers.get("Content-Encoding")
    if coding == "br":
        code = "process.stdin.pipe(require('zlib').createBrotliDecompress()).pipe(process.stdout)"
        return subprocess.run(
            ["node", "-e", code], input=answer.data, stdout=subprocess.PIPE, check=True
        ).stdout
    return gzip.decompress(answer.data) if coding == "gzip" else answer.data


def refused(coding: str, accepted: str) -> bool:
    """Whether the header names the coding, or all, with a weight of zero, or neither of them at
    all."""
    parts = [part.strip().replace(" ", "").lower() for part in accepted.split(",")]
    named = [part for part in parts if part.split(";")[0] == coding] or [
        part for part in parts if part.startswith("*")
    ]
    return all(part.endswith((";q=0", ";q=0.000")) for part in named)


class Compressed(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory())) / "data"
        without_sign_in(folder)
        cls.client: Client = make_app(folder).test_client()
        cls.script = max((PAGES / "assets").glob("*.js"), key=lambda file: file.stat().st_size)

    def test_a_built_file_comes_as_it_is_taken_and_is_the_same(self) -> None:
        path = f"/assets/{self.script.name}"
        for accepted, coding in [
            ("gzip, deflate, br", "br"),
            ("gzip", "gzip"),
            ("br;q=0, gzip", "gzip"),
            ("", None),
        ]:
            with (
                self.subTest(accepted),
                self.client.get(path, headers={"Accept-Encoding": accepted}) as answer,
            ):
                self.assertEqual(answer.headers.get("Content-Encoding"), coding)
                self.assertEqual(decoded(answer), self.script.read_bytes())
                self.assertEqual(answer.mimetype, "text/javascript")
                self.assertIn("Accept-Encoding", answer.headers["Vary"])
                self.assertIn("immutable", answer.headers["Cache-Control"])
                etag = answer.headers["ETag"]
            again = self.client.get(
                path, headers={"Accept-Encoding": accepted, "If-None-Match": etag}
            )
            self.assertEqual((again.status_code, again.data), (304, b""))
        self.assertLess(
            len(self.client.get(path, headers={"Accept-Encoding": "br"}).data),
            self.script.stat().st_size / 3,
        )

    def test_codings_of_a_file_have_tags_of_their_own(self) -> None:
        path = f"/assets/{self.script.name}"
        tags = {
            self.client.get(path, headers={"Accept-Encoding": one}).headers["ETag"]
            for one in ("br", "gzip", "")
        }
        self.assertEqual(len(tags), 3)

    def test_no_way_out_of_the_folder(self) -> None:
        for name in (
            "../app.py",
            "..%2fapp.py",
            "%2e%2e/index.html",
            "/etc/passwd",
            "none.js",
            "a\x00b.js",
            ".",
        ):
            for accepted in ("br", ""):
                answer = self.client.get(f"/assets/{name}", headers={"Accept-Encoding": accepted})
                self.assertNotIn(b"import", answer.data)
                self.assertIn(answer.mimetype, ("application/problem+json", "text/html"))

    def test_answers_of_the_api_at_random(self) -> None:
        source = random.Random(SEED)
        plain = self.client.get("/api/v1/openapi.json").data
        for _ in range(300):
            accepted = header(source)
            answer = self.client.get("/api/v1/openapi.json", headers={"Accept-Encoding": accepted})
            with self.subTest(accepted):
                self.assertEqual(decoded(answer), plain)
                self.assertEqual(int(answer.headers["Content-Length"]), len(answer.data))
                if answer.headers.get("Content-Encoding"):
                    self.assertFalse(refused("gzip", accepted))
                    self.assertLess(len(answer.data), len(plain) / 4)

    def test_what_goes_as_it_is(self) -> None:
        app = Flask(__name__)
        compress_answers(app)
        text = "a" * LEAST
        app.add_url_rule("/api/v1/long", "long", lambda: json_answer(text))
        app.add_url_rule("/api/v1/short", "short", lambda: json_answer(text[:-3]))
        app.add_url_rule(
            "/api/v1/stream", "stream", lambda: Response(iter([text]), mimetype="application/json")
        )
        app.add_url_rule("/api/v1/image", "image", lambda: Response(text, mimetype="image/png"))
        app.add_url_rule("/page", "page", lambda: json_answer(text))
        client = app.test_client()
        for path, coded in {
            "/api/v1/long": True,
            "/api/v1/short": False,
            "/api/v1/stream": False,
            "/api/v1/image": False,
            "/page": False,
        }.items():
            with self.subTest(path):
                answer = client.get(path, headers={"Accept-Encoding": "gzip"})
                self.assertEqual("Content-Encoding" in answer.headers, coded)
        whole = client.get("/api/v1/long").headers["Content-Length"]
        self.assertEqual(
            client.head("/api/v1/long", headers={"Accept-Encoding": "gzip"}).headers[
                "Content-Length"
            ],
            whole,
        )

    @unittest.skipUnless(shutil.which("node"), "the pages were built elsewhere")
    def test_every_built_text_has_its_two_codings(self) -> None:
        for file in (PAGES / "assets").iterdir():
            if file.suffix in (".js", ".css") and file.stat().st_size >= LEAST:
                for ending in (".br", ".gz"):
                    self.assertTrue(
                        file.with_name(file.name + ending).is_file(), file.name + ending
                    )
