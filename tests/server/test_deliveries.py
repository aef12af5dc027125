"""Results of runs that are sent to addresses: none is forgotten, each arrives once by its id, and
what came of each try is told."""

import json
import tempfile
import threading
import time
import unittest
import urllib.request
import xml.etree.ElementTree as ET
from pathlib import Path
from typing import Any, ClassVar

from saltpath.demo.harbour.receiver import KEY
from saltpath.runner.courier import Courier
from saltpath.store import cases, deliveries, people, projects, run_records, runs, secrets
from saltpath.store.database import connect, migrate, write
from saltpath.store.deliveries import GIVEN_UP_AFTER_S, Rule
from tests.application import Application, free_port
from tests.engine.answering import Handler, serving
from tests.harbour import harbour

STEPS = [{"request": "B", "send": "GET http://h/"}]
SECOND = 1_000_000


def received(address: str) -> dict[str, Any]:
    request = urllib.request.Request(f"{address}/results", headers={"Accept": "application/json"})
    with urllib.request.urlopen(request, timeout=30) as answer:
        found: dict[str, Any] = json.load(answer)
        return found


def shut(address: str, seconds: int) -> None:
    body = json.dumps({"seconds": seconds}).encode()
    request = urllib.request.Request(f"{address}/results/shut", body, method="PUT")
    urllib.request.urlopen(request, timeout=30).close()


class Taking(Handler):
    """Takes whatever comes, and keeps its headers and body."""

    got: ClassVar[list[tuple[dict[str, str], bytes]]] = []

    def do_POST(self) -> None:
        size = int(self.headers["Content-Length"])
        self.got.append((dict(self.headers.items()), self.rfile.read(size)))
        self.give(b"{}")


class Sending(unittest.TestCase):
    """The courier by itself, with a clock of its own."""

    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        migrate(self.folder)
        self.main = connect(self.folder)
        self.addCleanup(self.main.close)
        self.owner = people.local_owner(self.main).id
        self.project = projects.add_project(
            self.main, self.owner, {"salt-path": 1, "project": "P"}
        ).id
        self.suites = [
            projects.add_suite(
                self.main, self.project, self.owner, name, {"salt-path": 1, "suite": name}
            )
            for name in ("s", "t")
        ]
        document = {"salt-path": 1, "case": "A", "steps": STEPS}
        self.case = cases.add_case(self.main, self.project, self.suites[0].id, self.owner, document)
        self.now = 1_795_420_800 * SECOND
        self.courier = Courier(self.folder, clock=lambda: self.now)

    def rule(self, address: str, key: str = "", **more: Any) -> deliveries.StoredRule:
        rule = Rule(address, header="X-Key" if key else "", **more)
        stored = deliveries.add_rule(self.main, self.project, self.owner, rule)
        if key:
            place = secrets.Place(self.project, deliveries.secret_name(stored))
            secrets.set_secret(self.main, self.folder, place, self.owner, key)
        return stored

    def ended(self, verdict: str = "passed", kind: str = "run", environment: str = "") -> runs.Run:
        run, _ = runs.ask(
            self.main,
            self.project,
            self.owner,
            [(self.case.id, self.case.version, "A")],
            kind=kind,
            title="T",
            environments=[environment],
            seed=1,
        )
        with write(self.main):
            run_records.record_started(self.main, run.id, self.now)
            run_records.record_case_finished(self.main, run.id, 0, verdict, None, 5)
            run_records.record_finished(self.main, run.id, self.now, "")
        return run

    def log(self) -> list[deliveries.Logged]:
        return deliveries.log_of(self.main, self.project, None, 100)

    def until(self, seconds: int, step: int = 5) -> None:
        """Let time go by, with a look as often as that."""
        end = self.now + seconds * SECOND
        while self.now < end:
            self.now += step * SECOND
            self.courier.deliver_due()

    def test_it_arrives_once_after_ten_minutes_in_which_nobody_took_it(self) -> None:
        self.rule(f"{harbour()}/results", KEY)
        before = {one["delivery"] for one in received(harbour())["items"]}
        shut(harbour(), 1_000)
        self.ended("failed")
        self.courier.deliver_due()
        self.until(600)
        [one] = self.log()
        self.assertEqual(one.delivery.state, "waiting")
        self.assertEqual({item.said for item in one.tries}, {"it answered 503"})
        waited = [
            (later.at - item.at) // SECOND
            for item, later in zip(one.tries, one.tries[1:], strict=False)
        ]
        self.assertEqual(waited, sorted(waited), "the waits grow")
        shut(harbour(), 0)
        self.until(1_000)
        [one] = self.log()
        self.assertEqual((one.delivery.state, one.tries[-1].status), ("delivered", 201))
        found = received(harbour())
        new = [item for item in found["items"] if item["delivery"] not in before]
        self.assertEqual([item["delivery"] for item in new], [one.delivery.oid])
        self.assertEqual((new[0]["verdict"], found["doubled"]), ("failed", 0))
        number = len(one.tries)
        self.until(7_200, 600)
        self.assertEqual(len(self.log()[0].tries), number, "and then it is left alone")

    def test_what_was_sent_but_not_noted_is_known_again_by_its_id(self) -> None:
        self.rule(f"{harbour()}/results", KEY)
        self.ended()
        self.courier.deliver_due()
        doubled = received(harbour())["doubled"]
        deliveries.send_again(self.main, self.log()[0].delivery.oid, self.now)
        self.courier.deliver_due()
        self.assertEqual(received(harbour())["doubled"], doubled + 1)
        self.assertEqual([one.status for one in self.log()[0].tries], [201, 200])

    def test_after_a_day_it_is_given_up_and_can_be_sent_again(self) -> None:
        self.rule(f"http://127.0.0.1:{free_port()}/results")
        self.ended()
        self.until(GIVEN_UP_AFTER_S + 20_000, 300)
        [one] = self.log()
        self.assertEqual(one.delivery.state, "given up")
        self.assertLess(len(one.tries), 30)
        self.assertIn("refused the connection", one.tries[-1].said)
        with serving(Taking) as address:
            stored = deliveries.rules(self.main, self.project)[0]
            deliveries.change_rule(self.main, stored, self.owner, 1, Rule(f"{address}/"))
            deliveries.send_again(self.main, one.delivery.oid, self.now)
            self.courier.deliver_due()
        self.assertEqual(self.log()[0].delivery.state, "delivered")

    def test_only_runs_that_are_meant_are_sent(self) -> None:
        address = "http://h/"
        meant = {
            self.rule(address).id: "every",
            self.rule(address, bad=True).id: "bad",
            self.rule(address, environment="Live").id: "live",
            self.rule(address, suite=self.suites[0].oid).id: "its suite",
            self.rule(address, suite=self.suites[1].oid).id: "another suite",
        }
        for more, wanted in (
            ({}, {"every", "its suite"}),
            ({"verdict": "unchecked"}, {"every", "bad", "its suite"}),
            ({"environment": "Live"}, {"every", "live", "its suite"}),
            ({"kind": "trial"}, set()),
        ):
            before = {one.delivery.id for one in self.log()}
            self.ended(**more)  # type: ignore[arg-type]
            new = [one.delivery for one in self.log() if one.delivery.id not in before]
            self.assertEqual({meant[one.rule] for one in new}, wanted, more)

    def test_a_rule_that_was_taken_away_still_sends_what_was_on_its_way(self) -> None:
        stored = self.rule(f"{harbour()}/results", KEY)
        self.ended()
        deliveries.turn_rule(self.main, stored, gone=True)
        self.ended()
        self.courier.deliver_due()
        self.assertEqual([one.delivery.state for one in self.log()], ["delivered"])

    def test_what_arrives_is_what_was_asked_for(self) -> None:
        with serving(Taking) as address:
            self.rule(f"{address}/in", "s3cret")
            self.rule(f"{address}/in", form="json")
            self.ended("failed")
            self.courier.deliver_due()
        # they are sent side by side, so that either may arrive first
        (head, body), (_, other) = sorted(Taking.got[-2:], key=lambda one: one[1][:1] != b"<")
        self.assertEqual(ET.fromstring(body).tag, "testsuites")
        self.assertEqual(json.loads(other)["verdict"], "failed")
        self.assertEqual((head["X-Key"], head["X-Verdict"]), ("s3cret", "failed"))
        self.assertRegex(head["Delivery-Id"], r"^delivery_\w+")

    def test_who_does_not_answer_holds_up_nobody(self) -> None:
        release = threading.Event()
        self.addCleanup(release.set)

        class Silent(Handler):
            def do_POST(self) -> None:
                release.wait(20)

        with serving(Silent) as silent, serving(Taking) as address:
            self.rule(f"{silent}/")
            self.rule(f"{address}/in")
            self.ended()
            sending = threading.Thread(target=self.courier.deliver_due)
            before = len(Taking.got)
            sending.start()
            end = time.monotonic() + 20
            while len(Taking.got) == before and time.monotonic() < end:
                time.sleep(0.01)
            self.assertEqual(len(Taking.got), before + 1)
            self.assertTrue(sending.is_alive(), "the other is waited for still")
            release.set()
            sending.join(20)
        self.assertEqual(sorted(one.delivery.state for one in self.log()), ["delivered", "waiting"])

    def test_nothing_is_sent_to_salt_path_itself(self) -> None:
        with serving(Taking) as address:
            port = int(address.rpartition(":")[2])
            self.courier = Courier(self.folder, port, lambda: self.now)
            self.rule(f"{address}/")
            self.ended()
            self.courier.deliver_due()
        [item] = self.log()[0].tries
        self.assertEqual(item.status, 0)
        self.assertTrue(item.said)


class Rules(unittest.TestCase):
    """Through the whole application."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.app = cls.enterClassContext(Application())
        cls.harbour = f"http://127.0.0.1:{cls.app.harbour_port}"

    def test_the_demonstration_sends_junit_to_its_register(self) -> None:
        run = self.app.run(tags=["smoke"])

        register = self.app.get(f"/delivery-rules?project={self.app.project}")["items"][0]["id"]

        def probe() -> Any:
            items = self.app.get(f"/deliveries?project={self.app.project}")["items"]
            return next(
                (
                    one
                    for one in items
                    if one["run"] == run["id"] and one["rule"] == register and one["tries"]
                ),
                None,
            )

        one = self.app.wait(probe)
        self.assertEqual((one["state"], one["tries"][0]["status"]), ("delivered", 201))
        self.assertIn(one["id"], [item["delivery"] for item in received(self.harbour)["items"]])
        with urllib.request.urlopen(f"{self.harbour}/results", timeout=30) as page:
            self.assertIn(b"Register of results", page.read())
        self.assertEqual(self.app.ask("POST", f"/deliveries/{one['id']}/again")[0], 200)
        self.app.wait(lambda: len(probe()["tries"]) == 2)

    def test_rules_are_added_changed_taken_away_and_brought_back(self) -> None:
        asked = {"project": self.app.project, "address": "https://register.example/in"}
        status, _, rule = self.app.ask("POST", "/delivery-rules", {**asked, "key": "s3cret"})
        self.assertEqual((status, rule["form"], rule["hasKey"]), (201, "junit", True))
        path, change = f"/delivery-rules/{rule['id']}", {"form": "json", "header": "X-Token"}
        status, _, changed = self.app.ask("PATCH", path, change, If_Match='"1"')
        self.assertEqual((status, changed["form"], changed["version"]), (200, "json", 2))
        self.assertNotIn("s3cret", json.dumps(changed))
        self.assertEqual(self.app.ask("PATCH", path, change, If_Match='"1"')[0], 412)
        self.assertEqual(self.app.ask("PATCH", path, change)[0], 428)
        listed = f"/delivery-rules?project={self.app.project}"
        self.assertEqual(self.app.ask("DELETE", path)[0], 200)
        self.assertNotIn(rule["id"], [one["id"] for one in self.app.get(listed)["items"]])
        self.assertEqual(self.app.ask("DELETE", path)[0], 404)
        self.assertEqual(self.app.ask("POST", f"{path}/back")[0], 200)
        self.assertIn(changed, self.app.get(listed)["items"])

    def test_what_cannot_be_sent_to_is_refused(self) -> None:
        for wrong in (
            {"address": ""},
            {"address": "ftp://h/"},
            {"address": "http://"},
            {"address": "http://h:99999/"},
            {"address": "http://h/ä b"},
            {"address": "http://h/\r\nX: y"},
            {"address": "http://[::1"},
            {"address": "http://h/", "header": "X Key"},
            {"address": "http://h/", "header": "Content-Type"},
            {"address": "http://h/", "key": "a\r\nb: c"},
            {"address": "http://h/", "form": "pdf"},
            {"address": "http://h/", "suite": "suite_none"},
            {"address": "http://h/", "environment": "Nowhere"},
            {},
        ):
            body = {"project": self.app.project, **wrong}
            status, _, problem = self.app.ask("POST", "/delivery-rules", body)
            self.assertEqual(status, 422, wrong)
            self.assertTrue(problem["title"])
