"""Whatever is raised while a step is prepared, sent, read, judged, kept, masked, recorded or shown
costs that step alone: it says so, with what it saw where that can be kept, and the next step goes
on."""

import unittest
import unittest.mock

import msgspec
from msgspec.structs import replace

from saltpath.core.cases.case import NamedValues, Project
from saltpath.core.format.reader import read_case
from saltpath.core.running.compiled import CompiledPlan, compiled
from saltpath.core.running.events import RowFinished, StepFinished
from saltpath.engine import client, ending, judging, masking, run, walk
from saltpath.engine.loop import run_in_loop
from saltpath.engine.quick import sole
from saltpath.engine.run import run_plan
from saltpath.server.api import views
from saltpath.store import evidence
from tests.harbour import case, harbour, run_text

STEPS = (
    "  - { request: Before, send: 'GET [=harbour]/berths', expect: [ { of: status, is: 200 } ] }\n"
    "  - { request: Hit, send: 'GET [=harbour]/berths?hit=salt-and-tar', query: { b: '1' }, "
    "expect: [ { of: $.items, present: true } ], keep: { n: $.items } }\n"
    "  - { request: After, send: 'GET [=harbour]/berths', expect: [ { of: status, is: 200 } ] }\n"
)
WORDS = "a fault that speaks of salt-and-tar"


class Injected(Exception):
    """No kind of problem that anybody has thought of."""


def hit(text: object) -> bool:
    return "hit=" in str(text)


class Faults(unittest.TestCase):
    LAYERS = {
        "preparing": (sole, "prepare", lambda call, step, *more: hit(step.address.text)),
        "client.begin": (
            client.Client,
            "begin",
            lambda call, self, prepared, *more: hit(prepared.address),
        ),
        "client.end": (client.Client, "end", None),
        "judging": (
            ending,
            "judge_all",
            lambda call, expect, *more: any("items" in item.sentence for item in expect),
        ),
        "keeping": (ending, "take_kept", None),
        "masking": (masking.Masker, "exchange", lambda call, self, exchange: hit(exchange.address)),
        "the step's way": (walk, "carry_out", lambda call, step, *more: step.name == "Hit"),
    }

    def injected(self, place: object, name: str, wanted):
        real = getattr(place, name)

        def replaced(*arguments, **more):
            if wanted is None or wanted(name, *arguments):
                if name == "end" and not hit(arguments[2].address):
                    return real(*arguments, **more)
                raise Injected(WORDS)
            return real(*arguments, **more)

        return unittest.mock.patch.object(place, name, replaced)

    def test_each_layer(self) -> None:
        for layer, (place, name, wanted) in self.LAYERS.items():
            with (
                self.subTest(layer),
                self.injected(place, name, wanted),
                self.assertLogs("saltpath.engine"),
            ):
                results = run_text(
                    case(STEPS, "on failure: go on\nvalues: { pin: salt-and-tar }\n"),
                    secrets={"pin": "salt-and-tar"},
                    faults=True,
                )
                before, bad, after = results.cases[0].steps
                self.assertEqual(
                    [s.verdict for s in (before, bad, after)],
                    ["passed", "blocked", "passed"],
                    layer,
                )
                self.assertEqual(bad.why.code, "fault")
                self.assertIn("Injected", bad.why.sentence)
                self.assertEqual(results.cases[0].verdict, "blocked")

    def test_an_answer_that_was_there_is_kept(self) -> None:
        with self.injected(*self.LAYERS["judging"]), self.assertLogs("saltpath.engine"):
            bad = run_text(case(STEPS, "on failure: go on\n"), faults=True).cases[0].steps[1]
        self.assertEqual((len(bad.exchanges), bad.exchanges[0].status, bad.status), (1, 200, 200))

    def test_what_a_fault_says_is_masked(self) -> None:
        steps = STEPS.replace("hit=salt-and-tar", "hit=[=pin]")
        with self.injected(*self.LAYERS["judging"]), self.assertLogs("saltpath.engine"):
            results = run_text(
                case(steps, "on failure: go on\n"), secrets={"pin": "salt-and-tar"}, faults=True
            )
        for told in (results.cases[0].steps[1].why.sentence, results.cases[0].why.sentence):
            self.assertIn("a fault that speaks of", told)
            self.assertNotIn("salt-and-tar", told)

    def test_what_cannot_be_recorded(self) -> None:
        """The consumer of the events fails at one step, as the evidence did at half a character
        beside a great number."""
        text, events = case(STEPS, "on failure: go on\n"), []

        def take(event) -> None:
            if isinstance(event, StepFinished) and event.name == "Hit" and event.exchanges:
                raise UnicodeEncodeError("utf-8", "\ud800", 0, 1, "surrogates not allowed")
            events.append(event)

        with self.assertLogs("saltpath.engine"):
            plan = self.plan(text)
            verdict = run_in_loop(lambda selector: run_plan(plan, selector, take))
        steps = [event for event in events if isinstance(event, StepFinished)]
        self.assertEqual([event.verdict for event in steps], ["passed", "blocked", "passed"] * 2)
        self.assertEqual((steps[1].why.code, verdict), ("not-kept", "blocked"))

    def plan(self, text: str, **more) -> CompiledPlan:
        project = Project("T", values=NamedValues({"harbour": harbour()}))
        return CompiledPlan(
            (
                compiled(read_case(text), project=project),
                compiled(read_case(text), project=project),
            ),
            project,
            seed=1,
            **more,
        )

    def test_a_case_that_cannot_begin_or_end_leaves_the_others(self) -> None:
        for name in ("begin", "one_row", "end"):
            text = case(STEPS, "rows: { make: 3, columns: { n: '[=row.number]' } }\n")
            with self.subTest(name), self.assertLogs("saltpath.engine"):
                real, calls, events = getattr(run.CaseWalk, name), [], []

                async def replaced(self, *arguments, real=real, calls=calls):
                    calls.append(self)
                    if self is calls[0]:
                        raise Injected(WORDS)
                    return await real(self, *arguments)

                with unittest.mock.patch.object(run.CaseWalk, name, replaced):
                    verdict = self.carried_out(text, events)
                rows = [event.case for event in events if isinstance(event, RowFinished)]
                self.assertEqual((verdict, rows.count(1)), ("blocked", 3))

    def carried_out(self, text: str, events: list) -> str:
        plan = self.plan(text)
        return run_in_loop(lambda selector: run_plan(plan, selector, events.append))

    def test_what_cannot_be_shown(self) -> None:
        events: list = []
        run_text(case(STEPS, "on failure: go on\n"), events=events, faults=True)
        step = next(
            event for event in events if isinstance(event, StepFinished) and event.name == "Hit"
        )
        head = evidence.StepHead(0, 1, "steps", 1, step.verdict, step.status, step.us, step.at)
        kept = evidence.StepEvidence(
            head, "Hit", "request", None, step.exchanges, step.outcomes, {}, {}, (), True
        )
        spoilt = replace(kept, exchanges=(msgspec.structs.replace(step.exchanges[0], times=None),))
        with self.assertLogs("saltpath.web"):
            shown = views.step_view(spoilt, "run_x")
        self.assertEqual(
            (shown["name"], shown["why"]["code"], shown["exchanges"]), ("Hit", "fault", [])
        )
        self.assertEqual(len(views.step_view(kept, "run_x")["exchanges"]), 1)

    def test_a_fault_within_masking_a_fault(self) -> None:
        with unittest.mock.patch.object(masking.Masker, "reason", side_effect=Injected(WORDS)):
            reason = judging.masked_fault(Injected(WORDS), masking.Masker())
        self.assertEqual(
            reason.params, {"problem": "Injected"}, "what cannot be masked is not said"
        )


if __name__ == "__main__":
    unittest.main()
