"""A case's way: hand-over, afterwards, verdicts, masking, redirects, stopping."""

import asyncio
import random
import time
import unittest

from saltpath.core.cases.case import NamedValues, Project
from saltpath.core.format.project import read_project
from saltpath.core.format.reader import read_case
from saltpath.core.running.compiled import CompiledPlan, Destination, compiled
from saltpath.core.running.events import StepStarted
from saltpath.core.running.supplies import Kept, Resume
from saltpath.core.running.totals import RecordedStep
from saltpath.core.values.why import why
from saltpath.engine.loop import run_in_loop
from saltpath.engine.run import run_plan
from saltpath.engine.stop import Stop
from saltpath.formats.reports.results import CaseResult, Results
from tests.harbour import case, harbour, harbour_database, run_text
from tests.supplies import Given

SIGN_IN = """\
  - request: Sign in
    send: POST [=harbour]/sessions
    json: { user: desk, password: "[=pin]" }
    expect: [ { of: status, is: 201 } ]
    keep: { token: { of: $.token, secret: true } }
"""
ASK = """\
  - request: Ask
    send: POST [=harbour]/port-calls
    auth: { bearer: "[=token]" }
    json: { vessel: Saltwife }
    expect: [ { of: status, is: 201 }, { of: $.id, starts with: PC- } ]
    keep: { portCallId: $.id }
"""
READ = """\
  - request: Read
    send: GET [=harbour]/port-calls/[=portCallId]
    auth: { bearer: "[=token]" }
    expect: [ { of: $.id, is: "[=portCallId]" } ]
"""
CANCEL = """\
afterwards:
  - request: Cancel
    send: DELETE [=harbour]/port-calls/[=portCallId]
    auth: { bearer: "[=token]" }
"""
PIN = {"pin": "salt-and-tar"}


def verdicts(results: Results) -> list[str]:
    return [step.verdict for step in results.cases[0].steps]


class Path(unittest.TestCase):
    def test_values_are_handed_from_step_to_step(self):
        results = run_text(case(SIGN_IN + ASK + READ) + CANCEL, secrets=PIN)
        self.assertEqual(verdicts(results), ["passed", "passed", "passed", "unchecked"])
        self.assertEqual(results.verdict, "passed", "a clean-up without checks does not count")
        self.assertRegex(results.cases[0].steps[1].kept["portCallId"], r"^PC-\d+$")

    def test_the_first_bad_step_ends_the_row_and_afterwards_runs(self):
        bad = (
            "  - { request: Bad, send: 'GET [=harbour]/pilots', expect: [ { of: status, is: 404 "
            "} ] }\n"
        )
        results = run_text(case(SIGN_IN + ASK + bad + READ) + CANCEL, secrets=PIN)
        self.assertEqual(verdicts(results), ["passed", "passed", "failed", "skipped", "unchecked"])
        self.assertEqual(results.cases[0].steps[4].status, 204)
        self.assertEqual(results.cases[0].steps[3].why.sentence, "not reached: Bad failed")

    def test_go_on(self):
        bad = (
            "  - { request: Bad, send: 'GET [=harbour]/pilots', expect: [ { of: status, is: 404 "
            "} ], keep: { x: $.total } }\n"
        )
        gone = (
            "  - { request: Gone, send: 'GET [=harbour]/berths/[=never]', expect: [ { of: "
            "status, is: 200 } ] }\n"
        )
        good = (
            "  - { request: Good, send: 'GET [=harbour]/pilots?size=[=x]', expect: [ { of: "
            "status, is: 200 } ] }\n"
        )
        results = run_text(case(bad + gone + good, "on failure: go on\n"))
        self.assertEqual(verdicts(results), ["failed", "blocked", "passed"])
        self.assertEqual(results.verdict, "failed")

    def test_verdicts_of_steps_without_checks(self):
        plain = "  - { request: Plain, send: 'GET [=harbour]/pilots' }\n"
        self.assertEqual(run_text(case(plain)).verdict, "unchecked")
        hands_over = (
            "  - { request: A, send: 'GET [=harbour]/vessels/none', keep: { x: $.status } }\n"
        )
        uses = (
            "  - { request: B, send: 'GET [=harbour]/berths/[=x]', expect: [ { of: status, is: "
            "404 } ] }\n"
        )
        results = run_text(case(hands_over + uses))
        self.assertEqual(results.cases[0].why.sentence, "answered 404, nothing handed over")
        cleanup = "afterwards:\n  - { request: C, send: 'PATCH [=harbour]/pilots' }\n"
        self.assertEqual(
            run_text(case(uses.replace("[=x]", "E9")) + cleanup).cases[0].why.sentence,
            "answered 405, so this was not done",
        )
        self.assertEqual(run_text(case("  - set: { a: 1 }\n  - wait: 1 ms\n")).verdict, "unchecked")

    def test_a_keep_that_finds_nothing_blocks(self):
        keep = (
            "  - { request: A, send: 'GET [=harbour]/pilots', expect: [ { of: status, is: 200 "
            "} ], keep: { x: $.totl } }\n"
        )
        results = run_text(case(keep))
        self.assertEqual(
            results.cases[0].why.sentence,
            "nothing to keep as x: nothing at $.totl; did you mean $.total?",
        )

    def test_switched_off_steps_are_skipped(self):
        steps = (
            "  - { request: A, off: true, send: 'GET [=harbour]/x', expect: [ { of: status, "
            "is: 1 } ] }\n"
        )
        self.assertEqual(run_text(case(steps)).verdict, "skipped")

    def test_set_values_and_built_ins(self):
        steps = '  - set: { who: "[=case.name]/[=step.name]/[=row.number]/[=run.seed]" }\n'
        self.assertEqual(run_text(case(steps)).cases[0].steps[0].kept["who"], "A test/set who/1/7")


class Wire(unittest.TestCase):
    def test_the_exchange_is_kept_as_it_went(self):
        step = (
            run_text(
                case(
                    "  - { request: A, send: 'POST [=harbour]/fee-quotes', json: '{ "
                    '"lengthMetres": 12.80, "tonnage": 44 }\', expect: [ { of: status, is: 200 '
                    "} ] }\n"
                )
            )
            .cases[0]
            .steps[0]
        )
        exchange = step.exchanges[0]
        self.assertTrue(
            exchange.sent_head.startswith(b"POST /fee-quotes HTTP/1.1\r\nHost: 127.0.0.1")
        )
        self.assertEqual(exchange.sent_body, b'{ "lengthMetres": 12.80, "tonnage": 44 }')
        self.assertTrue(exchange.received_head.startswith(b"HTTP/1.1 200 OK\r\n"))
        self.assertIn(b'"total":131.84', exchange.body)
        self.assertGreater(exchange.times.waiting, 0)
        self.assertGreaterEqual(exchange.times.total, exchange.times.waiting)

    def test_connections_are_used_again(self):
        step = (
            "  - { request: A, send: 'GET [=harbour]/pilots', expect: [ { of: status, is: 200 "
            "} ] }\n"
        )
        first, second = run_text(case(step * 2)).cases[0].steps
        self.assertEqual((first.exchanges[0].reused, second.exchanges[0].reused), (False, True))

    def test_methods(self):
        for method, status in [("HEAD", 200), ("OPTIONS", 405), ("PUT", 405), ("BERTH", 405)]:
            steps = (
                f"  - {{ request: A, send: '{method} [=harbour]/pilots', expect: [ {{ of: "
                f"status, is: {status} }} ] }}\n"
            )
            results = run_text(case(steps))
            self.assertEqual(results.verdict, "passed", method)
            self.assertTrue(
                results.cases[0].steps[0].exchanges[0].sent_head.startswith(method.encode())
            )

    def test_redirects_are_hops_and_can_be_left_alone(self):
        step = (
            "  - { request: A, send: 'GET [=harbour]/faults/loop', expect: [ { of: status, is: "
            "302 } ], options: { follow redirects: false } }\n"
        )
        self.assertEqual(run_text(case(step)).verdict, "passed")
        results = run_text(case(step.replace("false", "true")))
        self.assertEqual(
            [exchange.status for exchange in results.cases[0].steps[0].exchanges], [302, 302]
        )

    def test_several_cases_side_by_side(self):
        step = (
            "  - { request: A, send: 'GET [=harbour]/faults/slow?ms=1000', expect: [ { of: "
            "status, is: 200 } ] }\n"
        )
        begun = time.monotonic()
        results = run_text(*[case(step)] * 8, jobs=8)
        self.assertEqual(results.verdict, "passed")
        self.assertLess(time.monotonic() - begun, 7, "one after another they would take 8 s")


class Secrets(unittest.TestCase):
    def test_no_secret_leaves_the_engine(self):
        events: list = []
        run_text(
            case(SIGN_IN + ASK + READ) + CANCEL,
            secrets={"pin": "salt-and-tar"},
            events=events,
        )
        token = next(e for e in events if type(e).__name__ == "StepFinished").kept["token"]
        said = repr(events)
        self.assertEqual(token, "●●●")
        self.assertNotIn("salt-and-tar", said)
        self.assertIn("Authorization: Bearer \\xe2\\x97\\x8f", said)
        self.assertNotRegex(said, r"Bearer [0-9a-f]{24}")

    def test_short_secrets_and_other_forms(self):
        steps = (
            "  - { request: A, send: 'POST [=harbour]/sessions?p=[=pin]', json: { user: desk, "
            "password: '[=pin]', n: 1234 }, expect: [ { of: status, is: 401 } ] }\n"
        )
        for pin in ["1", 'a"b/c', "é x"]:
            events: list = []
            run_text(case(steps), secrets={"pin": pin}, events=events)
            finished = next(e for e in events if type(e).__name__ == "StepFinished")
            self.assertIn("●●●", finished.exchanges[0].address)
            self.assertIn("●●●".encode(), finished.exchanges[0].sent_body)
            self.assertIn(b"1234", finished.exchanges[0].sent_body)


class Stopping(unittest.TestCase):
    def run_with(
        self, text: str, stopped_in: int | None = None, resume: Resume | None = None
    ) -> Results:
        """Run a case; Ines stops it a moment after the step of this index has begun."""
        project = Project("T", values=NamedValues({"harbour": harbour()}, frozenset(PIN)))
        case = compiled(read_case(text), begun=1 if resume else None)
        plan = CompiledPlan((case,), project, (Destination(secrets=PIN),))
        supplies = Given(resumes={1: resume} if resume else None)
        results = Results([CaseResult(entry) for entry in plan.cases])

        async def walk(selector):
            stop = Stop()

            def take(event) -> None:
                results.take(event)
                if isinstance(event, StepStarted) and event.step == stopped_in:
                    asyncio.get_running_loop().call_later(0.15, stop.request, "Ines")

            await run_plan(plan, selector, take, stop, supplies=supplies)

        run_in_loop(walk)
        return results

    def test_stop_gives_up_what_is_under_way_and_cleans_up(self):
        slow = (
            "  - { request: Slow, send: 'GET [=harbour]/faults/slow?ms=60000', expect: [ { of: "
            "status, is: 200 } ] }\n"
        )
        begun = time.monotonic()
        results = self.run_with(case(SIGN_IN + ASK + slow + READ) + CANCEL, stopped_in=2)
        self.assertLess(time.monotonic() - begun, 30)
        self.assertEqual(verdicts(results), ["passed", "passed", "blocked", "skipped", "unchecked"])
        self.assertEqual((results.stopped_by, results.cases[0].verdict), ("Ines", "blocked"))
        self.assertEqual(results.cases[0].steps[4].status, 204)

    def test_a_stop_gives_up_nothing_that_cleans_up(self):
        """Whenever it comes: what is under way, waits for its turn, is asked again, or pauses."""
        slow = "send: 'GET [=harbour]/faults/slow?ms=60'"
        paced = "options: { at once per host: 1, per second: 20 }"
        tidying = (
            "afterwards:\n"
            f"  - {{ request: A, {slow} }}\n"
            "  - wait: 60 ms\n"
            f"  - {{ request: B, {slow}, {paced} }}\n"
            f"  - {{ request: C, {slow}, {paced} }}\n"
            "  - { request: D, send: 'GET [=harbour]/pilots', repeat: { until: [ { of: status, is: "
            "299 } ], every: 20 ms, at most: 100 ms } }\n"
            "  - look up: E\n    in: harbour\n    sql: WITH RECURSIVE n(i) AS (SELECT 1 UNION "
            "ALL SELECT i + 1 FROM n WHERE i < 200000) SELECT MAX(i) AS most FROM n\n"
            "    expect: [ { of: '$[0].most', is: 200000 } ]\n"
        )
        texts = [case(READ.replace("[=portCallId]", "x")) + tidying] * 2
        project = read_project(
            {
                "salt-path": 1,
                "project": "T",
                "values": {"harbour": harbour()},
                "databases": {"harbour": {"sqlite": harbour_database()}},
            }
        )
        for number in range(6):
            cases = tuple(compiled(read_case(text), project=project) for text in texts)
            plan = CompiledPlan(cases, project, jobs=2)
            results = self.stopped_after(random.Random(number).uniform(0.02, 0.5), plan)
            with self.subTest(number):
                for result in results.cases:
                    steps = [step for step in result.steps if step.part == "afterwards"]
                    self.assertIn(len(steps), (0, 6))
                    self.assertNotIn("stopped", [step.why.code for step in steps if step.why])

    def stopped_after(self, seconds: float, plan: CompiledPlan) -> Results:
        results = Results([CaseResult(entry) for entry in plan.cases])

        async def walk(selector):
            stop = Stop()
            asyncio.get_running_loop().call_later(seconds, stop.request, "Ines")
            await run_plan(plan, selector, results.take, stop, supplies=Given())

        run_in_loop(walk)
        return results

    def test_a_begun_row_is_gone_on_with_as_interrupted(self):
        ended = RecordedStep("Sign in", "passed", None, True, True)
        kept = Kept({"portCallId": "PC-1", "token": "x"})
        resume = Resume(kept, {("steps", 0): ended, ("steps", 1): ended}, frozenset({"steps"}))
        results = self.run_with(case(SIGN_IN + ASK + READ + READ) + CANCEL, resume=resume)
        self.assertEqual(verdicts(results), ["blocked", "skipped", "blocked"])
        self.assertEqual(results.cases[0].why.code, "interrupted")
        self.assertIn("/port-calls/PC-1", results.cases[0].steps[2].exchanges[0].address)

    def test_what_had_failed_before_an_interruption_still_counts(self):
        """The fault: a step had failed and was recorded, the runner was killed during `afterwards`,
        and the case ended unchecked."""
        bad = RecordedStep("Ask", "failed", why("not-json", problem="x"), True, True)
        kept, finished = (
            Kept({"portCallId": "PC-1", "token": "x"}),
            {("steps", n): bad for n in range(2)},
        )
        for begun, sent in ((frozenset({"steps"}), 1), (frozenset({"steps", "afterwards"}), 0)):
            with self.subTest(begun=begun):
                results = self.run_with(
                    case(SIGN_IN + ASK) + CANCEL, resume=Resume(kept, finished, begun)
                )
                self.assertEqual((results.verdict, results.cases[0].verdict), ("failed", "failed"))
                self.assertEqual(results.cases[0].why.code, "not-json")
                [cleaning] = results.cases[0].steps
                self.assertEqual(
                    (cleaning.part, len(cleaning.exchanges)), ("afterwards", sent), "at most once"
                )

    def test_a_run_that_is_stopped_between_steps_has_not_passed(self):
        """Of a case that was stopped after a step that passed, the steps that were not reached are
        missing."""
        wait = "  - wait: 60 s\n"
        results = self.run_with(case(SIGN_IN + wait + READ), stopped_in=1)
        self.assertEqual(verdicts(results), ["passed", "blocked", "skipped"])
        self.assertEqual((results.verdict, results.cases[0].why.code), ("blocked", "stopped"))
