"""Recordings of browsers: what becomes a step, what is left out and why, what wants to be handed
over; and what is no recording."""

import json
import random
import unittest

from saltpath.core.answers.answer import Answer
from saltpath.core.answers.subjects import find, read_subject
from saltpath.core.assist.handed_over import handed_over
from saltpath.core.assist.recorded import ends_with
from saltpath.core.assist.recorded_story import site_of, story
from saltpath.core.format.reader import case_from_data
from saltpath.core.references.scopes import Scope, Scopes
from saltpath.core.values.grammar import Unreadable
from saltpath.formats.har import MOST_ENTRIES, read_har
from tests.harbour import harbour
from tests.recordings import Recorder, an_agents_morning


def steps(tape: Recorder) -> list:
    return [entry.exchange and entry.exchange.step for entry in read_har(tape.har()).entries]


def one_of(tape: Recorder, at: int):
    return read_har(tape.har()).entries[at].exchange


def one(tape: Recorder):
    """The only entry."""
    [entry] = read_har(tape.har()).entries
    return entry


class Morning(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.tape = an_agents_morning(harbour())
        cls.entries = read_har(cls.tape.har()).entries
        cls.exchanges = [entry.exchange for entry in cls.entries if entry.exchange]

    def test_what_a_case_is_about(self):
        left = story(self.exchanges).left_out
        chosen = [entry.number for entry in self.exchanges if entry.number not in left]
        self.assertEqual(chosen, [3, 6, 8, 10, 12, 20])
        self.assertEqual(
            {number: reason.code.removeprefix("recorded-") for number, reason in left.items()},
            {
                1: "page",
                2: "file",
                4: "elsewhere",
                5: "preflight",
                7: "file",
                9: "elsewhere",
                11: "file",
                13: "again",
                14: "stream",
                15: "unanswered",
                18: "elsewhere",
                19: "again",
            },
        )
        self.assertIn("went to metrics.example.net, not to 127.0.0.1", left[4].sentence)
        said = {entry.number: entry.said for entry in self.entries if entry.said}
        self.assertEqual(list(said), [16, 17])
        self.assertIn("none that a request can go to", said[16][0])
        self.assertIn("WebSocket", said[17][0])

    def test_steps(self):
        asked = self.exchanges[5].step
        self.assertEqual(asked["request"], "Send a port call")
        self.assertEqual(
            list(asked), ["request", "send", "auth", "json"], "nothing of the browser's own"
        )
        self.assertEqual(self.exchanges[9].step["query"], {"free": "true"})
        for exchange in self.exchanges:
            case_from_data({"salt-path": 1, "case": "x", "steps": [exchange.step]})

    def test_what_is_handed_over(self):
        call = self.exchanges[7].address.rpartition("/")[2]
        found = {(item.number, item.literal): item.sources for item in handed_over(self.exchanges)}
        self.assertEqual(found[8, call], ((6, "$.id"),))
        self.assertEqual(found[20, call], ((8, "$.id"), (6, "$.id")), "the nearest first")
        token = asked_with(self.exchanges[5])
        self.assertEqual(found[6, token], ((3, "$.token"),))
        literals = {literal for _, literal in found}
        self.assertEqual(literals, {call, token}, "Fernholm was said before any answer held it")


def asked_with(exchange):
    return exchange.step["auth"]["bearer"]


class Entries(unittest.TestCase):
    def test_bodies(self):
        tape = Recorder("http://h")
        for mime, text, body in [
            ("application/json; charset=utf-8", '{"a": "[=b]"}', {"json": '{"a": "[=\'[=\']b]"}'}),
            ("application/x-www-form-urlencoded", "a=1&b=%20", {"form": {"a": "1", "b": " "}}),
            ("text/csv", "a;b", {"text": "a;b", "type": "text/csv"}),
            ("application/json", "no json", {"text": "no json", "type": "application/json"}),
        ]:
            entry = tape.add("POST", "http://h/x", sent=text)
            entry["request"]["postData"]["mimeType"] = mime
            with self.subTest(mime):
                self.assertLessEqual(body.items(), steps(tape)[-1].items())

    def test_a_form_with_a_file(self):
        tape = Recorder("http://h")
        wire = (
            '--b\r\nContent-Disposition: form-data; name="about"\r\n\r\nPapers\r\n--b\r\n'
            'Content-Disposition: form-data; name="plan"; '
            'filename="C:\\\\my plan.pdf"\r\nContent-Type: application/pdf\r\n\r\n%PDF\r\n--b--\r\n'
        )
        entry = tape.add("POST", "http://h/papers", sent=wire)
        entry["request"]["postData"]["mimeType"] = "multipart/form-data; boundary=b"
        read = one(tape)
        self.assertEqual(
            read.exchange.step["multipart"],
            [
                {"name": "about", "text": "Papers"},
                {"name": "plan", "file": "data/my-plan.pdf", "type": "application/pdf"},
            ],
        )
        self.assertEqual(
            read.said,
            ["It sends the file data/my-plan.pdf: bring it into the project under that path."],
        )
        del entry["request"]["postData"]["text"]
        entry["request"]["postData"]["params"] = [
            {"name": "about", "value": "Papers"},
            {"name": "plan", "fileName": "../../x"},
        ]
        self.assertEqual(
            one(tape).exchange.step["multipart"][1], {"name": "plan", "file": "data/x"}
        )

    def test_a_body_that_was_not_recorded_is_no_step_without_one(self):
        for method, length, mime, missing in [
            ("POST", "425", "multipart/form-data; boundary=b", "multipart/form-data"),
            ("PUT", "12", "", "some kind"),
            ("POST", "0", "application/json", ""),
            ("DELETE", "", "application/json", ""),
        ]:
            tape = Recorder("http://h")
            entry = tape.add("GET", "http://h/x")
            tape.add(
                method,
                "http://h/papers",
                headers={"Content-Type": mime, **({"Content-Length": length} if length else {})},
            )
            exchanges = [entry.exchange for entry in read_har(tape.har()).entries]
            told = story(exchanges).left_out.get(2)
            with self.subTest(method):
                self.assertEqual(
                    told.sentence if told else "",
                    missing
                    and f"its body ({missing}) is not in the recording: choose it, and give the "
                    "body in its step",
                )
        entry["request"]["bodySize"] = 7
        self.assertEqual(one_of(tape, 0).body_missing, "some kind")

    def test_whose_site_it_is(self):
        tape = Recorder("https://desk.fernholm.example")
        tape.add(
            "GET", "https://www.fernholm.example/", 200, "text/html", b"<p>x</p>", kind="document"
        )
        for number in range(9):
            tape.add(
                "POST",
                f"https://told.example/{number}",
                sent="{}",
                headers={"Authorization": "Key 1"},
            )
        tape.add("GET", "https://desk.fernholm.example/settings.json")
        exchanges = [entry.exchange for entry in read_har(tape.har()).entries]
        self.assertEqual(
            story(exchanges).site, "told.example", "to the pages' own went no request for data"
        )
        tape.add("GET", "https://desk.fernholm.example/calls")
        exchanges = [entry.exchange for entry in read_har(tape.har()).entries]
        self.assertEqual(story(exchanges).site, "fernholm.example")
        self.assertEqual(story(exchanges, "told.example").site, "told.example", "somebody chose it")
        self.assertEqual(story(exchanges, "nobody.example").site, "fernholm.example")
        self.assertEqual(dict(story(exchanges).sites), {"fernholm.example": 3, "told.example": 9})

    def test_where_a_value_came_from(self):
        """Also out of a page, a header, a cookie, the end of an address; and out of the answer that
        a redirect led to."""
        tape = Recorder("http://h")
        page = (
            b'<meta content=\'page-77\' name="csrf"><input value="in-4411" type=hidden '
            b"name='proof'><input name=a value=\"a &amp; b 12345\">"
        )
        tape.add(
            "GET",
            "http://h/",
            200,
            "text/html",
            page,
            answered={"Set-Cookie": "sid=abcd1234; Path=/\nproof=prf-55; Path=/"},
            kind="document",
        )
        tape.add(
            "POST",
            "http://h/in",
            303,
            "text/html",
            b"",
            sent='{"proof": "in-4411"}',
            headers={"Cookie": "sid=abcd1234"},
            answered={"Location": "/calls/77001", "Set-Cookie": "after=redi-33"},
        )
        tape.add(
            "GET",
            "http://h/calls/77001",
            200,
            text=b'{"id": "C-9001"}',
            headers={"Cookie": "sid=abcd1234"},
        )
        tape.add(
            "POST",
            "http://h/berths",
            201,
            text=b"{}",
            sent='{"csrf": "page-77"}',
            answered={"Location": "http://h/berths/B-778", "ETag": '"v-12"'},
            headers={"X-Proof": "prf-55", "X-After": "redi-33"},
        )
        tape.add(
            "PUT",
            "http://h/berths/B-778",
            sent='{"call": "C-9001"}',
            headers={"If-Match": '"v-12"'},
        )
        exchanges = [entry.exchange for entry in read_har(tape.har()).entries]
        found = {(item.number, item.literal): item.sources[0] for item in handed_over(exchanges)}
        self.assertEqual(
            found,
            {
                (2, "in-4411"): (1, 'body ~ value="([^"]*)"[^>]*name=\'proof\''),
                (4, "page-77"): (1, "body ~ content='([^']*)'[^>]*name=\"csrf\""),
                (4, "prf-55"): (1, "cookie proof"),
                (4, "redi-33"): (2, "cookie after"),
                (5, "B-778"): (4, 'header location | split "/" | last'),
                (5, "C-9001"): (2, "$.id"),
                (5, '"v-12"'): (4, "header etag"),
            },
        )
        for item in handed_over(exchanges):
            read_subject(item.sources[0][1])
        told = story(exchanges)
        self.assertEqual(list(told.left_out), [3])
        self.assertIn("sid", told.pages[1].sentence)

    def test_what_is_proposed_can_be_read_however_it_is_named(self):
        """Names of headers, cookies and fields of pages at random: each subject reads, and finds
        the value in that answer."""
        chance = random.Random(1827)
        pieces = [
            "a",
            "Z",
            "-",
            "|",
            " | ",
            " | upper",
            "[=",
            "[='",
            "]",
            "$",
            "(",
            "/",
            "@",
            "\\",
            "é",
            "1",
            ".",
            "x y",
            "*",
            "+",
        ]
        proposed = 0
        for _ in range(400):
            names = [
                "".join(chance.choice(pieces) for _ in range(chance.randint(1, 4))).strip() or "b"
                for _ in range(3)
            ]
            page = (
                f'<input name="{names[0]}" value="page-7714"><meta content="meta-7715" '
                f'name="{names[1]}">'
            )
            tape = Recorder("http://h")
            answered = {names[2]: "head-7716", "Set-Cookie": f"{names[1]}=cook-7717"}
            tape.add(
                "GET",
                "http://h/",
                200,
                "text/html",
                page.encode(),
                answered=answered,
                kind="document",
            )
            tape.add(
                "POST",
                "http://h/in",
                sent='{"a": ["page-7714", "meta-7715", "head-7716", "cook-7717"]}',
            )
            recorded = [entry.exchange for entry in read_har(tape.har()).entries]
            head = (
                "HTTP/1.1 200 OK\r\n"
                + "".join(f"{name}: {value}\r\n" for name, value in answered.items())
                + "\r\n"
            )
            answer = Answer(200, head.encode(), page.encode(), 1)
            for item in handed_over(recorded):
                for _, path in item.sources:
                    proposed += 1
                    found = find(read_subject(path), answer, Scopes(Scope({})))
                    self.assertEqual([value for _, value in found.nodes], [item.literal], path)
        self.assertGreater(proposed, 400)

    def test_a_page_that_sets_a_cookie_and_holds_a_value_is_said_by_its_cookie(self):
        tape = Recorder("http://h")
        page = b'<input name="proof" value="in-4411">'
        tape.add(
            "GET",
            "http://h/",
            200,
            "text/html",
            page,
            answered={"Set-Cookie": "sid=abcd1234"},
            kind="document",
        )
        tape.add("POST", "http://h/a", sent='{"proof": "in-4411"}')
        tape.add("POST", "http://h/b", headers={"Cookie": "sid=abcd1234"}, sent="{}")
        told = story([entry.exchange for entry in read_har(tape.har()).entries])
        self.assertEqual(
            (told.pages[1].code, told.pages[1].params["names"]), ("recorded-sets", "sid")
        )
        self.assertEqual([item.literal for item in told.hand_overs], ["in-4411"])

    def test_redirects_are_followed_by_the_step_itself(self):
        tape = Recorder("http://h")
        tape.add("POST", "http://h/login", 302, answered={"Location": "/one"}, sent="{}")
        tape.add("GET", "http://h/one", 307, answered={"location": "two?x=1"})
        tape.add("GET", "http://h/two?x=1", 200, text=b'{"ok": true}')
        tape.add("GET", "http://h/after", 200)
        exchanges = [entry.exchange for entry in read_har(tape.har()).entries]
        self.assertEqual(
            {n: why.sentence for n, why in story(exchanges).left_out.items()},
            {2: "entry 1 leads here by itself", 3: "entry 1 leads here by itself"},
        )
        self.assertEqual(
            {n: end.number for n, end in ends_with(exchanges).items()}, {1: 3, 2: 3, 3: 3, 4: 4}
        )

    def test_a_redirect_is_a_page_or_data_by_what_it_ends_with(self):
        """Also where the recording does not say what kind of request it was."""
        tape = Recorder("http://h")
        tape.add("GET", "http://h/newest", 302, answered={"Location": "/calls/7"})
        tape.add("GET", "http://h/calls/7", 200, text=b'{"id": "C-9001"}')
        tape.add("GET", "http://h/start", 302, answered={"Location": "/home"})
        tape.add("GET", "http://h/home", 200, "text/html", b"<html></html>")
        for entry in tape.entries:
            entry.pop("_resourceType", None)
        left = story([entry.exchange for entry in read_har(tape.har()).entries]).left_out
        self.assertEqual(
            {number: why.code for number, why in left.items()},
            {2: "recorded-hop", 3: "recorded-page", 4: "recorded-hop"},
        )

    def test_cookies_come_back_by_themselves_or_are_missed(self):
        tape = Recorder("http://h")
        tape.add(
            "POST", "http://h/in", answered={"Set-Cookie": "desk=1; Path=/\nlamp=2"}, sent="{}"
        )
        tape.add("GET", "http://h/a", headers={"Cookie": "desk=1; lamp=2"})
        tape.add("GET", "http://h/b", headers={"Cookie": "desk=1; old=9"})
        said = [entry.said for entry in read_har(tape.har()).entries]
        self.assertEqual(
            said, [[], [], ["Set before the recording began, and left out: the cookie old."]]
        )
        self.assertTrue(all("headers" not in step for step in steps(tape)))

    def test_small_liberties(self):
        tape = Recorder("http://h")
        entry = tape.add(
            "get", "http://h/a b#part", headers={"X-Of": "7", "bad name": "x", "X-Two": "a\r\nb"}
        )
        entry["response"].update(status="200", headers=None, redirectURL=None)
        entry["request"]["headers"] += [{"name": None}, "x", {"value": "y"}]
        entry.pop("timings")
        entry["time"] = None
        read = one(tape)
        self.assertEqual(
            (read.exchange.step["send"], read.exchange.step["headers"], read.exchange.status),
            ("GET http://h/a%20b", {"X-Of": "7"}, 200),
        )
        self.assertEqual(len(read.said), 2)
        for shape in ({"entries": tape.entries}, {"log": {"entries": tape.entries}}):
            text = json.dumps(shape)
            for octets in (
                text.encode(),
                b"\xef\xbb\xbf" + text.encode(),
                text.encode("utf-16"),
                text.encode() + b"\0\n",
            ):
                self.assertEqual(len(read_har(octets).entries), 1)
        half = json.dumps({"log": {"entries": tape.entries}}).replace("X-Of", "X-Of\\ud83d")
        self.assertIsNotNone(read_har(half.encode()).entries[0])

    def test_an_entry_that_is_none_leaves_the_others(self):
        tape = Recorder("http://h")
        tape.entries += [
            None,
            {},
            {"request": []},
            {"request": {"url": "http://[h", "method": "GET"}},
            {"request": {"url": "http://h/", "method": "G T"}},
        ]
        tape.add("GET", "http://h/x")
        entries = read_har(tape.har()).entries
        self.assertEqual([entry.exchange is None for entry in entries], [True] * 5 + [False])
        self.assertTrue(all(entry.said for entry in entries[:5]))

    def test_sites(self):
        for address, site in [
            ("https://api.fernholm.example/x", "fernholm.example"),
            ("https://a.b.port.co.uk", "port.co.uk"),
            ("http://10.0.0.7:80/", "10.0.0.7"),
            ("http://localhost:1", "localhost"),
            ("http://[::1]/", "::1"),
        ]:
            self.assertEqual(site_of(address), site)


class NoRecordings(unittest.TestCase):
    def refused(self, octets: bytes) -> str:
        with self.assertRaises(Unreadable) as caught:
            read_har(octets)
        return str(caught.exception)

    def test_what_is_none(self):
        whole = an_agents_morning(harbour()).har()
        self.assertIn("as if it was cut", self.refused(whole[: len(whole) // 2]))
        self.assertIn("line 1", self.refused(b"GET / HTTP/1.1"))
        self.assertIn("no text in UTF-8: the byte at 2", self.refused(b'{"\xe9": 1}'))
        self.assertIn("no log with entries", self.refused(b'{"log": {"entries": 7}}'))
        self.assertIn("no log with entries", self.refused(b"[]"))
        self.assertIn("deeper", self.refused(b"[" * 100_000))
        self.assertIn("larger than 60 MB", self.refused(b" " * 60_000_001))
        self.assertIn(
            f"at most {MOST_ENTRIES}",
            self.refused(json.dumps({"log": {"entries": [1] * (MOST_ENTRIES + 1)}}).encode()),
        )
        self.assertIn("no JSON", self.refused(b'{"log": ' + b"9" * 5_000 + b"}"))

    def test_spoilt_anywhere_it_is_a_sentence_or_a_recording(self):
        chance = random.Random(5)
        whole = an_agents_morning(harbour()).har()
        for _ in range(300):
            octets = bytearray(whole)
            for _ in range(chance.randrange(1, 6)):
                octets[chance.randrange(len(octets))] = chance.randrange(256)
            try:
                entries = read_har(bytes(octets)).entries
            except Unreadable:
                continue
            exchanges = [entry.exchange for entry in entries if entry.exchange]
            story(exchanges), ends_with(exchanges), handed_over(exchanges)
