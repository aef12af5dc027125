"""Pasted curl lines against curl itself, both against a server that records: what arrives is the
same, or a sentence says what is not.

Lines are drawn at random; forms and queries count as the same where they mean the same (`+` or
`%20`, capitals or not)."""

import json
import random
import shutil
import subprocess
import sys
import tempfile
import threading
import unittest
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any
from urllib.parse import parse_qsl, unquote_to_bytes

from saltpath.formats.pasted import read_pasted
from tests.harbour import run_text

CURL = shutil.which("curl")
LINES = 100
OWN = (
    "host",
    "user-agent",
    "accept",
    "accept-encoding",
    "content-length",
    "connection",
    "expect",
    "transfer-encoding",
)
FORM = "application/x-www-form-urlencoded"
TEXTS = (
    "a=1",
    "q=a%26b",
    "q=x y",
    "ä=b&c",
    "plain",
    '{"a": 1}',
    "a=1&a=2",
    "=x",
    "a=+",
    "100%",
    "caf%E9=1",
    "x=%zz",
    "[1,2]",
    "&",
    "a&b=2",
)


class _Recorder(BaseHTTPRequestHandler):
    seen: list[tuple[str, str, dict[str, str], bytes]]

    def answer(self) -> None:
        octets = self.rfile.read(int(self.headers.get("Content-Length") or 0))
        headers = {
            name.lower(): value for name, value in self.headers.items() if name.lower() not in OWN
        }
        self.seen.append((self.command, self.path, headers, octets))
        self.send_response(200)
        self.send_header("Content-Length", "0")
        self.end_headers()

    do_GET = do_POST = do_PUT = do_DELETE = do_PATCH = do_HEAD = answer

    def log_message(self, *_: object) -> None:
        pass


def _quoted(chance: random.Random, text: str) -> str:
    return (
        "'" + text.replace("'", "'\\''") + "'"
        if chance.random() < 0.8 or '"' in text or "$" in text
        else f'"{text}"'
    )


def line_of(chance: random.Random, at: str) -> str:
    """A curl line of a POSIX shell."""
    words = ["curl", "-s"]
    path = chance.choice(
        ("/a", "/a/b?x=1", "/a?x=1&x=2", "/a%2Fb", "/{a,b}", "/n[1-3]", "/a?q=x%20y", "/up/")
    )
    some = chance.random
    for option in chance.sample(range(11), chance.randint(1, 4)):
        text = _quoted(chance, chance.choice(TEXTS))
        if option == 0:
            words += [
                "-H",
                _quoted(
                    chance,
                    chance.choice(
                        (
                            "X-A: 1",
                            "X-B:",
                            "X-C;",
                            "Host: other.example",
                            "Accept: text/plain",
                            "Content-Type: text/plain",
                        )
                    ),
                ),
            ]
        elif option == 1:
            words += [chance.choice(("-d", "--data-raw", "--data-binary", "--data-ascii")), text]
        elif option == 2:
            words += ["--data-urlencode", text]
        elif option == 3 and some() < 0.5:
            words += ["--json", _quoted(chance, '{"a": 1}'), "--json", _quoted(chance, '{"b": 2}')][
                : chance.choice((2, 4))
            ]
        elif option == 4 and some() < 0.3 and "--url-query" not in words:
            words.append("-G")
        elif option == 5:
            words += ["-X", chance.choice(("PUT", "DELETE", "PATCH", "POST"))]
        elif option == 6:
            words += ["-u", "desk:salt"]
        elif option == 7:
            words += ["-b", _quoted(chance, "a=1; b=2")]
        elif option == 8 and "-G" not in words:  # of the two, curl sends one
            words += ["--url-query", text]
        elif option == 9:
            words.append("-g" if some() < 0.5 else "--compressed")
        elif option == 10:
            words += ["-A", "harbour/1", "-e", "http://fernholm.example/"]
    words.insert(chance.randint(1, 2) if words[1] == "-s" else 1, _quoted(chance, at + path))
    return " ".join(words)


def meant(pairs: str) -> Any:
    """What a query or form says, however it is escaped."""
    try:
        return parse_qsl(pairs, keep_blank_values=True, errors="strict")
    except UnicodeDecodeError:
        return pairs.lower()


def unescaped(target: str) -> str:
    """curl sends letters beyond ASCII as they are; the server reads octets as Latin-1."""
    return target.encode("latin-1").decode("utf-8", "surrogateescape")


@unittest.skipUnless(CURL, "curl is not installed: apt-get install curl")
class CurlItself(unittest.TestCase):
    def setUp(self) -> None:
        self.seen: list[Any] = []
        server = ThreadingHTTPServer(
            ("127.0.0.1", 0), type("Recorder", (_Recorder,), {"seen": self.seen})
        )
        threading.Thread(target=server.serve_forever, daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        self.at = f"http://127.0.0.1:{server.server_address[1]}"
        self.folder = self.enterContext(tempfile.TemporaryDirectory())

    def by_curl(self, line: str) -> list[Any]:
        self.seen.clear()
        subprocess.run(
            ["sh", "-c", line], cwd=self.folder, capture_output=True, timeout=30, check=False
        )
        return list(self.seen)

    def by_us(self, steps: list[dict[str, Any]]) -> list[Any]:
        self.seen.clear()
        document = {"salt-path": 1, "case": "x", "on failure": "go on", "steps": steps}
        run_text(json.dumps(document))
        return list(self.seen)

    def same(self, one: Any, other: Any) -> bool:
        (method, target, headers, body), (method_2, target_2, headers_2, body_2) = one, other
        path, _, query = unescaped(target).partition("?")
        path_2, _, query_2 = unescaped(target_2).partition("?")
        kinds = [each.get("content-type", "").partition(";")[0] for each in (headers, headers_2)]
        if kinds == [FORM, FORM]:
            body, body_2 = (meant(octets.decode("utf-8", "replace")) for octets in (body, body_2))
        paths = [unquote_to_bytes(each) for each in (path, path_2)]
        return (method, paths[0], meant(query), headers, body) == (
            method_2,
            paths[1],
            meant(query_2),
            headers_2,
            body_2,
        )

    def test_the_same_arrives_or_it_is_said(self):
        chance = random.Random(1816)
        said = compared = 0
        for _ in range(LINES):
            line = line_of(chance, self.at)
            theirs = self.by_curl(line)
            if not theirs:
                continue  # curl itself refuses it
            pasted = read_pasted(line)
            if pasted.said:
                said += 1
                continue
            compared += 1
            with self.subTest(line):
                ours = self.by_us(pasted.steps)
                self.assertEqual(len(ours), len(theirs))
                for one, other in zip(theirs, ours, strict=True):
                    self.assertTrue(self.same(one, other), f"\ncurl {one}\nours {other}")
        self.assertGreater(compared, 60)
        print(
            f"counted: {compared} curl lines arrive as curl sends them, {said} say what is left "
            "out",
            file=sys.__stdout__,
        )

    def test_what_is_lost_is_said(self):
        Path(self.folder, "f").write_text("x\ny\n")
        for line, words in (
            (
                f"curl {self.at}/a -H 'Host: other.example'",
                "The header Host: other.example was left out",
            ),
            (
                f"curl {self.at}/a -d @f -d z=9",
                "was left out: it is sent together with other data|z=9 was left out",
            ),
            (f"curl {self.at}/a -d @f", "curl takes the line breaks out of it"),
            (f"curl {self.at}/a -F 'f=@f;filename=other.txt'", "not as other.txt"),
            (f"curl {self.at}/a -F 'f=<f'", "sends what the file f holds as the text"),
            (f"curl {self.at}/a --url-query 'q@f'", "The file f was left out"),
            (f"curl {self.at}/a --data-urlencode q@f", "The file f was left out"),
            (f"curl -L -X POST {self.at}/a -d x=1", "After a redirect curl would send POST again"),
        ):
            with self.subTest(line):
                self.assertRegex(" ".join(read_pasted(line).said), words)

    def test_several_addresses_and_an_upload(self):
        steps = read_pasted(f"curl '{self.at}/{{a,b}}/[08-10:2]'").steps
        self.assertEqual(
            [step["send"].partition(self.at)[2] for step in steps],
            ["/a/08", "/a/10", "/b/08", "/b/10"],
        )
        [step] = read_pasted(f"curl -g '{self.at}/[1-2]'").steps
        self.assertTrue(step["send"].endswith("/[1-2]"))
        [step] = read_pasted(f"curl -T data/papers.pdf {self.at}/up/?a=1").steps
        self.assertEqual(
            (step["send"], step["query"]), (f"PUT {self.at}/up/papers.pdf", {"a": "1"})
        )


if __name__ == "__main__":
    unittest.main()
