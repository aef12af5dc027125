"""Parts of the engine by themselves: masking, decoding, redirects, project files, reports."""

import gzip
import io
import json
import tempfile
import threading
import unittest
import zlib
from decimal import Decimal
from http.server import ThreadingHTTPServer
from pathlib import Path

from saltpath.core.format.nodes import FormatError
from saltpath.core.values.why import Blocked, why
from saltpath.engine.decode import decode
from saltpath.engine.masking import MASK, Masker
from saltpath.formats.project_files import load
from saltpath.formats.reports import junit
from saltpath.formats.terminal import Terminal
from tests.engine.answering import Handler
from tests.harbour import case, harbour, plain_report, run_text


class Masking(unittest.TestCase):
    def test_secrets_in_every_form(self):
        masker = Masker()
        masker.add('se cret/"1"')
        for text in ['se cret/"1"', "se%20cret%2F%221%22", "se+cret%2F%221%22", 'se cret/\\"1\\"']:
            self.assertEqual(masker.text(f"a{text}b"), f"a{MASK}b")
            self.assertEqual(masker.octets(f"a{text}b".encode()), f"a{MASK}b".encode())

    def test_values_keep_their_shape(self):
        masker = Masker()
        masker.add({"pin": 8421, "list": ["harbour-light", None, True]})
        value = {"a": [8421, 84210, "x8421y", "8421"], "harbour-light": Decimal("1.50"), "b": None}
        self.assertEqual(
            masker.value(value),
            {"a": [MASK, 84210, "x8421y", MASK], MASK: Decimal("1.50"), "b": None},
        )
        self.assertEqual(
            masker.why(why("differs", actual="“harbour-light”", expected="1")).params["actual"],
            f"“{MASK}”",
        )

    def test_without_secrets_nothing_is_copied(self):
        value = {"a": [1]}
        self.assertIs(Masker().value(value), value)

    def test_heads_are_always_masked(self):
        head = (
            b"GET / HTTP/1.1\r\nauthorization: Basic ZGVzazpwYXNz\r\nCookie: desk=1; b=2\r\n"
            b"X-A: b\r\nProxy-Authorization: x\r\n\r\n"
        )
        masked = Masker().head(head)
        self.assertIn(f"authorization: Basic {MASK}\r\n".encode(), masked)
        self.assertIn(f"Cookie: {MASK}\r\nX-A: b\r\n".encode(), masked)
        self.assertNotIn(b"ZGVz", masked)


class Decoding(unittest.TestCase):
    BODY = b'{"id":"PC-20931"}' * 5000

    def test_what_servers_send(self):
        raw = zlib.compressobj(wbits=-15)
        bare = raw.compress(self.BODY) + raw.flush()
        for body, encoding in [
            (gzip.compress(self.BODY), "gzip"),
            (gzip.compress(self.BODY), "X-GZIP"),
            (gzip.compress(self.BODY[:100]) + gzip.compress(self.BODY[100:]), "gzip"),
            (zlib.compress(self.BODY), "deflate"),
            (bare, "deflate"),
            (gzip.compress(zlib.compress(self.BODY)), "deflate, gzip"),
            (self.BODY, "identity"),
        ]:
            with self.subTest(encoding):
                self.assertEqual(decode(body, encoding, 1_000_000), self.BODY)
        self.assertEqual(decode(b"", "gzip", 10), b"")

    def test_what_is_refused(self):
        for body, encoding, code in [
            (gzip.compress(self.BODY), "gzip", "too-large"),
            (gzip.compress(b"")[:-4], "gzip", "bad-encoding"),
            (gzip.compress(b"x") + b"salt", "gzip", "bad-encoding"),
            (gzip.compress(b"") * 1500, "gzip", "bad-encoding"),
            (b"plain", "deflate", "bad-encoding"),
            (b"x", "br", "bad-encoding"),
            (b"x", "zstd", "bad-encoding"),
            (b"x", "compress", "unknown-encoding"),
        ]:
            with self.subTest(code), self.assertRaises(Blocked) as caught:
                decode(body, encoding, 1000)
            self.assertEqual(caught.exception.reason.code, code)


class _Hops(Handler):
    """/301, /303, /307 lead to /end; /away leads to another port; /end says what came."""

    away = ""

    def answer(self):
        size = int(self.headers.get("Content-Length", 0))
        body = self.rfile.read(size)
        name = self.path.strip("/")
        if name == "end":
            said = {
                "method": self.command,
                "body": body.decode(),
                "auth": "Authorization" in self.headers,
                "type": self.headers.get("Content-Type"),
            }
            data = json.dumps(said).encode()
            self.send_response(200)
            self.send_header("Content-Type", "application/json")
        else:
            data = b""
            self.send_response(int(name) if name.isdigit() else 302)
            self.send_header("Location", self.away if name == "away" else "/end#there")
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data)

    do_GET = do_POST = do_PUT = answer


class Redirects(unittest.TestCase):
    def setUp(self):
        self.servers = [ThreadingHTTPServer(("127.0.0.1", 0), _Hops) for _ in range(2)]
        for server in self.servers:
            threading.Thread(target=server.serve_forever, args=(0.02,), daemon=True).start()
            self.addCleanup(server.server_close)
            self.addCleanup(server.shutdown)
        self.address = f"http://127.0.0.1:{self.servers[0].server_port}"
        _Hops.away = f"http://127.0.0.1:{self.servers[1].server_port}/end"

    def end(self, send: str) -> dict:
        step = (
            f"  - {{ request: a, send: '{send}', auth: {{ bearer: x }}, json: '{{}}', expect: "
            f"[ {{ of: status, is: 200 }} ], keep: {{ end: $ }} }}\n"
        )
        results = run_text(case(step))
        self.assertEqual(len(results.cases[0].steps[0].exchanges), 2)
        return results.cases[0].steps[0].kept["end"]

    def test_methods_bodies_and_sign_in(self):
        kept = {"method": "POST", "body": "{}", "auth": True, "type": "application/json"}
        turned = {"method": "GET", "body": "", "auth": True, "type": None}
        self.assertEqual(self.end(f"POST {self.address}/307"), kept)
        self.assertEqual(self.end(f"POST {self.address}/308"), kept)
        self.assertEqual(self.end(f"POST {self.address}/301"), turned)
        self.assertEqual(self.end(f"POST {self.address}/303"), turned)
        self.assertEqual(self.end(f"PUT {self.address}/302"), {**kept, "method": "PUT"})
        self.assertEqual(self.end(f"POST {self.address}/away"), {**turned, "auth": False})


class Files(unittest.TestCase):
    def setUp(self):
        self.root = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def write(self, name: str, text: str | bytes) -> None:
        path = self.root / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(text if isinstance(text, bytes) else text.encode())

    def project(self) -> None:
        self.write("project.yaml", "salt-path: 1\nproject: P\nenvironment: Live\n")
        self.write("environments/live.yaml", "salt-path: 1\nenvironment: Live\n")
        self.write("suites/b/suite.yaml", "salt-path: 1\nsuite: B\norder: [z, a]\n")
        for name in ("b/a", "b/m", "b/z", "a/x"):
            self.write(f"suites/{name}.case.yaml", f"salt-path: 1\ncase: {name}\nsteps: []\n")

    def test_order_and_parts(self):
        self.project()
        self.assertEqual(
            [entry.case.name for entry in load([self.root]).cases], ["a/x", "b/z", "b/a", "b/m"]
        )
        self.assertEqual(
            [entry.file for entry in load([self.root / "suites/b/m.case.yaml"]).cases],
            ["suites/b/m.case.yaml"],
        )
        found = load([self.root / "suites/b", self.root / "suites/b/m.case.yaml"])
        self.assertEqual(len(found.cases), 3, "none twice")
        self.assertEqual(found.environment("LIVE").name, "Live")
        self.assertEqual(found.environment("").name, "Live")

    def test_every_problem_of_every_file(self):
        self.project()
        self.write("suites/b/a.case.yaml", "salt-path: 1\ncase: x\nsteps: [ { wiat: 1 s } ]\n")
        self.write("suites/b/m.case.yaml", b"salt-path: 1\ncase: \xff\n")
        self.write("environments/live.yaml", "salt-path: 1\n")
        with self.assertRaises(FormatError) as caught:
            load([self.root])
        said = [str(problem) for problem in caught.exception.problems]
        self.assertEqual(len(said), 3, said)
        self.assertTrue(any(line.startswith("suites/b/a.case.yaml:3: ") for line in said), said)
        self.assertTrue(
            any("suites/b/m.case.yaml:2: the file is not UTF-8" in line for line in said), said
        )

    def test_paths_that_do_not_fit(self):
        self.write("notes.txt", "x")
        other = Path(self.enterContext(tempfile.TemporaryDirectory()))
        for paths, words in [
            ([self.root / "notes.txt"], "not a case file"),
            ([self.root / "gone"], "no such file"),
            ([self.root, other], "different projects"),
        ]:
            with self.subTest(words), self.assertRaises(FormatError) as caught:
                load(paths)
            self.assertIn(words, str(caught.exception))


class Reports(unittest.TestCase):
    STEPS = (
        "  - { request: Good, send: 'GET [=harbour]/pilots', expect: [ { of: $.total, is: 3 }, { "
        "of: time, below: 1 us, advice: true } ] }\n"
        "  - { request: Bad & <odd>, send: 'GET [=harbour]/pilots', expect: [ { of: "
        '"$.items[0].name", is: "\\u0001x" } ] }\n'
        "  - { request: Never, send: 'GET [=harbour]/pilots', expect: [ { of: status, is: 200 } ] "
        "}\n"
    )

    def test_junit_says_what_a_person_needs(self):
        text = b"".join(junit.write(run_text(case(self.STEPS)).report())).decode()
        self.assertIn('tests="3" failures="1" errors="0" skipped="1"', text)
        self.assertIn("advice: time is below 1 us", text)
        self.assertIn("Bad &amp; &lt;odd&gt;", text)
        self.assertIn("expected: “\ufffdx”", text)
        self.assertIn("where: $.items[0].name", text)

    def test_json_counts(self):
        data = plain_report(run_text(case(self.STEPS), case(self.STEPS.splitlines(True)[0])))
        self.assertEqual(data["counts"]["steps"], {"passed": 2, "failed": 1, "skipped": 1})
        self.assertEqual(data["counts"]["cases"], {"failed": 1, "passed": 1})
        self.assertEqual(data["cases"][0]["rows"][0]["steps"][1]["checks"][0]["code"], "differs")

    def test_the_terminal_shows_failures_as_they_happen(self):
        events: list = []
        results = run_text(case(self.STEPS), events=events)
        from saltpath.core.cases.case import Project
        from saltpath.core.running.compiled import CompiledPlan

        for quiet in (False, True):
            out = io.StringIO()
            terminal = Terminal(CompiledPlan((results.cases[0].planned,), Project("")), out, quiet)
            for event in events:
                terminal.take(event)
            terminal.finish(results)
            said = out.getvalue()
            self.assertIn("✗ A test · Bad & <odd>: $.items[0].name was “Tor Eikeland”", said)
            self.assertIn(f"GET {harbour()}/pilots · answered 200", said)
            self.assertNotIn("\x1b", said, "plain lines where it is no terminal")
