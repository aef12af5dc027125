"""A run first waits until the services that it asks answer, and stops after so many bad cases."""

import threading
import time
import unittest
from http.server import ThreadingHTTPServer
from typing import Any

from saltpath.core.cases.case import Environment, NamedValues, Project, Suite
from saltpath.core.format.reader import read_case
from saltpath.core.running.compiled import CompiledPlan, Destination, compiled
from saltpath.core.running.events import CaseFinished, CaseStarted
from saltpath.core.running.services import services
from saltpath.engine.loop import run_in_loop
from saltpath.engine.run import run_plan
from saltpath.formats.reports.results import CaseResult, Results
from tests.application import free_port
from tests.engine.answering import Handler, serving
from tests.harbour import case, harbour, run_text
from tests.supplies import Given

SECOND = 1_000_000
CHECK = "expect: [ { of: status, is: 200 } ]"


class Late(Handler):
    """Behind a gateway that has nobody to ask at first."""

    asked = 0
    away = 3

    def do_GET(self) -> None:
        Late.asked += 1
        self.give(b"{}", status=503 if Late.asked <= Late.away else 200)


def step(send: str) -> str:
    return f"  - {{ request: A, send: 'GET {send}', {CHECK} }}\n"


class Up(unittest.TestCase):
    def test_a_service_that_begins_later_is_waited_for(self) -> None:
        port = free_port()

        class Whole(Handler):
            def do_GET(self) -> None:
                self.give(b"{}")

        def begin() -> None:
            time.sleep(0.7)
            server = ThreadingHTTPServer(("127.0.0.1", port), Whole)
            self.addCleanup(server.server_close)
            self.addCleanup(server.shutdown)
            server.serve_forever(0.02)

        threading.Thread(target=begin, daemon=True).start()
        results = run_text(
            case(step("[=late]/x")), wait_us=30 * SECOND, late=f"http://127.0.0.1:{port}"
        )
        self.assertEqual(results.verdict, "passed")

    def test_a_gateway_without_anybody_behind_it_is_not_up(self) -> None:
        with serving(Late) as address:
            results = run_text(case(step(f"{address}/x")), wait_us=30 * SECOND)
        self.assertEqual((results.verdict, Late.asked), ("passed", Late.away + 2))

    def test_an_address_that_is_said_must_answer_well(self) -> None:
        class Health(Handler):
            asked: list[str] = []

            def do_GET(self) -> None:
                Health.asked.append(self.path)
                well = self.path != "/health" or len(Health.asked) > 2
                self.give(b"{}", status=200 if well else 404)

        with serving(Health) as address:
            results = run_text(
                case(step("[=api]/x")), wait_us=30 * SECOND, up_at="[=api]/health", api=address
            )
            self.assertEqual(results.verdict, "passed")
            self.assertEqual(Health.asked, ["/health"] * 3 + ["/x"])
            results = run_text(
                case(step(f"{address}/x")), wait_us=SECOND, up_at="[=nothing]/health"
            )
        self.assertEqual(results.verdict, "blocked")
        [cause] = results.report().causes
        self.assertIn("a value in it is not known there", cause.sentence)

    def test_no_secret_is_waited_for(self) -> None:
        """What was waited for stands in the reason."""
        asked = case(step("[=harbour]/vessels"))
        results = run_text(
            asked, wait_us=SECOND, up_at="[=harbour]/x?[=pin]", secrets={"pin": "salt-and-tar"}
        )
        [cause] = results.report().causes
        self.assertNotIn("salt-and-tar", cause.sentence)
        self.assertIn("[=pin] did not answer", cause.sentence)

    def test_only_where_it_does_not_come_nothing_is_begun(self) -> None:
        """Of a run against two environments the other goes on."""
        gone = f"http://127.0.0.1:{free_port()}"
        there = [Environment("Gone", values=NamedValues({"harbour": gone}))]
        there += [Environment("Here", values=NamedValues({"harbour": harbour()}))]
        text = case(step("[=harbour]/vessels"))
        cases = [compiled(read_case(text), goes=goes) for goes in (0, 1)]
        plan = CompiledPlan(
            tuple(cases),
            Project("P"),
            tuple(Destination(one) for one in there),
            wait_us=SECOND,
        )
        results = Results([CaseResult(one) for one in cases])
        run_in_loop(lambda selector: run_plan(plan, selector, results.take, supplies=Given()))
        self.assertEqual([one.verdict for one in results.cases], ["blocked", "passed"])

    def test_what_does_not_come_blocks_every_case_for_one_reason(self) -> None:
        gone = f"http://127.0.0.1:{free_port()}"
        steps = [step(f"{gone}/{number}") for number in range(5)]
        results = run_text(*[case(one) for one in steps], wait_us=SECOND, jobs=3)
        self.assertEqual({one.verdict for one in results.cases}, {"blocked"})
        self.assertFalse([one for result in results.cases for one in result.steps], "nothing sent")
        [cause] = results.report().causes
        self.assertEqual((cause.who, cause.cases), ("5 cases", 5))
        self.assertRegex(cause.sentence, "did not answer within 1 s, so that nothing was begun")

    def test_who_is_waited_for_stands_in_the_addresses(self) -> None:
        def asked(*sends: str, **values: str) -> list[str]:
            text = case("".join(f"  - {{ request: A, send: 'GET {one}' }}\n" for one in sends))
            suite = Suite("S", values=NamedValues({"of": "http://suite"}))
            there = Environment("Live", values=NamedValues({"api": "https://live:8443/v1"}))
            project = Project("P", values=NamedValues({"api": "http://api", **values}))
            plan = CompiledPlan((compiled(read_case(text), suite),), project, (Destination(there),))
            return services(plan)

        self.assertEqual(asked("[=api]/a", "[=api]/b"), ["https://live:8443/"])
        self.assertEqual(asked("[=of]/a", "http://own/x"), ["http://suite/", "http://own/"])
        self.assertEqual(asked("[=kept.there]/a", "[=row.there]/a", "[=nowhere]/a"), [])
        self.assertEqual(asked("http://[=kept.host]/a", "http://a[=kept.b].c/"), [])
        self.assertEqual(asked("http://h/[=kept.id]"), ["http://h/"])
        self.assertEqual(asked("[=other]/a", other="[=api]/x"), [])
        self.assertEqual(asked("http://u:p@h:81/a"), ["http://h:81/"])


class StopAfter(unittest.TestCase):
    def test_it_stops_once_so_many_cases_were_bad(self) -> None:
        bad = case(step("[=harbour]/nowhere"))
        good = case(step("[=harbour]/vessels"))
        results = run_text(good, bad, good, bad, good, good, stop_after=2)
        self.assertEqual(
            [one.verdict for one in results.cases],
            ["passed", "failed", "passed", "failed", "skipped", "skipped"],
        )
        self.assertEqual(results.stopped_by, "the limit of 2 bad cases")
        self.assertEqual(results.verdict, "failed")

    def test_without_so_many_it_goes_on(self) -> None:
        bad = case(step("[=harbour]/nowhere"))
        results = run_text(bad, bad, stop_after=3)
        self.assertEqual((results.verdict, results.stopped_by), ("failed", ""))


class InOrder(unittest.TestCase):
    def test_cases_that_need_each_other_run_one_after_the_other(self) -> None:
        """However many run at once, and whatever rows they have."""
        waits = "  - wait: 60 ms\n"
        rows = "rows: { make: 4, columns: { n: '[=row.number]' } }\n"
        texts = [case(waits, rows if number % 3 == 0 else "") for number in range(8)]
        suites = [Suite("In order", in_order=True), Suite("As they come")]
        events: list[Any] = []
        plan = CompiledPlan(
            tuple(compiled(read_case(text), suites[n % 2]) for n, text in enumerate(texts)),
            Project("P"),
            jobs=6,
        )
        supplies = Given(None)
        run_in_loop(lambda selector: run_plan(plan, selector, events.append, supplies=supplies))
        begun = {one.case: one.at for one in events if isinstance(one, CaseStarted)}
        ended = {one.case: one.at for one in events if isinstance(one, CaseFinished)}
        self.assertEqual(len(ended), 8)
        for before, after in ((0, 2), (2, 4), (4, 6)):
            self.assertLessEqual(ended[before], begun[after])
        self.assertLess(begun[3], ended[1], "the others do not wait")

    def test_one_at_a_time_they_run_in_the_order_of_the_plan(self) -> None:
        suite = Suite("In order", in_order=True)
        plan = CompiledPlan(
            tuple(
                compiled(read_case(case("  - wait: 1 ms\n")), suite if n in (0, 4, 5) else None)
                for n in range(6)
            ),
            Project("P"),
        )
        events: list[Any] = []
        run_in_loop(lambda selector: run_plan(plan, selector, events.append, supplies=Given(None)))
        begun = [one.case for one in events if isinstance(one, CaseStarted)]
        self.assertEqual(begun, [0, 1, 2, 3, 4, 5])
