"""People are told once when a watch breaks and once when it recovers: by a real mail server over
STARTTLS with a sign-in, and by webhooks; what has one cause in one message; not in muted or quiet
hours, but after them."""

import base64
import email
import email.policy
import hashlib
import hmac
import json
import ssl
import tempfile
import threading
import unittest
import unittest.mock
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import AuthResult

from saltpath.core.values.grammar import Unreadable
from saltpath.core.watching.alerts import (
    Told,
    body_of,
    lasting,
    message,
    read_template,
    signed,
    together,
)
from saltpath.core.watching.flags import flag_of
from saltpath.core.watching.states import Rule
from saltpath.runner.alerting import opening
from saltpath.runner.telling import Teller, mail_of, server_of
from saltpath.store import people, projects, routes, secrets, watches
from saltpath.store.database import connect, migrate, write
from saltpath.store.history import alerts, runs, troubles
from saltpath.store.history.runs import SECOND_US, Claim, Ended
from saltpath.store.routes import Route
from tests.application import free_port
from tests.engine.test_secure import made

BEGIN = 1_796_119_200  # 1 December 2026, 11:00 in Oslo
PASSWORD = "tide-and-bell"


def certificate(folder: Path) -> ssl.SSLContext:
    """A server's context for 127.0.0.1, whose own certificate lies in `folder`."""
    public, key = made("fernholm.example")
    (folder / "cert.pem").write_bytes(public)
    (folder / "both.pem").write_bytes(public + key)
    context = ssl.create_default_context(ssl.Purpose.CLIENT_AUTH)
    context.load_cert_chain(folder / "both.pem")
    return context


class Inbox:
    """What a mail server has taken."""

    def __init__(self) -> None:
        self.mails: list = []

    async def handle_DATA(self, server, session, envelope):
        mail = email.message_from_bytes(envelope.content, policy=email.policy.default)
        self.mails.append((session.ssl is not None, envelope.rcpt_tos, mail))
        return "250 taken"


class Hook(ThreadingHTTPServer):
    """What a webhook has got; `down`: it answers 503."""

    def __init__(self) -> None:
        self.got: list[tuple[dict[str, str], bytes]] = []
        self.down, self.tries = False, 0
        super().__init__(("127.0.0.1", 0), _Hooked)
        threading.Thread(target=self.serve_forever, daemon=True).start()

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.server_address[1]}/hook"


class _Hooked(BaseHTTPRequestHandler):
    def do_POST(self) -> None:
        body = self.rfile.read(int(self.headers["Content-Length"]))
        hook = self.server
        hook.tries += 1
        if not hook.down:
            hook.got.append((dict(self.headers.items()), body))
        self.send_response(503 if hook.down else 204)
        self.end_headers()

    def log_message(self, *_: object) -> None:
        pass


class Alerts(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        migrate(self.folder)
        self.main = self.enterContext(closing(connect(self.folder)))
        self.history = self.enterContext(closing(connect(self.folder, "history")))
        self.owner = people.local_owner(self.main).id
        document = {"salt-path": 1, "project": "Harbour", "zone": "Europe/Oslo"}
        self.project = projects.add_project(self.main, self.owner, document)
        self.now = BEGIN
        self.teller = Teller(self.folder, "http://salt.example", clock=lambda: self.now * SECOND_US)
        self.epoch = runs.take_lease(self.history, "test")
        self.hook = Hook()
        self.addCleanup(self.hook.server_close)
        self.addCleanup(self.hook.shutdown)

    def route(self, name: str = "desk", secret: str = "", **more) -> routes.StoredRoute:
        wanted = Route(name, **({"kind": "webhook", "address": self.hook.address} | more))
        stored = routes.add(self.main, self.project.id, self.owner, wanted)
        if secret:
            place = secrets.Place(self.project.id, routes.secret_name(stored))
            secrets.set_secret(self.main, self.folder, place, self.owner, secret)
        return stored

    def watch(self, name: str = "Tides", tell=("desk",), **more) -> int:
        document = {"salt-path": 1, "watch": name, "tag": "x", "tell": list(tell), **more}
        added = watches.add(self.main, self.project.id, self.owner, document)
        known = [(one.id, one.project, "") for one in watches.watches(self.main, self.project.id)]
        runs.look_after(self.history, self.epoch, known, self.now * SECOND_US)
        return added.id

    def ran(self, watch: int, fate: str, signature="s", host="") -> None:
        """A run that was due a second ago."""
        claim = Claim(watch, self.now, 0)
        runs.claim(self.history, self.epoch, [claim], [], [], 0)
        run = Ended(
            self.project.id,
            watch,
            self.now,
            0,
            flag_of(fate),
            at=self.now * SECOND_US,
            signature=signature,
            why="Ask the tide: status was 503, expected 200",
            host=host,
        )
        with write(self.history):
            runs.end(self.history, self.epoch, [run], {watch: Rule(1, 1)})

    def pass_(self, seconds: int, step: int = 10) -> None:
        """In a thread of its own: a loop of the browser's tests may run in this one."""
        with ThreadPoolExecutor(1) as other:
            for _ in range(0, seconds, step):
                other.submit(self.teller.tell_due).result()
                self.now += step
            other.submit(self.teller.tell_due).result()

    def sentences(self) -> list[str]:
        return [json.loads(body)["data"]["sentence"] for _, body in self.hook.got]

    def test_what_today_says_comes_once_each_working_day_and_heads_each_day(self) -> None:
        self.route(daily="07:30", heads=True)
        self.watch(tell=())
        head = b"h" * 32
        with write(self.history):
            self.history.execute(
                "INSERT INTO watch_head SELECT watch, 1, 0, ?, ?, ?, '' FROM watch_state",
                (head, head, head),
            )
        self.now = BEGIN - BEGIN % 86_400 - 3_600  # midnight in Oslo
        for _ in range(7 * 24):  # a week, from a Tuesday on
            self.pass_(3_600, 1_200)
        said = [json.loads(body)["data"] for _, body in self.hook.got]
        today = [one for one in said if one["state"] == "today"]
        heads = [one for one in said if one["state"] == "heads"]
        self.assertEqual((len(today), len(heads)), (5, 7))
        self.assertIn("Harbour: Nothing broke since Monday 17:00.", today[0]["sentence"])
        self.assertIn("Nothing broke since Friday 17:00.", today[4]["sentence"])
        self.assertIn("http://salt.example/today", today[0]["text"])
        self.assertIn(head.hex(), heads[0]["text"])

    def test_a_mail_comes_once_a_change_of_state_by_starttls_with_a_sign_in(self) -> None:
        inbox = Inbox()
        asked: list[bytes] = []

        def let_in(server, session, envelope, mechanism, data) -> AuthResult:
            asked.append(data.login)
            return AuthResult(success=data.password == PASSWORD.encode())

        port = free_port()
        server = Controller(
            inbox,
            "127.0.0.1",
            port,
            tls_context=certificate(self.folder),
            require_starttls=True,
            auth_required=True,
            authenticator=let_in,
        )
        server.start()
        self.addCleanup(server.stop)
        self.enterContext(
            unittest.mock.patch.dict("os.environ", SSL_CERT_FILE=str(self.folder / "cert.pem"))
        )
        self.route(
            kind="mail",
            to=("desk@fernholm.example", "night@fernholm.example"),
            server=f"127.0.0.1:{port}",
            user="salt",
            sender="Salt Path <salt@fernholm.example>",
            secret=PASSWORD,
        )
        watch = self.watch()
        for fate in ("passed", "failed", "failed", "failed", "passed", "passed"):
            self.ran(watch, fate)
            self.pass_(60)
        self.assertEqual(len(inbox.mails), 2, alerts.log_of(self.history, self.project.id, None, 9))
        (safe, to, first), (_, _, second) = inbox.mails
        self.assertTrue(safe)
        self.assertEqual(asked, [b"salt", b"salt"])
        self.assertEqual(to, ["desk@fernholm.example", "night@fernholm.example"])
        self.assertEqual(first["Subject"], "Tides is failing")
        self.assertEqual(second["Subject"], "Tides is well again after 3 min")
        self.assertEqual(first["References"], second["References"])
        self.assertNotEqual(first["Message-ID"], second["Message-ID"])
        text = first.get_body(("plain",)).get_content()
        self.assertIn("status was 503, expected 200", text)
        self.assertIn("since: 1 Dec 2026, 11:01 Europe/Oslo", text)
        self.assertIn("http://salt.example/watches/watch_", text)
        self.assertIn("<a href=", first.get_body(("html",)).get_content())

    def test_a_webhook_that_is_down_for_ten_minutes_gets_its_message_once(self) -> None:
        self.route(secret="a-key-of-the-desk")
        watch = self.watch()
        self.hook.down = True
        self.ran(watch, "failed")
        self.pass_(600)
        self.assertGreater(self.hook.tries, 3)
        self.hook.down = False
        self.pass_(1_200)
        self.assertEqual(self.sentences(), ["Tides is failing"])
        headers, body = self.hook.got[0]
        given = {name.lower(): value for name, value in headers.items()}
        told = f"{given['webhook-id']}.{given['webhook-timestamp']}.".encode() + body
        mac = hmac.new(b"a-key-of-the-desk", told, hashlib.sha256).digest()
        self.assertEqual(given["webhook-signature"], f"v1,{base64.b64encode(mac).decode()}")
        [(message, tries)] = alerts.log_of(self.history, self.project.id, None, 9)
        self.assertEqual(message.state, "delivered")
        self.assertEqual([one.said for one in tries[-2:]], ["it answered 503", ""])

    def test_routes_tell_by_tag_and_only_what_is_urgent_and_not_while_they_are_muted(self) -> None:
        by_tag = self.route("by tag", tags=("feeds",), only_urgent=True)
        tagged = self.watch("Tagged", (), tags=["feeds", "sea"])
        minor = self.watch("Minor", (), tags=["feeds"], urgent=False)
        other = self.watch("Other", (), tags=["land"])
        for watch in (tagged, minor, other):
            self.ran(watch, "failed", str(watch))
        self.pass_(120)
        self.assertEqual(self.sentences(), ["Tagged is failing"])
        until = (self.now + 1_800) * SECOND_US
        alerts.mute(self.history, by_tag.id, until, "Odd", "route")
        self.ran(tagged, "passed")
        self.pass_(1_500)
        self.assertEqual(len(self.hook.got), 1, "whose it is is away")
        self.pass_(600)
        self.assertEqual(self.sentences()[1:], ["Tagged is well again after 2 min"])

    def test_after_a_day_without_an_answer_it_is_given_up(self) -> None:
        self.route()
        watch = self.watch()
        self.hook.down = True
        self.ran(watch, "failed")
        self.pass_(30 * 3_600, 300)
        states = {m.state for m, _ in alerts.log_of(self.history, self.project.id, None, 99)}
        self.assertIn("given up", states)

    def test_fifty_that_break_by_one_cause_are_one_message(self) -> None:
        self.route()
        every = [self.watch(f"W{n}") for n in range(50)]
        for n, watch in enumerate(every):
            self.ran(watch, "blocked", signature=f"own {n}", host="tide.example:443")
            self.now += n % 2
        self.pass_(200)
        self.assertEqual(self.sentences(), ["50 watches are failing"])
        for watch in every:
            self.ran(watch, "passed")
        self.pass_(200)
        self.assertEqual(len(self.sentences()), 2)
        self.assertIn("50 watches are well again", self.sentences()[1])
        self.ran(every[0], "failed", signature="one")
        self.ran(every[1], "failed", signature="other")
        self.pass_(200)
        self.assertEqual(len(self.sentences()), 4, "two causes")

    def test_what_is_held_back_is_told_after(self) -> None:
        self.route(hours=("12:00 to 13:00",))
        watch, other = self.watch(), self.watch("Other", tell=())
        self.ran(watch, "failed")
        self.ran(other, "failed")
        self.pass_(1_800)
        self.assertEqual(self.sentences(), [], "at 11:30 it is quiet")
        self.ran(watch, "passed")
        self.pass_(2_400)
        self.assertEqual(self.sentences(), ["Tides is well again after 30 min"])
        alerts.mute(self.history, watch, (self.now + 600) * SECOND_US, "Odd")
        self.ran(watch, "failed")
        self.pass_(590)
        self.assertEqual(len(self.sentences()), 1, "it is muted")
        self.pass_(120)
        self.assertEqual(self.sentences()[1], "Tides is failing")

    def test_reminders_grow_apart_until_somebody_takes_it(self) -> None:
        self.route()
        watch = self.watch()
        self.ran(watch, "failed")
        self.pass_(13 * 3_600, 120)
        said = self.sentences()
        self.assertEqual(len(said), 4, said)
        self.assertIn("Tides is still failing, for 1 h", said[1])
        [outage] = troubles.troubles(self.history, self.project.id, 0, self.now)
        troubles.take(self.history, outage, "Odd", self.now * SECOND_US)
        self.pass_(30 * 3_600, 600)
        self.assertEqual(len(self.sentences()), 4)

    def test_another_route_is_used_when_nobody_takes_it(self) -> None:
        later = Hook()
        self.addCleanup(later.server_close)
        self.addCleanup(later.shutdown)
        self.route(then="night", then_after_s=600)
        self.route("night", address=later.address)
        watch = self.watch()
        self.ran(watch, "failed")
        self.pass_(590)
        self.assertEqual((len(self.hook.got), len(later.got)), (1, 0))
        self.pass_(120)
        self.assertEqual((len(self.hook.got), len(later.got)), (1, 1))
        self.ran(watch, "passed")
        self.pass_(120)
        self.assertEqual((len(self.hook.got), len(later.got)), (2, 2), "whoever was told")

    def test_whatever_a_watch_is_called_it_is_one_line_of_a_mail(self) -> None:
        watch = self.watch("Tides\nBcc: all@fernholm.example")
        mail = self.route(
            kind="mail", to=("a@b.example",), server="127.0.0.1:1", sender="c@d.example"
        )
        self.ran(watch, "failed")
        self.pass_(20)
        [(said, _)] = alerts.log_of(self.history, self.project.id, None, 9)
        made = mail_of(mail, said, 0)
        self.assertNotIn("\n", made["Subject"])
        self.assertIsNone(made["Bcc"])
        self.assertTrue(made.as_bytes())

    def test_a_route_that_is_gone_tells_nobody_and_holds_nobody_up(self) -> None:
        stored = self.route()
        watch = self.watch()
        routes.turn(self.main, stored, gone=True)
        self.ran(watch, "failed")
        self.pass_(120)
        self.assertEqual(self.sentences(), [])


class Parts(unittest.TestCase):
    def test_what_comes_together(self) -> None:
        causes = [(0, "a", ""), (50, "a", "h"), (90, "b", "h"), (400, "a", ""), (10, "c", "")]
        self.assertEqual(sorted(map(sorted, together(causes))), [[0, 1, 2], [3], [4]])
        self.assertEqual(together([]), [])
        self.assertEqual(len(together([(0, "", ""), (0, "", "")])), 2)

    def test_templates_are_json_once_they_are_filled(self) -> None:
        self.assertEqual(read_template('{"text": "{text}"}'), '{"text": "{text}"}')
        for wrong in ('{"text": {text}}', "{text}", '{"a": "{text}"'):
            with self.assertRaises(Unreadable, msg=wrong):
                read_template(wrong)

    def test_what_was_inserted_is_not_read_again(self) -> None:
        told = Told('{link} "quoted"', "Live", "", 0, 0, "{state}", 1, "http://x/{text}")
        made = message("outage", [told], "UTC", 60)
        body = body_of('{"a": "{sentence}", "b": "{link} {watches}"}', "outage", made, [told], "P")
        found = json.loads(body)
        self.assertEqual(found["a"], '{link} "quoted" is failing')
        self.assertEqual(found["b"], 'http://x/{text} {link} "quoted"')

    def test_keys_and_lengths(self) -> None:
        key = b"0123456789abcdef01234567"
        secret = f"whsec_{base64.b64encode(key).decode()}"
        headers = dict(signed(secret, "msg_1", 1_614_265_330, b'{"test": 2432232314}'))
        mac = hmac.new(key, b'msg_1.1614265330.{"test": 2432232314}', hashlib.sha256).digest()
        self.assertEqual(headers["webhook-signature"], f"v1,{base64.b64encode(mac).decode()}")
        said = [lasting(n) for n in (0, 59, 60, 3_600, 12_000, 86_400, 187_200)]
        wanted = ["0 s", "59 s", "1 min", "1 h", "3 h 20 min", "1 day", "2 days 4 h"]
        self.assertEqual(said, wanted)
        for text, found in {
            "mail.example": ("mail.example", 587),
            "mail.example:2525": ("mail.example", 2525),
            "[::1]:25": ("::1", 25),
        }.items():
            self.assertEqual(server_of(Route("r", server=text)), found)

    def test_a_route_opens_with_its_hours(self) -> None:
        now = BEGIN * SECOND_US
        hours = ("12:00 to 13:00 on weekdays",)
        self.assertEqual(opening(hours, "Europe/Oslo", now), now + 3_600 * SECOND_US)
        self.assertEqual(opening((), "Europe/Oslo", now), now)
        self.assertEqual(opening(("nonsense",), "Europe/Oslo", now), now)


if __name__ == "__main__":
    unittest.main()
