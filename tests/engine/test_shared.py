"""Shared steps and steps for each item, carried out: scopes, verdicts, what stays inside, the same
data again."""

import unittest

from saltpath.core.answers.exchange import MASK
from saltpath.core.cases.case import NamedValues, Project
from saltpath.core.format.reader import read_case
from saltpath.core.running.compiled import CompiledPlan, Destination, compiled
from saltpath.engine.loop import run_in_loop
from saltpath.engine.run import run_plan
from saltpath.formats.reports import junit
from saltpath.formats.reports.results import CaseResult, Results
from tests.harbour import harbour, plain_report

SIGN_IN = """\
salt-path: 1
shared: Sign in
inputs: { user: { kind: text, default: desk }, pin: {} }
outputs: { token: "[=kept.token]", who: "[=user]" }
steps:
  - request: Ask for a token
    key: askt0k
    send: POST [=harbour]/sessions
    json: { user: "[=user]", password: "[=pin]" }
    expect: [ { of: status, is: 201 } ]
    keep: { token: { of: $.token, secret: true } }
"""
USE = (
    "  - { shared: sign-in, key: us3s1n, with: { pin: '[=pin]' }, gives: { token: deskToken, "
    "who: agent } }\n"
)
READ = (
    "  - { request: Read, key: r3adit, send: 'GET [=harbour]/vessels/[=line]', expect: [ { of: "
    "status, is: 200 } ] }\n"
)
PIN = "salt-and-tar"


def run(
    steps,
    more="",
    seed=7,
    library=(("sign-in", SIGN_IN),),
    jobs=1,
    copies=1,
    changes=None,
    **values,
):
    text = f"salt-path: 1\ncase: A test\nkey: abcde56789\n{more}steps:\n{steps}"
    project = Project(
        "Tests", values=NamedValues({"harbour": harbour(), **values}, frozenset(["pin"]))
    )
    shared = {name: read_case(source) for name, source in library}
    cases = tuple(compiled(read_case(text), None, "", project, shared) for _ in range(copies))
    plan = CompiledPlan(
        cases,
        project,
        seed=seed,
        destinations=(Destination(secrets={"pin": PIN}, changes=changes),),
        jobs=jobs,
        started_us=1_795_420_800_000_000,
    )
    results = Results([CaseResult(case) for case in plan.cases])
    run_in_loop(lambda selector: run_plan(plan, selector, results.take))
    return results


def steps_of(results, number=0):
    return [(step.inner, step.name, step.verdict) for step in results.cases[number].steps]


class Shared(unittest.TestCase):
    def test_inputs_go_in_and_outputs_come_out(self):
        results = run(USE + "  - { set: { seen: '[=agent]' }, key: s33nit }\n")
        inner, use, seen = results.cases[0].steps
        self.assertEqual(
            steps_of(results)[:2], [("0", "Ask for a token", "passed"), ("", "Sign in", "passed")]
        )
        self.assertEqual(use.kept, {"deskToken": MASK, "agent": "desk"})
        self.assertEqual(use.secret_kept, ("deskToken",))
        self.assertEqual(seen.kept, {"seen": "desk"})
        self.assertNotIn(PIN, str(results.cases[0].steps))
        self.assertEqual(results.verdict, "passed")
        self.assertIsNotNone(inner.exchanges)

    def test_nothing_of_the_caller_s_is_seen_inside_and_nothing_stays(self):
        nosy = SIGN_IN.replace(
            '"[=user]", password', '"[=secretOfMine | default \\"gone\\"]", password'
        )
        results = run(
            f"  - {{ set: {{ secretOfMine: desk }} }}\n{USE}  - {{ set: {{ x: '[=token]' }} }}\n",
            library=(("sign-in", nosy),),
        )
        _, inner, use, x = results.cases[0].steps
        self.assertEqual(
            (inner.verdict, use.verdict),
            ("failed", "failed"),
            "the user is gone, so the sign-in is refused",
        )
        self.assertIn("Ask for a token: ", use.why.sentence)
        self.assertEqual(x.verdict, "skipped")
        after = run(USE + "  - { set: { x: '[=token]' }, key: s33nit }\n").cases[0].steps[-1]
        self.assertEqual((after.verdict, after.why.code), ("blocked", "no-value"))

    def test_what_is_missing_or_of_another_kind_blocks(self):
        for use, code in (
            ("{ shared: sign-in }", "input-missing"),
            ("{ shared: sign-out, with: { pin: x } }", "no-shared"),
            ("{ shared: sign-in, with: { pin: x, user: 7 } }", "not-of-kind"),
            ("{ shared: sign-in, with: { pin: '[=nowhere]' } }", "no-value"),
        ):
            step = run(f"  - {use}\n").cases[0].steps[-1]
            self.assertEqual((step.verdict, step.why.code), ("blocked", code))

    def test_they_nest(self):
        outer = (
            "salt-path: 1\nshared: Outer\noutputs: { token: '[=kept.t]' }\nsteps:\n  - { "
            "shared: sign-in, with: { pin: '[=pin]' }, gives: { token: t } }\n"
        )
        results = run(
            "  - { shared: outer, gives: { token: deskToken } }\n",
            library=(("sign-in", SIGN_IN), ("outer", outer)),
        )
        self.assertEqual([inner for inner, _, _ in steps_of(results)], ["0/0", "0", ""])
        report = plain_report(results)["cases"][0]["rows"][0]["steps"]
        self.assertEqual(
            [(s["step"], s["steps"][0]["step"], s["steps"][0]["steps"][0]["step"]) for s in report],
            [("Outer", "Sign in", "Ask for a token")],
        )


class Each(unittest.TestCase):
    EACH = (
        "  - for each: '[=names]'\n    as: line\n    key: 3achit\n    steps:\n  "
        + READ.replace("\n", "\n  ").rstrip()
        + "\n"
    )

    def test_each_item_in_its_turn(self):
        results = run(self.EACH, names=["V-101", "V-102", "V-103"])
        self.assertEqual([inner for inner, _, _ in steps_of(results)], ["1.0", "2.0", "3.0", ""])
        self.assertEqual(results.verdict, "passed")
        self.assertEqual(results.counts()["steps"], {"passed": 3})
        self.assertIn(b"item 2", b"".join(junit.write(results.report())))

    def test_a_bad_item_ends_it_or_does_not(self):
        names = ["V-101", "V-000", "V-103"]
        stopped = run(self.EACH, names=names)
        self.assertEqual([inner for inner, _, _ in steps_of(stopped)], ["1.0", "2.0", ""])
        self.assertTrue(stopped.cases[0].steps[-1].why.sentence.startswith("item 2, Read: "))
        going_on = run(self.EACH, more="on failure: go on\n", names=names)
        self.assertEqual(
            [verdict for _, _, verdict in steps_of(going_on)],
            ["passed", "failed", "passed", "failed"],
        )

    def test_no_item_is_skipped_and_no_list_blocks(self):
        self.assertEqual(run(self.EACH, names=[]).cases[0].steps[-1].verdict, "skipped")
        self.assertEqual(run(self.EACH, names="V-101").cases[0].steps[-1].why.code, "no-list")

    def test_an_item_s_name_is_nearest_and_gone_afterwards(self):
        results = run(
            "  - { set: { line: outside } }\n" + self.EACH + "  - { set: { after: '[=line]' } }\n",
            names=["V-101"],
        )
        self.assertEqual(results.cases[0].steps[-1].kept, {"after": "outside"})


class Again(unittest.TestCase):
    MAKE = (
        "  - for each: [1, 2]\n    as: n\n    key: 3achit\n    steps:\n      - { set: { made: "
        "'[=any digits 12]' }, key: mak3it }\n"
    )

    def drawn(self, **more):
        results = run(self.MAKE + self.MAKE.replace("3achit", "s3cond"), **more)
        return [[step.kept["made"] for step in case.steps if step.inner] for case in results.cases]

    def test_the_same_seed_draws_the_same_for_each_item(self):
        first = self.drawn()[0]
        self.assertEqual(len(set(first)), 4, "each item draws its own")
        self.assertEqual(self.drawn(jobs=32, copies=40), [first] * 40)
        self.assertNotEqual(self.drawn(seed=8)[0], first)


class Guarded(unittest.TestCase):
    def test_a_run_that_may_change_nothing_leaves_out_what_might(self):
        results = run(
            USE + READ.replace("[=line]", "V-101"), changes=frozenset(), more="on failure: go on\n"
        )
        self.assertEqual(steps_of(results)[0][1:], ("Ask for a token", "skipped"))
        self.assertEqual(results.cases[0].steps[-1].verdict, "passed")
        use = results.cases[0].steps[1]
        self.assertEqual((use.verdict, use.why.code), ("blocked", "not-given"))
        self.assertIn("since Ask for a token was skipped", use.why.sentence)
        allowed = run(USE, changes=frozenset(["askt0k"]))
        self.assertEqual(steps_of(allowed)[0][1:], ("Ask for a token", "passed"))
