"""A secret leaves the engine in no form: a server gives it back in every one, and the events of the
run are searched for each. With any one place of masking taken out, or any one form, the search
finds it."""

import base64
import gzip
import html
import json
import random
import time
import unittest
import zlib
from contextlib import contextmanager
from unittest.mock import patch
from urllib.parse import quote, quote_plus, unquote

from saltpath.core.answers.exchange import MASK
from saltpath.core.values.plain import masking, show
from saltpath.engine import encodings, judging
from saltpath.engine.encodings import ESCAPES, FORMS, undone
from saltpath.engine.masking import Masker
from tests.engine.answering import Handler, serving
from tests.harbour import case, run_text

SECRET = 's4lt&tar/<"9"> +é½'
PLAIN = "lowWater7Marker"


def forms(text: str) -> dict[str, bytes]:
    """The text in every form, worked out without the code that is tested."""
    octets, units = text.encode(), text.encode("utf-16-be").hex()
    found = {
        "as it is": octets,
        "percent": quote(text, safe="").encode(),
        "percent, small letters": "".join(f"%{octet:02x}" for octet in octets).encode(),
        "a form's": quote_plus(text).encode(),
        "JSON": json.dumps(text, ensure_ascii=False)[1:-1].encode(),
        "JSON in ASCII": json.dumps(text)[1:-1].encode(),
        "JSON, all escaped": "".join(
            f"\\u{units[at : at + 4]}" for at in range(0, len(units), 4)
        ).encode(),
        "JSON with its strokes escaped": json.dumps(text)[1:-1].replace("/", "\\/").encode(),
        "XML": html.escape(text, quote=True).replace("&#x27;", "&apos;").encode(),
        "JSON in JSON": json.dumps(json.dumps(text))[1:-1]
        .replace('\\"', "", 1)[: -len('\\"')]
        .encode(),
        "percent, twice": quote(quote(text, safe="")).encode(),
        "XML in XML": html.escape(html.escape(text)).encode(),
        "XML by numbers": "".join(f"&#{ord(char)};" for char in text).encode(),
        "XML by hexadecimal numbers": "".join(f"&#x{ord(char):X};" for char in text).encode(),
        "hexadecimal": octets.hex().encode(),
        "hexadecimal, capitals": octets.hex().upper().encode(),
        "UTF-16": text.encode("utf-16-le"),
    }
    for before in range(3):
        whole = base64.b64encode(b"x" * before + octets)
        found[f"base64, {before} before"] = whole[
            (before * 8 + 5) // 6 : (before + len(octets)) * 8 // 6
        ]
        found[f"base64 for addresses, {before} before"] = (
            found[f"base64, {before} before"].replace(b"+", b"-").replace(b"/", b"_")
        )
    return found


@contextmanager
def echo(secret: str = SECRET):
    """A server that gives a request back: its body in JSON, in every form of the secret, and
    compressed at /gzip."""

    class Echo(Handler):
        def do_POST(self) -> None:
            sent = self.rfile.read(int(self.headers.get("Content-Length", 0)))
            said = {
                "path": self.path,
                "headers": dict(self.headers),
                "note": "y" * 110 + SECRET + "z" * 200,
                "pin": SECRET,
                SECRET: 1,
            }
            if "number" in self.path:
                said["number"] = 84215566
            body = (
                json.dumps(said).encode()
                + b"\n" * 2
                + sent
                + b"\n"
                + b"\n".join(forms(secret).values())
            )
            body = (
                body
                if "raw" in self.path
                else json.dumps({**said, "sent": sent.decode("utf-8", "replace")}).encode()
            )
            if "gzip" in self.path:
                body = gzip.compress(body)
            self.send_response(200)
            self.send_header("Content-Type", "application/json")
            self.send_header("X-Echo", quote(secret))
            if "gzip" in self.path:
                self.send_header("Content-Encoding", "gzip")
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

    with serving(Echo) as address:
        yield address


STEPS = """
  - request: Everywhere at once
    send: POST [=echo]/a/[=pin]/b
    query: { pin: "[=pin]", coded: "[=pin | base64]", signed: "[=request.path | hmac-sha256 pin]" }
    headers: { X-Plain: "[=second]", X-Coded: "[=pin | base64]", X-Sum: "[=pin | sha256]" }
    auth: { basic: [desk, "[=pin]"] }
    json: { pin: "[=pin]", note: "before [=pin] behind" }
    expect:
      - { of: $.pin, is: another }
      - { of: $.note, is: another }
      - { of: header X-Echo, is: "[=second]" }
      - { of: "$['[=pin]']", is: 2 }
      - { of: $, fits: { pin: "[?integer]", note: "[=pin]" } }
    keep: { again: $.pin, whole: $ }
    write: { table: told, columns: { pin: "[=pin]", coded: "[=pin | base64]", told: $.note,
      why: why } }
  - request: As a form
    send: POST [=echo]/raw
    form: { pin: "[=pin]", again: "[=again]" }
    expect: [ { of: body, contains: nothing of it }, { of: body, matches: "never" } ]
  - request: As XML, and back compressed
    send: POST [=echo]/raw/gzip
    xml: <a pin="[=pin]">[=pin]</a>
    expect: [ { of: $.x, is: 1 } ]
  - set: { derived: "[=pin | upper]" , joined: "x[=pin]x" }
  - request: To nowhere
    send: POST http://127.0.0.1:1/[=joined]
    expect: [ { of: status, is: 200 } ]
"""


def leaks() -> list[str]:
    """Which forms of the secrets the events of a run hold."""
    events: list = []
    with echo() as address:
        run_text(
            case(STEPS, "on failure: go on\n"),
            secrets={"pin": SECRET, "second": PLAIN},
            events=events,
            echo=address,
        )
    said = b"\n".join(everything_in(event) for event in events)
    found = [name for name, octets in forms(SECRET).items() if octets in said]
    found += ["its beginning, where it was cut"] if SECRET[:8].encode() in said else []
    return found + [f"plain, {name}" for name, octets in forms(PLAIN).items() if octets in said]


def everything_in(value) -> bytes:
    """Everything that a value holds, compressed bodies as they unpack."""
    if isinstance(value, bytes):
        try:
            return gzip.decompress(value) if value.startswith(b"\x1f\x8b") else value
        except (OSError, EOFError, zlib.error):
            return value  # spoilt on purpose
    if isinstance(value, str):
        return value.encode("utf-8", "surrogatepass")
    if isinstance(value, dict):
        return b"\n".join(
            everything_in(key) + b"\n" + everything_in(item) for key, item in value.items()
        )
    if isinstance(value, list | tuple | set | frozenset):
        return b"\n".join(map(everything_in, value))
    fields = (
        getattr(value, "__struct_fields__", None)
        or getattr(value, "__slots__", None)
        or getattr(value, "_fields", None)
    )
    if fields:
        return b"\n".join(everything_in(getattr(value, name, None)) for name in fields)
    return str(value).encode()


class Leaks(unittest.TestCase):
    def test_no_form_of_a_secret_leaves_the_engine(self):
        self.assertEqual(leaks(), [])

    def test_every_place_of_masking_is_needed(self):
        as_it_is = lambda self, given, *more: given  # noqa: E731
        for name in ("head", "octets", "text", "value", "reason", "exchange"):
            with self.subTest(name), patch.object(Masker, name, as_it_is):
                self.assertNotEqual(leaks(), [], f"without Masker.{name}")
        with patch.object(judging, "mask_outcome", lambda outcome, _masker: outcome):
            self.assertNotEqual(leaks(), [])

    def test_every_form_and_every_escape_is_needed(self):
        for table in (FORMS, ESCAPES):
            for name in table:
                with self.subTest(name), patch.dict(table):
                    del table[name]
                    self.assertNotEqual(leaks(), [], f"without {name}")


class Forms(unittest.TestCase):
    def test_what_was_escaped_is_undone_level_by_level_and_found_again(self):
        level = undone("a%2541b\\u0026&amp;lt;", ESCAPES)
        assert level is not None
        self.assertEqual(level.text, "a%41b&&lt;")
        self.assertEqual(
            [level.back(*span) for span in ((0, 1), (1, 4), (4, 5), (5, 6), (6, 10), (0, 10))],
            [(0, 1), (1, 6), (6, 7), (7, 13), (13, 21), (0, 21)],
        )
        self.assertIsNone(undone("nothing here", ESCAPES))
        for text, plain in (
            ("\\ud83d\\ude00", "😀"),
            ("%C3%A9", "é"),
            ("&#233;&#xE9;", "éé"),
            ("\\n\\/", "\n/"),
            ("&#99999999;", "&#99999999;"),
        ):
            found = undone(text, ESCAPES)
            self.assertEqual(encodings.as_text(found.text if found else text), plain)

    def test_secrets_at_random_in_every_form_and_place(self):
        chance = random.Random(2)
        letters = "abcXYZ0189 /+&<>\"'\\%=?#;:é½€😀\t"
        for _ in range(300):
            text = "".join(chance.choice(letters) for _ in range(chance.randrange(6, 24)))
            masker = Masker()
            masker.add(text)
            for name, octets in forms(text).items():
                data = b'{"a": "' + octets + b'", "b": 12345678}'
                masked = masker.octets(data)
                self.assertNotIn(octets, masked, (name, text))
                self.assertTrue(
                    masked.startswith(b'{"a": "') and masked.endswith(b'"b": 12345678}'),
                    (name, masked),
                )

    def test_what_is_no_secret_stays(self):
        masker = Masker()
        masker.add("1")
        masker.add("ab")
        for text in ("11", "a1b", "MTEx", "31", "6162", "cabin", '{"n": 21.50}', "a\u00e9b"):
            self.assertEqual(masker.text(text), text)
        self.assertEqual(masker.text("pin=1&x=ab"), f"pin={MASK}&x={MASK}")

    def test_a_beginning_before_a_cut_is_masked(self):
        masker = Masker()
        masker.add(PLAIN)
        self.assertEqual(masker.text("was “lowWat…”, expected 1"), f"was “{MASK}…”, expected 1")
        self.assertEqual(masker.text("was “low…”"), "was “low…”", "three letters say nothing")
        self.assertEqual(masker.octets(b"x lowWater7M", cut=True), f"x {MASK}".encode())
        self.assertEqual(masker.octets(b"x lowWater7M"), b"x lowWater7M")
        self.assertEqual(
            masker.octets(b"x " + PLAIN.encode().hex()[:17].encode(), cut=True),
            f"x {MASK}".encode(),
        )

    def test_strangers_cannot_make_it_slow(self):
        for secret, data in (
            ("\\" * 10 + "x", b"\\" * 200_000),
            ('"""x', b'\\"' * 100_000),
            ("%%%%b%", b"%25" * 100_000),
            ("&&&&x", b"&amp;" * 50_000),
            ("    x", b" +" * 100_000),
            ("s4lt-and-tar", "ends…".encode() * 100_000),
            ("aaaaaaab", b"a" * 1_000_000),
        ):
            masker = Masker()
            masker.add(secret)
            begun = time.monotonic()
            masker.octets(data)
            masker.text(data.decode())
            self.assertLess(time.monotonic() - begun, 10, secret)
        self.assertEqual(masker.octets(b"aaaaaaab" + b"%25" * 400_000), MASK.encode(), "withheld")
        begun = time.monotonic()
        for number in range(1000):
            masker.add(f"kept-{number:010d}-value")
        self.assertLess(time.monotonic() - begun, 5, "a thousand secrets that answers gave")


class Cut(unittest.TestCase):
    """A sentence shows the beginning of a long value: what is cut there was masked before, or half
    a secret could be read."""

    LEAST_SEEN = 5

    def seen_of(self, text: str) -> str:
        """The longest piece of the secret that can be read in a text, however it is escaped
        there."""
        for level in (
            text,
            unquote(text),
            unquote(unquote(text)),
            html.unescape(text),
            text.encode().decode("unicode_escape", "replace"),
        ):
            for length in range(len(PLAIN), self.LEAST_SEEN - 1, -1):
                for at in range(len(PLAIN) - length + 1):
                    if PLAIN[at : at + length] in level:
                        return PLAIN[at : at + length]
        return ""

    def test_at_every_place_in_every_form(self):
        masker = Masker()
        masker.add(PLAIN)
        written = {
            "percent": "".join(f"%{octet:02X}" for octet in PLAIN.encode()),
            "percent, twice": "".join(f"%25{octet:02X}" for octet in PLAIN.encode()),
            "JSON": "".join(f"\\u{ord(char):04x}" for char in PLAIN),
            "XML": "".join(f"&#{ord(char)};" for char in PLAIN),
            "as it is": PLAIN,
        }
        before = masking.set(masker.text)
        try:
            for name, text in written.items():
                for pad in range(20, 125):
                    for value in (
                        "x" * pad + text + "y" * 200,
                        {"a": "x" * pad + text, "b": "y" * 200},
                        ["x" * pad, text, "y" * 200],
                    ):
                        with self.subTest(form=name, pad=pad):
                            self.assertEqual(self.seen_of(masker.text(show(value))), "")
        finally:
            masking.reset(before)

    def test_in_a_run_with_rows_side_by_side(self):
        """What is masked is each row's own, also while others are under way."""
        before = "rows: { make: 40, columns: { pad: '[=any letters 60]' } }\non failure: go on\n"
        check = "expect: [ { of: $.sent, is: nothing }, { of: $.sent, matches: '^no' } ]"
        steps = (
            f"  - {{ request: a, send: 'POST [=echo]/', text: '[=row.pad][=any letters "
            f"48][=pin][=pin | base64]', {check} }}\n"
        )
        with echo(PLAIN) as address:
            events: list = []
            run_text(
                case(steps, before),
                secrets={"pin": PLAIN},
                events=events,
                echo=address,
                jobs=8,
            )
        told = [event.why.sentence for event in events if getattr(event, "why", None)]
        self.assertTrue(told)
        self.assertEqual({self.seen_of(text) for text in told}, {""})


if __name__ == "__main__":
    unittest.main()
