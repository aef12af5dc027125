"""What is pasted where a step is added: curl lines of every shell, requests as they go over the
wire. Their meaning is held against what curl itself documents; where the machine has curl, against
what it sends."""

import http.server
import random
import shlex
import shutil
import subprocess
import threading
import time
import unittest
from urllib.parse import parse_qsl

from saltpath.core.assist.naming import name_for
from saltpath.core.format.reader import case_from_data
from saltpath.core.values.grammar import Unreadable
from saltpath.formats.pasted import read_pasted
from saltpath.formats.shell_words import Unclosed, words_of


def step(text: str) -> dict:
    found = read_pasted(text).steps
    assert len(found) == 1, found
    case_from_data({"salt-path": 1, "case": "x", "steps": found})
    return found[0]


class Words(unittest.TestCase):
    def test_posix(self):
        for line, words in [
            ("a b  c", ["a", "b", "c"]),
            ("a 'b c' d", ["a", "b c", "d"]),
            ("a 'it'\\''s'", ["a", "it's"]),
            ('a "b \\"c\\" \\$d \\e"', ["a", 'b "c" $d \\e']),
            ("a b\\ c", ["a", "b c"]),
            ("a \\\n  b \\\r\n c", ["a", "b", "c"]),
            ("a $'b\\nc\\x41\\u00e4\\'\\101'", ["a", "b\ncAä'A"]),
            ("a $'\\xc3\\xb8'", ["a", "ø"]),
            ("a '' \"\"", ["a", "", ""]),
            ("a 'x'\"y\"z", ["a", "xyz"]),
            ("a b | jq .", ["a", "b"]),
            ("a b; rm x", ["a", "b"]),
            ("a b > out.txt", ["a", "b"]),
            ("a b 2>/dev/null", ["a", "b"]),
            ("a 'x|y;z>' b", ["a", "x|y;z>", "b"]),
            ("a b && c", ["a", "b"]),
            ("a b\nc d", ["a", "b"]),
            ("a 'b\nc'", ["a", "b\nc"]),
        ]:
            with self.subTest(line):
                self.assertEqual(words_of(line), words)

    def test_as_the_shell_itself_splits(self):
        chance = random.Random(9)
        letters = [
            "a",
            "B",
            " ",
            "'",
            '"',
            "\\",
            "\n",
            "$",
            "|",
            ";",
            "ä",
            "&",
            ">",
            "{",
            "=",
            "^",
            "`",
        ]
        for _ in range(2000):
            words = [
                "".join(chance.choice(letters) for _ in range(chance.randint(0, 8)))
                for _ in range(3)
            ]
            if any("^" in word or "`\n" in word for word in words):
                continue
            self.assertEqual(words_of(shlex.join(["curl", *words])), ["curl", *words])

    def test_the_windows_prompt(self):
        line = (
            'curl "http://h/x?a=1^&b=2" ^\r\n  -H "Accept: a" ^\r\n  --data-raw "^{^\\"a^\\": '
            '^\\"b^%^\\"^}"'
        )
        self.assertEqual(
            words_of(line),
            ["curl", "http://h/x?a=1&b=2", "-H", "Accept: a", "--data-raw", '{"a": "b%"}'],
        )

    def test_powershell(self):
        line = 'curl.exe -X POST `\n  -d \'{"a": "it\'\'s"}\' `\n  "http://h/`$x"'
        self.assertEqual(
            words_of(line), ["curl.exe", "-X", "POST", "-d", '{"a": "it\'s"}', "http://h/$x"]
        )

    def test_an_open_quote_is_said(self):
        for line in ("a 'b", 'a "b', "a $'b", 'a ^\n "b'):
            with self.subTest(line), self.assertRaises(Unclosed):
                words_of(line)


class Curl(unittest.TestCase):
    def test_where_and_how(self):
        for line, send in [
            ("curl h", "GET http://h"),
            ("curl https://h/a", "GET https://h/a"),
            ("curl -X delete http://h/a", "DELETE http://h/a"),
            ("curl -XPATCH http://h/a", "PATCH http://h/a"),
            ("curl --request PUT --url http://h/a", "PUT http://h/a"),
            ("curl -I http://h/a", "HEAD http://h/a"),
            ("curl -d x http://h/a", "POST http://h/a"),
            ("curl -sSfkL -o /dev/null http://h/a", "GET http://h/a"),
            ("curl http://h/a#part", "GET http://h/a"),
            ("/usr/bin/curl http://h/a", "GET http://h/a"),
            ("$ curl http://h/a", "GET http://h/a"),
            ("C:\\Windows\\curl.exe http://h/a", "GET http://h/a"),
            ("curl -T plan.pdf http://h/a", "PUT http://h/a"),
            ("curl http://h/[=a]", "GET http://h/[='[=']a]"),
            ("curl --location-trusted http://h/a", "GET http://h/a"),
        ]:
            with self.subTest(line):
                self.assertEqual(step(line)["send"], send)

    def test_headers(self):
        found = step(
            "curl h -H 'Accept: a' -H 'X-Empty;' -H 'User-Agent:' -A me -e http://from -b 'a=1; "
            "b=2'"
        )
        self.assertEqual(
            found["headers"],
            {"Accept": "a", "X-Empty": "", "Referer": "http://from", "Cookie": "a=1; b=2"},
        )
        twice = step("curl h -H 'X: 1' -H 'x: 2'")["headers"]
        self.assertEqual(twice, [["X", "1"], ["x", "2"]])
        self.assertEqual(
            step("curl h -H 'Host: other' -H 'Content-Length: 5' -H 'A: b'")["headers"], {"A": "b"}
        )

    def test_bodies(self):
        for options, wanted in [
            ("-d a=1 -d b=2", {"form": {"a": "1", "b": "2"}}),
            ("-d 'a=1&a=2'", {"form": [["a", "1"], ["a", "2"]]}),
            ("-d 'a=x+y%20z'", {"form": {"a": "x y z"}}),
            ("-d 'a=x%26b%3d1'", {"form": {"a": "x&b=1"}}),
            ("-d 'a=caf%E9'", {"text": "a=caf%E9", "type": "application/x-www-form-urlencoded"}),
            (
                "--data-urlencode 'a=x y&z' --data-urlencode =b",
                {"text": "a=x+y%26z&b", "type": "application/x-www-form-urlencoded"},
            ),
            ("--data-urlencode 'a=ä'", {"form": {"a": "ä"}}),
            ("-d plain", {"text": "plain", "type": "application/x-www-form-urlencoded"}),
            ("-d '{\"a\": 1}'", {"text": '{"a": 1}', "type": "application/x-www-form-urlencoded"}),
            ("-H 'content-type: application/json' -d '{\"a\": 1.50}'", {"json": '{"a": 1.50}'}),
            (
                "-H 'Content-Type: application/json' -d 'no json'",
                {"text": "no json", "type": "application/json"},
            ),
            ("--json '{\"a\": 1}'", {"json": '{"a": 1}'}),
            ("-H 'Content-Type: text/xml' -d '<a/>'", {"text": "<a/>", "type": "text/xml"}),
            ("-d 'a\nb'", {"text": "a\nb", "type": "application/x-www-form-urlencoded"}),
            (
                "-H 'Content-Type: text/plain' --data-binary 'a\nb'",
                {"text": "a\nb", "type": "text/plain"},
            ),
            (
                "--data-raw '@no file'",
                {"text": "@no file", "type": "application/x-www-form-urlencoded"},
            ),
            (
                "--data-binary @data/a.bin",
                {"file": "data/a.bin", "type": "application/x-www-form-urlencoded"},
            ),
            (
                "-F a=b -F 'f=@data/x.pdf;type=application/pdf'",
                {
                    "multipart": [
                        {"name": "a", "text": "b"},
                        {"name": "f", "file": "data/x.pdf", "type": "application/pdf"},
                    ]
                },
            ),
            ("--form-string 'a=@b;type=c'", {"multipart": [{"name": "a", "text": "@b;type=c"}]}),
            ("-d 'a=[=b]'", {"form": {"a": "[='[=']b]"}}),
        ]:
            with self.subTest(options):
                found = step(f"curl {options} http://h/")
                body = {
                    key: found[key]
                    for key in ("form", "json", "text", "type", "file", "multipart")
                    if key in found
                }
                self.assertEqual(body, wanted)
                self.assertTrue(found["send"].startswith("POST "))

    def test_a_type_of_its_own_stays_a_header(self):
        found = step("curl h -H 'Content-Type: application/problem+json' -d '{}'")
        self.assertEqual(
            (found["json"], found["headers"]), ("{}", {"Content-Type": "application/problem+json"})
        )
        self.assertEqual(step("curl h --json '{}'")["headers"], {"Accept": "application/json"})
        for type, body in (
            ("application/json; charset=utf-8", "{}"),
            ("application/x-www-form-urlencoded; charset=UTF-8", "a=1"),
        ):
            found = step(f"curl h -H 'Content-Type: {type}' -d '{body}'")
            self.assertEqual(
                found["headers"], {"Content-Type": type}, "it says more than the body by itself"
            )
        self.assertNotIn("secret", str(read_pasted("curl h -U me:secret -x p")))
        self.assertEqual(step("curl h -r 0-99")["headers"], {"Range": "bytes=0-99"})

    def test_queries(self):
        for line, send, query in [
            (
                "curl -G h/s -d a=1 --data-urlencode 'b=x y'",
                "GET http://h/s",
                {"a": "1", "b": "x y"},
            ),
            ("curl 'h/s?a=1' -G -d b=2", "GET http://h/s", {"a": "1", "b": "2"}),
            (
                "curl h/s --url-query 'q=x y' --url-query +raw=%41",
                "GET http://h/s",
                {"q": "x y", "raw": "A"},
            ),
            ("curl 'h/s?a=1&a=2'", "GET http://h/s?a=1&a=2", None),
            ("curl 'h/s?flag'", "GET http://h/s?flag", None),
            ("curl http://h/s?a=1&b=2 -k", "GET http://h/s", {"a": "1", "b": "2"}),
            ("curl http://h/s?a=1 & echo b", "GET http://h/s", {"a": "1"}),
            ("curl http://h/s?a=1& echo b", "GET http://h/s", {"a": "1"}),
            ("curl http://h/s?a=1&&echo b", "GET http://h/s", {"a": "1"}),
        ]:
            with self.subTest(line):
                found = step(line)
                self.assertEqual((found["send"], found.get("query")), (send, query))

    def test_signing_in_and_options(self):
        for options, key, wanted in [
            ("-u me:pw", "auth", {"basic": ["me", "pw"]}),
            ("-u me:p:w --digest", "auth", {"digest": ["me", "p:w"]}),
            ("--oauth2-bearer abc", "auth", {"bearer": "abc"}),
            ("-H 'Authorization: Bearer abc'", "auth", {"bearer": "abc"}),
            ("-H 'Authorization: Basic bWU6cHc='", "auth", {"basic": ["me", "pw"]}),
            ("-L", "options", None),
            ("-Lk", "options", {"verify tls": False}),
            ("-L -m 2.5", "options", {"timeout": "2.5 s"}),
            ("-L --retry 3", "options", {"retries": 3}),
            ("-L -x proxy:3128", "options", {"proxy": "http://proxy:3128"}),
            ("", "options", {"follow redirects": False}),
        ]:
            with self.subTest(options):
                self.assertEqual(step(f"curl {options} http://h/").get(key), wanted)
        kept = step("curl h -H 'Authorization: Custom x'")
        self.assertEqual((kept.get("auth"), kept["headers"]), (None, {"Authorization": "Custom x"}))

    def test_several(self):
        found = read_pasted("curl http://h/a http://h/b -L --next -d x http://h/c")
        self.assertEqual(
            [item["send"] for item in found.steps],
            ["GET http://h/a", "GET http://h/b", "POST http://h/c"],
        )

    def test_what_is_left_out_is_said(self):
        for line, words in [
            ("curl h -b jar.txt", "cookies in the file jar.txt"),
            ("curl h --frobnicate", "--frobnicate is not known"),
            ("curl h -E cert.pem:pw", "certificate cert.pem"),
            ("curl h -d @body.json", "the file body.json"),
            ("curl h --resolve h:80:127.0.0.1", "--resolve"),
            ("curl h -H @headers.txt", "headers in the file"),
            ("curl h -K settings.txt", "-K (config) was left out"),
            ("curl h --cacert ca.pem -o x", "--cacert was left out"),
            ("curl h --max-redirs 3", "--max-redirs was left out"),
            ("curl h -U me:secret -x p", "-U (proxy-user) was left out"),
        ]:
            with self.subTest(line):
                self.assertIn(words, " ".join(read_pasted(line).said))
        self.assertEqual(
            read_pasted(
                "curl -sS --compressed -v -o x h --connect-timeout 5 -w '%{http_code}'"
            ).said,
            [],
        )

    def test_what_is_none(self):
        for text, words in [
            ("curl 'h", "never closed"),
            ("curl -X POST", "no address"),
            ("wget http://h", "neither"),
            ("mycurl http://h", "neither"),
            ("hello", "neither"),
            ("curl " + "x" * 2_000_000, "1 MB"),
        ]:
            with self.subTest(text[:20]), self.assertRaisesRegex(Unreadable, words):
                read_pasted(text)

    def test_a_megabyte_is_read_in_a_moment(self):
        for text in (
            "curl h -d " + "a " * 450_000,
            "curl h ^\n " + "\\" * 900_000,
            "curl h ^\n " + "a " * 450_000,
            "curl h " + "'a'" * 300_000,
            "curl h $'" + "\\x41" * 200_000 + "'",
            "curl " + "-" * 900_000,
            "curl h -d '" + "a=b&" * 240_000 + "'",
            "/" * 900_000 + " curl",
            "POST /a HTTP/1.1\nHost: h\nTransfer-Encoding: chunked\n\n"
            + "1\na\n" * 200_000
            + "0\n\n",
            "GET /a HTTP/1.1\n" + "A: b\n" * 180_000,
        ):
            begun = time.process_time()
            try:
                read_pasted(text)
            except Unreadable:
                pass
            self.assertLess(time.process_time() - begun, 5, text[:30])

    def test_anything_at_all_ends_in_steps_or_a_sentence(self):
        chance = random.Random(77)
        bits = [
            "curl",
            " ",
            "-d",
            "-H",
            "'",
            '"',
            "\\",
            "$'",
            "^",
            "\n",
            "`",
            "--json",
            "@",
            "http://h/",
            "?a=b&",
            "=",
            "--next",
            "-",
            "--",
            "-F",
            "Authorization: Basic %%",
            ";type=",
            "\x00",
            "ä",
            "[=",
            "{",
            "-G",
            "-m",
            "-u",
            "--url-query",
            "|",
        ]
        for _ in range(4000):
            text = "curl " + "".join(chance.choice(bits) for _ in range(chance.randint(1, 14)))
            try:
                found = read_pasted(text)
            except Unreadable:
                continue
            for item in found.steps:
                self.assertNotIn("[=[", str(item))


class RawHttp(unittest.TestCase):
    def test_requests(self):
        found = step(
            "POST /port-calls?draft=true HTTP/1.1\r\nHost: h:8421\r\nContent-Type: "
            'application/json\r\nContent-Length: 14\r\n\r\n{"a": 1.50}\r\n'
        )
        self.assertEqual(found["send"], "POST http://h:8421/port-calls")
        self.assertEqual((found["query"], found["json"]), ({"draft": "true"}, '{"a": 1.50}'))
        self.assertNotIn("headers", found)
        self.assertEqual(step("GET http://h/a HTTP/1.1\nAccept: x\n")["headers"], {"Accept": "x"})
        self.assertEqual(step("GET /a\nHost: h:443\n")["send"], "GET https://h/a")
        folded = step("GET /a HTTP/1.1\nHost: h\nX-Long: one\n  two\n")
        self.assertEqual(folded["headers"], {"X-Long": "one two"})
        chunked = step(
            "POST /a HTTP/1.1\nHost: h\nTransfer-Encoding: chunked\nContent-Type: text/plain\n\n"
            "4\nfog \n3\nnow\n0\n\n"
        )
        self.assertEqual(chunked["text"], "fog now")

    def test_what_is_wrong_is_said(self):
        for text, words in [
            ("GET /a HTTP/1.1\nAccept: x", "no Host header"),
            ("GET /a HTTP/1.1\nHost: h\nno header", "line 3"),
        ]:
            with self.subTest(text), self.assertRaisesRegex(Unreadable, words):
                read_pasted(text)

    def test_names(self):
        for method, address, name in [
            ("GET", "http://h/port-calls", "Read port calls"),
            ("GET", "http://h/port-calls/7", "Read a port call"),
            ("POST", "http://h/v1/enquiries?draft=1", "Send an enquiry"),
            ("DELETE", "http://h/users/V-101/", "Delete a user"),
            ("GET", "http://h/berths/E4/status", "Read status"),
            ("PUT", "http://h/addresses/7f3c", "Replace an address"),
            ("GET", "http://h", "Read an answer"),
            ("PUT", "http://h/desk/harbour/berth-1.ics?x=1", "Replace berth-1.ics"),
        ]:
            with self.subTest(address):
                self.assertEqual(name_for(method, address), name)
        self.assertEqual(name_for("PURGE", "http://h/"), "PURGE an answer")


class Noted(http.server.BaseHTTPRequestHandler):
    seen: list = []

    def answer(self) -> None:
        length = int(self.headers.get("Content-Length", 0))
        Noted.seen.append(
            (self.command, self.path, dict(self.headers), self.rfile.read(length).decode())
        )
        self.send_response(204)
        self.end_headers()

    do_GET = do_POST = do_PUT = do_PATCH = do_DELETE = answer

    def log_message(self, *_: object) -> None:
        pass


@unittest.skipUnless(shutil.which("curl"), "this machine has no curl")
class AsItself(unittest.TestCase):
    """curl is asked what it sends; our step must send the same."""

    def test_same_method_query_and_body(self):
        server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Noted)
        threading.Thread(target=server.serve_forever, args=(0.02,), daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        base = f"http://127.0.0.1:{server.server_port}"
        for options in [
            "-d a=1 -d b=2",
            "-d 'a=x y' --data-urlencode 'c=ä&='",
            "-G -d a=1 --data-urlencode 'b=x y'",
            "-X PATCH -d x",
            "-H 'Content-Type: application/json' -d '{\"a\": 1.50}'",
            "--data-binary 'a\nb' -H 'Content-Type: text/plain'",
            "-X DELETE",
            "--data-raw '@x'",
            "-d 'line\nbreak'",
        ]:
            with self.subTest(options):
                Noted.seen.clear()
                line = f"curl -s {options} '{base}/where?z=9'"
                subprocess.run(["sh", "-c", line], check=True, timeout=20)
                method, path, headers, body = Noted.seen[0]
                ours = step(line)
                self.assertEqual(ours["send"].split()[0], method)
                query = dict(parse_qsl(path.partition("?")[2], keep_blank_values=True))
                self.assertEqual(ours.get("query", {}), query)
                if "form" in ours:
                    self.assertEqual(ours["form"], dict(parse_qsl(body, keep_blank_values=True)))
                else:
                    self.assertEqual(ours.get("json", ours.get("text", "")), body)
                if body and "json" not in ours and "form" not in ours:
                    self.assertEqual(ours["type"], headers["Content-Type"])
