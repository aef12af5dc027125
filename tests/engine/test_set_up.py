"""Cases that set a suite up, once before its others, and clean up after it: their order at random,
what they hand down, and what a set-up that is bad costs."""

import json
import random
import subprocess
import tempfile
import threading
import time
import unittest
from http.server import ThreadingHTTPServer
from pathlib import Path
from typing import Any

from saltpath.core.cases.case import NamedValues, Project, Suite
from saltpath.core.format.reader import read_case
from saltpath.core.running.compiled import CompiledCase, CompiledPlan, compiled
from saltpath.core.running.events import CaseFinished, CaseStarted
from saltpath.core.running.inherited import levels
from saltpath.core.running.roles import in_turn
from saltpath.core.running.supplies import Kept
from saltpath.core.values.why import said
from saltpath.engine.loop import run_in_loop
from saltpath.engine.run import run_plan
from saltpath.formats.reports.results import CaseResult, Results
from tests.engine.answering import Handler
from tests.engine.test_command_line import saltpath
from tests.harbour import harbour
from tests.supplies import Given

SUITE = Suite("Quay", id="s", set_up=("open",), clean_up=("close",))
ROUNDS = 30


class _Quay(Handler):
    """Notes when each address was asked, and answered."""

    log: list[tuple[str, str]]

    def do_GET(self) -> None:
        self.log.append(("asked", self.path))
        time.sleep(float(self.headers.get("Slow") or 0))
        status = 500 if "bad" in self.path else 200
        self.log.append(("answered", self.path))
        self.give(b'{"token": "T-77", "berth": 5}', status=status)


class SetUp(unittest.TestCase):
    def setUp(self) -> None:
        self.log: list[tuple[str, str]] = []
        server = ThreadingHTTPServer(
            ("127.0.0.1", 0),
            type("Quay", (_Quay,), {"log": self.log, "protocol_version": "HTTP/1.0"}),
        )
        threading.Thread(target=server.serve_forever, args=(0.02,), daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        self.at = f"http://127.0.0.1:{server.server_address[1]}"

    def case(
        self, key: str, suite: Suite, path: str, more: str = "", slow: float = 0
    ) -> CompiledCase:
        text = (
            f"salt-path: 1\ncase: {key}\nsteps:\n"
            f"  - request: Ask\n    send: GET {self.at}/{path}\n    headers: {{ Slow: '{slow}' }}\n"
            "    expect: [ { of: status, is: 200 } ]\n" + more
        )
        return compiled(read_case(text), suite, f"suites/quay/{key}.case.yaml")

    def run_cases(
        self,
        cases: list[CompiledCase],
        jobs: int = 4,
        supplies: Any = None,
        stop_after: int = 0,
    ) -> Results:
        cases = [
            cases[place]
            for place in in_turn([(case.role, len(levels(case.suite))) for case in cases])
        ]
        project = Project("Tests", values=NamedValues({}))
        plan = CompiledPlan(tuple(cases), project, seed=7, jobs=jobs, stop_after=stop_after)
        results = Results([CaseResult(planned) for planned in cases])
        self.turns: dict[tuple[type, str], int] = {}

        def take(event: Any) -> None:
            results.take(event)
            if isinstance(event, CaseStarted | CaseFinished):
                name = cases[event.case].case.name
                self.turns[type(event), name] = len(self.turns)

        async def walk(selector: Any) -> str:
            return await run_plan(plan, selector, take, supplies=supplies or Given())

        run_in_loop(walk)
        return results

    def asked(self) -> list[str]:
        return [path for what, path in self.log if what == "asked"]

    def test_what_it_keeps_is_handed_down(self) -> None:
        kept = "    keep: { token: { of: $.token, secret: true }, berth: $.berth }\n"
        results = self.run_cases(
            [
                self.case("one", SUITE, "one?t=[=token]&b=[=suite.berth]"),
                self.case("close", SUITE, "close?t=[=token]"),
                self.case("two", SUITE, "two?t=[=token]"),
                self.case("open", SUITE, "open", kept, slow=0.1),
            ]
        )
        self.assertEqual([case.verdict for case in results.cases], ["passed"] * 4)
        asked = self.asked()
        self.assertEqual((asked[0], asked[-1]), ("/open", "/close?t=T-77"))
        self.assertEqual(sorted(asked[1:-1]), ["/one?t=T-77&b=5", "/two?t=T-77"])
        self.assertNotIn("T-77", repr([case.steps for case in results.cases[1:]]))

    def test_a_set_up_that_is_bad_blocks_the_others_for_one_cause(self) -> None:
        results = self.run_cases(
            [
                self.case("one", SUITE, "one"),
                self.case("two", SUITE, "two"),
                self.case("open", SUITE, "bad"),
                self.case("close", SUITE, "close"),
                self.case("elsewhere", Suite("Other"), "elsewhere"),
            ]
        )
        by_name = {case.planned.case.name: case for case in results.cases}
        self.assertEqual(
            {name: case.verdict for name, case in by_name.items()},
            {
                "open": "failed",
                "one": "blocked",
                "two": "blocked",
                "elsewhere": "passed",
                "close": "passed",
            },
        )
        self.assertEqual(sorted(self.asked()), ["/bad", "/close", "/elsewhere"])
        for name in ("one", "two"):
            why = by_name[name].why
            self.assertEqual(why.code, "set-up")
            self.assertEqual(
                why.sentence,
                "the suite could not be set up: “open” failed: status was 500, expected 200",
            )

    def test_a_suite_that_was_set_up_before_is_not_again(self) -> None:
        class Before(Given):
            def handed(self, suite: str, environment: str) -> Any:
                return (Kept({"token": "earlier"}), None) if suite == "s" else None

        cases = [self.case("one", SUITE, "one?t=[=token]"), self.case("close", SUITE, "close")]
        results = self.run_cases(cases, supplies=Before())
        self.assertEqual([case.verdict for case in results.cases], ["passed"] * 2)
        self.assertEqual(self.asked(), ["/one?t=earlier", "/close"])

        class Bad(Given):
            def handed(self, suite: str, environment: str) -> Any:
                return Kept({}), said("set-up", case="open", did="failed", problem="x")

        self.log.clear()
        results = self.run_cases(cases, supplies=Bad())
        self.assertEqual([case.verdict for case in results.cases], ["blocked", "passed"])
        self.assertEqual(self.asked(), ["/close"])

    def test_a_run_that_is_stopped_still_cleans_up_what_was_begun(self) -> None:
        other = Suite("Other", clean_up=("never",))
        cases = [
            self.case("open", SUITE, "open"),
            self.case("one", SUITE, "bad-one"),
            self.case("two", SUITE, "two"),
            self.case("close", SUITE, "close"),
            self.case("never", other, "never"),
            self.case("later", other, "later"),
        ]
        results = self.run_cases(cases, jobs=1, stop_after=1)
        self.assertEqual(self.asked(), ["/open", "/bad-one", "/close"])
        self.assertEqual(
            {case.planned.case.name: case.verdict for case in results.cases},
            {
                "open": "passed",
                "one": "failed",
                "two": "skipped",
                "close": "passed",
                "never": "skipped",
                "later": "skipped",
            },
        )
        self.assertEqual(results.stopped_by, "the limit of 1 bad case")

    def test_the_order_holds_whatever_the_draw(self) -> None:
        for number in range(ROUNDS):
            draw = random.Random(number)
            with self.subTest(number):
                self.log.clear()
                self.one_draw(draw)

    def one_draw(self, draw: random.Random) -> None:
        cases, suites = list[CompiledCase](), list[Suite]()
        for of in range(draw.randint(1, 5)):
            names = [f"{of}{kind}{n}" for kind in "abc" for n in range(draw.randint(0, 2))]
            ups = tuple(name for name in names if "a" in name)
            downs = tuple(name for name in names if "c" in name)
            suite = Suite(
                str(of),
                set_up=ups,
                clean_up=downs,
                in_order=draw.random() < 0.3,
                within=draw.choice([None, *suites]),
            )
            suites.append(suite)
            for name in names:
                bad = "-bad" if draw.random() < 0.1 else ""
                cases.append(self.case(name, suite, f"{name}{bad}", slow=draw.choice((0, 0, 0.01))))
        draw.shuffle(cases)
        stop_after = draw.choice((0, 0, 1, 2))
        results = self.run_cases(cases, draw.randint(1, 8), stop_after=stop_after)
        if not results.stopped_by:
            ended = [case.verdict for case in results.cases]
            self.assertNotIn("skipped", ended, "each has ended")
        at = {(what, path[1:4]): place for place, (what, path) in enumerate(self.log)}
        stopped = bool(results.stopped_by)
        bad = {path[1] for path in self.asked() if path[2] == "a" and "-bad" in path}
        for place, planned in enumerate(cases):
            name, suite = planned.case.name, planned.suite
            asked = at.get(("asked", name))
            for before, one in enumerate(cases):
                ended = self.turns[CaseFinished, one.case.name]
                begun = self.turns.get((CaseStarted, name), ended + 1)
                if waits_for(planned, one, before < place):
                    self.assertLess(ended, begun, f"{one.case.name} before {name}")
                answered = at.get(("answered", one.case.name))
                waits = not stopped and waits_for(planned, one, before < place)
                if waits and None not in (asked, answered):
                    self.assertLess(answered, asked, f"{one.case.name} before {name}")
            inside = [
                one.case.name
                for one in cases
                if suite in levels(one.suite) and (one.suite is not suite or one.role != "clean up")
            ]
            some = any(("asked", other) in at for other in inside)
            bad_outside = any(level.name in bad for level in levels(suite)[:-1])
            if planned.role == "clean up" and (some or not stopped):
                self.assertEqual(asked is None, bad_outside, "it cleans up whatever happened")
            if not planned.role and not stopped:
                self.assertEqual(asked is None, bad_outside or suite.name in bad)
            if planned.role == "set up" and bad_outside:
                self.assertIsNone(asked, "a folder's set-up that is bad blocks what is in it")


def waits_for(one: CompiledCase, other: CompiledCase, before: bool) -> bool:
    """Whether a case has to wait until another one, that stands before it or not, has ended."""
    own, its = one.suite, other.suite
    if other.role == "set up" and its in levels(own):
        return its is not own or one.role != "set up"
    if one.role == "clean up" and own in levels(its):
        return its is not own or other.role != "clean up"
    return own is its and own.in_order and not one.role and not other.role and before


class FromFiles(unittest.TestCase):
    """The command line, of files."""

    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.suite = self.folder / "suites/quay"
        self.suite.mkdir(parents=True)
        self.write("../../project.yaml", "salt-path: 1\nproject: Quay\n")
        self.write("suite.yaml", "salt-path: 1\nsuite: Quay\nset up: [open]\nclean up: [close]\n")
        kept = "    keep: { token: '$.items[0].name' }\n"
        self.write("open.case.yaml", self.case("Open", "[=harbour]/pilots", kept))
        self.write("a.case.yaml", self.case("A", "[=harbour]/pilots?t=[=token]"))
        self.write("close.case.yaml", self.case("Close", "[=harbour]/pilots?t=[=token]"))

    def write(self, name: str, text: str) -> None:
        (self.suite / name).write_text(text, encoding="utf-8")

    @staticmethod
    def case(name: str, send: str, more: str = "") -> str:
        return (
            f"salt-path: 1\ncase: {name}\nsteps:\n  - request: Ask\n    send: GET {send}\n"
            f"    expect: [ {{ of: status, is: 200 }} ]\n{more}"
        )

    def run_it(self, *arguments: str) -> subprocess.CompletedProcess:
        return saltpath("run", *arguments, "--set", f"harbour={harbour()}", "--json", self.report)

    @property
    def report(self) -> str:
        return str(self.folder / "report.json")

    def ran(self) -> list[str]:
        report = json.loads(Path(self.report).read_text(encoding="utf-8"))
        return [case["case"] for case in report["cases"]]

    def test_one_file_has_what_stands_around_it(self) -> None:
        for arguments in ([str(self.suite / "a.case.yaml")], [str(self.folder), "--only", "A"]):
            done = self.run_it(*arguments)
            self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
            self.assertEqual(self.ran(), ["Open", "A", "Close"])

    def test_a_bad_set_up_is_said_of_the_others(self) -> None:
        self.write("open.case.yaml", self.case("Open", "[=harbour]/nowhere"))
        done = self.run_it(str(self.suite / "a.case.yaml"))
        self.assertEqual(done.returncode, 1)
        self.assertIn("the suite could not be set up: “Open” failed", done.stdout)

    def test_check_knows_what_is_handed_down_and_who_is_not_there(self) -> None:
        found = saltpath("check", str(self.suite / "a.case.yaml"))
        self.assertNotIn("token", found.stdout)
        self.write("suite.yaml", "salt-path: 1\nsuite: Quay\nset up: [close, nobody]\n")
        done = self.run_it(str(self.folder))
        self.assertEqual(
            (done.returncode, done.stderr.strip()),
            (
                2,
                "suites/quay/suite.yaml: set up[1]: there is no case nobody beside it that can "
                "be read",
            ),
        )
        for roles in ("set up: 5", "set up: [open]\nclean up: [close, open]", "clean up: [[a]]"):
            self.write("suite.yaml", f"salt-path: 1\nsuite: Quay\n{roles}\n")
            self.assertEqual(self.run_it(str(self.folder)).returncode, 2, roles)

    def test_what_a_folder_says_reaches_what_is_in_it(self) -> None:
        values = "values: { lamp: red, flag: up }\n"
        port = f"salt-path: 1\nsuite: Port\ntags: [port]\n{values}set up: [moor]\n"
        self.write("../suite.yaml", port + "clean up: [unmoor]\n")
        kept = "    keep: { rope: '$.items[0].name' }\n"
        self.write("../moor.case.yaml", self.case("Moor", "[=harbour]/pilots", kept))
        self.write("../unmoor.case.yaml", self.case("Unmoor", "[=harbour]/pilots?r=[=rope]"))
        own = (
            "salt-path: 1\nsuite: Quay\nvalues: { flag: down }\nset up: [open]\nclean up: [close]\n"
        )
        self.write("suite.yaml", own)
        asked = "[=harbour]/pilots?t=[=token]&r=[=rope]&l=[=suite.lamp]&f=[=flag]"
        build = "    keep: { server: { of: header Server, build: true } }\n"
        self.write("a.case.yaml", self.case("A", asked, build))
        for meant in ([str(self.suite / "a.case.yaml")], [str(self.folder), "--tag", "port"]):
            done = self.run_it(*meant, "--har", str(self.folder / "all.har"))
            label = json.loads(Path(self.report).read_text(encoding="utf-8"))["label"]
            self.assertTrue(label.startswith("FernholmHarbour/3.3"), label)
            self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
            self.assertEqual(self.ran(), ["Moor", "Open", "A", "Close", "Unmoor"])
        har = json.loads((self.folder / "all.har").read_text(encoding="utf-8"))
        sent = {
            one["name"]: one["value"]
            for e in har["log"]["entries"]
            for one in e["request"]["queryString"]
        }
        self.assertEqual((sent["l"], sent["f"]), ("red", "down"))
        self.assertEqual(sent["t"], sent["r"])
        found = saltpath("check", str(self.suite / "a.case.yaml"))
        for name in ("rope", "lamp", "token"):
            self.assertNotIn(name, found.stdout)
        self.write("../suite.yaml", port.replace("moor", "nobody"))
        done = self.run_it(str(self.suite / "a.case.yaml"))
        self.assertEqual(done.returncode, 2)
        self.assertIn("suites/suite.yaml: set up[0]: there is no case nobody", done.stderr)

    def test_against_several_environments_side_by_side(self) -> None:
        """Each has its own values, and is set up by itself."""
        (self.folder / "environments").mkdir()
        for name in ("North", "South"):
            text = f"salt-path: 1\nenvironment: {name}\nvalues: {{ pier: {name}-pier }}\n"
            (self.folder / f"environments/{name.lower()}.yaml").write_text(text)
        self.write("open.case.yaml", self.case("Open", "[=harbour]/pilots?p=[=pier]"))
        asked = "[=harbour]/pilots?p=[=pier]&e=[=run.environment]"
        self.write("a.case.yaml", self.case("A", asked))
        self.write("close.case.yaml", self.case("Close", "[=harbour]/pilots?p=[=pier]"))
        har, junit = self.folder / "all.har", self.folder / "r.xml"
        both = ["--env", "North", "--env", "south", "--env", "North"]
        done = self.run_it(str(self.folder), *both, "--har", str(har), "--junit", str(junit))
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        report = json.loads(Path(self.report).read_text(encoding="utf-8"))
        self.assertEqual(report["environment"], "North and South")
        self.assertEqual(
            [(case["case"], case["environment"]) for case in report["cases"]],
            [(name, there) for name in ("Open", "A", "Close") for there in ("North", "South")],
        )
        sent = [
            tuple(one["value"] for one in entry["request"]["queryString"])
            for entry in json.loads(har.read_text(encoding="utf-8"))["log"]["entries"]
        ]
        piers = [("North-pier",), ("South-pier",)]
        asked_there = [("North-pier", "North"), ("South-pier", "South")]
        self.assertEqual(sent, [*piers, *asked_there, *piers])
        self.assertIn('name="A (South)"', junit.read_text(encoding="utf-8"))
        self.assertEqual(self.run_it(str(self.folder), "--env", "East").returncode, 2)


if __name__ == "__main__":
    unittest.main()
