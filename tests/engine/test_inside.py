"""What surrounds the steps inside others: cookies, checks on every answer, conditions, cleaning up,
values that are drawn once, a run that was broken off."""

import unittest

from saltpath.core.cases.case import NamedValues, Project, Suite
from saltpath.core.format.project import read_project
from saltpath.core.format.reader import read_case
from saltpath.core.running.compiled import CompiledPlan, Destination, compiled
from saltpath.core.running.supplies import Kept, Resume
from saltpath.core.running.totals import RecordedStep
from saltpath.engine.loop import run_in_loop
from saltpath.engine.run import run_plan
from saltpath.formats.reports.results import CaseResult, Results
from tests.harbour import harbour
from tests.supplies import Given

HEAD = "salt-path: 1\ncase: A test\nkey: abcde56789\n"
GET = "{ request: %s, send: 'GET [=harbour]%s', expect: [ { of: status, is: %s } ] }"


def shared(steps, more=""):
    return f"salt-path: 1\nshared: Inner\n{more}steps:\n{steps}"


def run(text, project=None, resume=None, suite=None, values=None, seed=7, **library):
    own = NamedValues(
        {"harbour": harbour(), **(project.values.values if project else {})}, frozenset(["pin"])
    )
    around = Project("Tests", values=own, every_answer=project.every_answer if project else ())
    found = {name: read_case(source) for name, source in library.items()}
    case = compiled(read_case(HEAD + text), suite, "", around, found, begun=1 if resume else None)
    plan = CompiledPlan(
        (case,),
        around,
        seed=seed,
        destinations=(Destination(secrets={"pin": "salt-and-tar"}),),
        values=values or {},
        started_us=1_795_420_800_000_000,
    )
    supplies = Given(resumes={1: resume} if resume else None)
    results = Results([CaseResult(case)])
    run_in_loop(lambda selector: run_plan(plan, selector, results.take, supplies=supplies))
    return results.cases[0]


def told(result):
    return [(step.part, step.inner, step.name, step.verdict) for step in result.steps]


def reasons(result):
    return [step.why.sentence if step.why else "" for step in result.steps]


class Around(unittest.TestCase):
    def test_cookies_are_the_caller_s(self):
        enter = (
            "  - { request: Enter, send: 'POST [=harbour]/desk', form: { user: desk, "
            "password: '[=pin]' } }\n"
        )
        ask = (
            "  - { shared: inner }\n  - { request: Ask, send: 'GET [=harbour]/desk', expect: [ "
            "{ of: status, is: 200 } ] }\n"
        )
        result = run(f"steps:\n{ask}", inner=shared(enter))
        self.assertEqual(told(result)[-1][2:], ("Ask", "passed"), reasons(result))

    def test_checks_on_every_answer_hold_inside(self):
        project = read_project(
            "salt-path: 1\nproject: x\nevery answer: [ { of: header X-Nothing, present: true, "
            "note: strict } ]\n"
        )
        result = run(
            "steps:\n  - { shared: inner }\n",
            project,
            inner=shared(f"  - {GET % ('A', '/berths', 200)}\n"),
        )
        self.assertEqual([step.verdict for step in result.steps], ["failed", "failed"])
        self.assertEqual(result.steps[0].outcomes[-1].origin, "project")
        spared = (
            "{ request: A, send: 'GET [=harbour]/berths', expect: [ { of: status, is: 200 } "
            "], without: [strict] }"
        )
        result = run("steps:\n  - { shared: inner }\n", project, inner=shared(f"  - {spared}\n"))
        self.assertEqual([step.verdict for step in result.steps], ["passed", "passed"])

    def test_what_follows_a_bad_step_inside_is_not_reached(self):
        inner = shared(
            "".join(
                f"  - {GET % (name, path, 200)}\n"
                for name, path in (("A", "/berths"), ("B", "/nowhere"), ("C", "/berths"))
            )
        )
        result = run(
            f"steps:\n  - {{ shared: inner }}\n  - {GET % ('D', '/berths', 200)}\n", inner=inner
        )
        self.assertEqual(
            [row[2:] for row in told(result)],
            [
                ("A", "passed"),
                ("B", "failed"),
                ("C", "skipped"),
                ("Inner", "failed"),
                ("D", "skipped"),
            ],
        )
        self.assertTrue(result.why.sentence.startswith("B: "), result.why)
        result = run(
            f"on failure: go on\nsteps:\n  - {{ shared: inner }}\n  - "
            f"{GET % ('D', '/berths', 200)}\n",
            inner=inner,
        )
        self.assertEqual(
            [row[3] for row in told(result)], ["passed", "failed", "passed", "failed", "passed"]
        )

    def test_cleaning_up_goes_on_inside(self):
        inner = shared(
            "".join(
                f"  - {GET % (name, path, 200)}\n"
                for name, path in (("A", "/nowhere"), ("B", "/berths"))
            )
        )
        result = run(
            f"steps:\n  - {GET % ('D', '/berths', 201)}\nafterwards:\n  - {{ shared: inner }}\n",
            inner=inner,
        )
        self.assertEqual(
            [row[2:] for row in told(result)],
            [("D", "failed"), ("A", "failed"), ("B", "passed"), ("Inner", "failed")],
        )

    def test_a_bad_once_skips_the_rows(self):
        inner = shared(f"  - {GET % ('A', '/nowhere', 200)}\n")
        result = run(
            f"once:\n  - {{ shared: inner }}\nsteps:\n  - {GET % ('D', '/berths', 200)}\n",
            inner=inner,
        )
        self.assertEqual((result.verdict, told(result)[-1][2:]), ("failed", ("D", "skipped")))

    def test_conditions_and_what_is_switched_off(self):
        steps = "".join(
            f"  - {{ {word}, {more} }}\n"
            for word, more in (
                ("shared: inner", "off: true"),
                ("shared: inner", "only if: { of: value mark, is: no }"),
                ("for each: [1]", "only if: { of: value mark, is: no }, steps: [ { wait: 1 ms } ]"),
                ("for each: [1]", "steps: [ { wait: 1 ms, off: true } ]"),
            )
        )
        result = run(
            f"values: {{ mark: yes-it-is }}\nsteps:\n{steps}",
            inner=shared(f"  - {GET % ('A', '/berths', 200)}\n"),
        )
        self.assertEqual({row[3] for row in told(result)}, {"skipped"})
        self.assertEqual(result.verdict, "skipped")

    def test_waiting_and_setting_alone_do_not_count(self):
        result = run(
            "steps:\n  - { shared: inner, gives: { x: y } }\n  - { set: { z: '[=y]' } }\n",
            inner=shared("  - { set: { a: 7 } }\n  - { wait: 1 ms }\n", "outputs: { x: '[=a]' }\n"),
        )
        self.assertEqual((result.steps[-1].kept, result.steps[-2].counts), ({"z": 7}, False))


class Values(unittest.TestCase):
    def test_a_value_that_is_drawn_is_the_same_inside(self):
        project = read_project("salt-path: 1\nproject: x\nvalues: { mark: '[=any digits 12]' }\n")
        inner = shared("  - { set: { b: '[=mark]' } }\n", "outputs: { b: '[=b]' }\n")
        steps = (
            "  - { shared: inner, gives: { b: first } }\n  - { set: { a: '[=mark]' } }\n  - { "
            "shared: inner, gives: { b: last } }\n"
        )
        kept = {}
        for step in run(f"steps:\n{steps}", project, inner=inner).steps:
            kept |= {} if step.inner else step.kept
        self.assertEqual(len(set(kept.values())), 1, kept)

    def test_what_a_run_is_given_wins_over_inputs(self):
        inner = shared(
            "  - { set: { b: '[=who]' } }\n",
            "inputs: { who: { default: desk } }\noutputs: { b: '[=b]' }\n",
        )
        result = run(
            "steps:\n  - { shared: inner, gives: { b: got } }\n",
            values={"who": "pilot"},
            inner=inner,
        )
        self.assertEqual(result.steps[-1].kept, {"got": "pilot"})

    def test_a_text_that_looks_like_a_reference_is_not_read_again(self):
        inner = shared(
            "  - { set: { b: '[=what]' } }\n", "inputs: { what: {} }\noutputs: { b: '[=b]' }\n"
        )
        result = run(
            "values: { odd: \"[='[=']nowhere]\" }\nsteps:\n  - { shared: inner, with: { what: "
            "'[=odd]' }, gives: { b: got } }\n",
            inner=inner,
        )
        self.assertEqual(result.steps[-1].kept, {"got": "[=nowhere]"})

    def test_items_of_items(self):
        steps = (
            "  - for each: [[1, 2], [3]]\n    as: line\n    steps:\n      - for each: "
            "'[=line]'\n        as: cell\n        steps: [ { set: { x: '[=cell] of [=line | "
            "length]' } } ]\n"
        )
        result = run(f"steps:\n{steps}")
        self.assertEqual(
            [(step.inner, step.kept["x"]) for step in result.steps if step.kind == "set"],
            [("1.0/1.0", "1 of 2"), ("1.0/2.0", "2 of 2"), ("2.0/1.0", "3 of 1")],
        )
        self.assertEqual(result.steps[0].used["[=cell]"], {"from": "item", "value": 1})

    def test_a_secret_stays_one_on_its_way_through(self):
        inner = shared(
            "  - { set: { b: '[=what | upper]' } }\n",
            "inputs: { what: {} }\noutputs: { b: '[=what]' }\n",
        )
        result = run(
            "steps:\n  - { shared: inner, with: { what: '[=pin]' }, gives: { b: got } }\n  - { "
            "set: { c: '[=got]' } }\n",
            inner=inner,
        )
        self.assertNotIn("salt-and-tar", str(result.steps))
        self.assertEqual(result.steps[1].secret_kept, ("got",))

    def test_what_was_kept_before_a_failure_is_given_all_the_same(self):
        steps = f"  - {{ set: {{ a: 7 }} }}\n  - {GET % ('A', '/nowhere', 200)}\n"
        inner = shared(steps, "outputs: { a: '[=a]', b: '[=nothing]' }\n")
        use = "  - { shared: inner, gives: { a: got, b: lost } }\n  - { set: { c: '[=got]' } }\n"
        result = run(f"on failure: go on\nsteps:\n{use}", inner=inner)
        self.assertEqual(
            [(step.verdict, step.kept) for step in result.steps[-2:]],
            [("failed", {"got": 7}), ("passed", {"c": 7})],
        )

    def test_a_suite_s_value_in_an_environment(self):
        suite = Suite(
            "S",
            values=NamedValues({"pier": "east"}),
            values_in={"Live": NamedValues({"pier": "west"})},
        )
        self.assertEqual(
            run("steps:\n  - { set: { x: '[=pier]' } }\n", suite=suite).steps[0].kept, {"x": "east"}
        )


class BrokenOff(unittest.TestCase):
    def test_the_step_that_held_others_is_interrupted_and_cleaning_up_runs(self):
        inner = shared(f"  - {GET % ('A', '/berths', 200)}\n")
        text = (
            f"steps:\n  - {GET % ('D', '/berths', 200)}\n  - {{ shared: inner }}\nafterwards:\n"
            f"  - {{ shared: inner }}\n"
        )
        result = run(
            text,
            resume=Resume(
                Kept({}),
                {("steps", 0): RecordedStep("D", "passed", None, True, True)},
                frozenset({"steps"}),
            ),
            inner=inner,
        )
        self.assertEqual(
            [(row[0], row[2], row[3]) for row in told(result)],
            [
                ("steps", "Inner", "blocked"),
                ("afterwards", "A", "passed"),
                ("afterwards", "Inner", "passed"),
            ],
        )
        self.assertEqual(result.steps[0].why.code, "interrupted")


if __name__ == "__main__":
    unittest.main()
