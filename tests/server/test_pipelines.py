"""A pipeline with nothing but curl, or with `saltpath run --server`: one call starts a run, waits,
and gets what came of it."""

import contextlib
import json
import os
import socket
import subprocess
import sys
import tempfile
import threading
import time
import unittest
import urllib.error
import urllib.request
import xml.etree.ElementTree as ET
from collections.abc import Iterator
from contextlib import closing
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from saltpath.demo.harbour.port import AGENTS
from saltpath.store.database import connect
from tests.application import Application
from tests.made_trouble import made_trouble

IDLE_S = 1.0
"""What the proxy of these tests waits for, as others wait for a minute."""


@contextlib.contextmanager
def impatient_proxy(port: int) -> Iterator[int]:
    """Forwards to a port, and cuts a connection on which nothing moved for `IDLE_S`."""
    listening = socket.create_server(("127.0.0.1", 0))

    def pump(source: socket.socket, to: socket.socket, other: socket.socket) -> None:
        with contextlib.suppress(OSError):
            while octets := source.recv(65536):
                to.sendall(octets)
        for end in (to, other):
            with contextlib.suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)

    def serve() -> None:
        with contextlib.suppress(OSError):
            while True:
                near, _ = listening.accept()
                far = socket.create_connection(("127.0.0.1", port))
                far.settimeout(IDLE_S)  # it is the answer that must not be silent for so long
                for ends in ((near, far, far), (far, near, near)):
                    threading.Thread(target=pump, args=ends, daemon=True).start()

    threading.Thread(target=serve, daemon=True).start()
    with listening:
        yield listening.getsockname()[1]


class Pipelines(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.app = cls.enterClassContext(Application())
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        suite = {"project": cls.app.project, "name": "Slow"}
        cls.slow = cls.app.ask("POST", "/suites", suite)[2]["id"]
        for number in range(2):
            request = {
                "request": "Wait long",
                "send": "GET [=harbour]/faults/slow?seconds=1.5",
                "expect": [{"of": "status", "is": 200}],
            }
            document = {"salt-path": 1, "case": f"Slow {number}", "steps": [request]}
            about = {"project": cls.app.project, "suite": cls.slow, "document": document}
            assert cls.app.ask("POST", "/cases", about)[0] == 201

    def curl(self, *more: str, port: int = 0, path: str = "/runs", **body: Any) -> tuple[str, dict]:
        """(body, headers with `status`) of one call, as a shell would make it."""
        address = f"http://127.0.0.1:{port or self.app.port}/api/v1{path}"
        heads = self.folder / "heads"
        command = ["curl", "-sS", "-D", str(heads), *more]
        if body:
            command += ["-H", "Content-Type: application/json"]
            command += ["-d", json.dumps({"project": self.app.project, **body})]
        went = subprocess.run([*command, address], capture_output=True, text=True, timeout=60)
        self.assertEqual(went.returncode, 0, went.stderr)
        last = heads.read_text().rpartition("HTTP/1.1 ")[2].splitlines()
        found = dict(line.lower().split(": ", 1) for line in last[1:] if ": " in line)
        return went.stdout, {"status": last[0][:3], **found}

    maxDiff = 3_000

    def saltpath(self, *arguments: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [sys.executable, "-m", "saltpath.cli", *arguments],
            capture_output=True,
            text=True,
            cwd=self.folder,
            env={**os.environ, "SALTPATH_VALUE_agentPassword": AGENTS["desk"]},
            timeout=120,
        )

    def test_one_call_gives_junit_and_the_verdict(self) -> None:
        body, head = self.curl("-H", "Accept: application/xml", tags=["smoke"], wait=30)
        self.assertEqual(head["x-verdict"], "passed")
        root = ET.fromstring(body)
        self.assertEqual(len(root.findall("testsuite")), 5)
        self.assertFalse(root.findall(".//failure"))

    def test_the_plain_sentence_begins_with_the_verdict(self) -> None:
        body, _ = self.curl("-H", "Accept: text/plain", tags=["smoke"], wait=30, title="Nightly")
        self.assertEqual(body.splitlines()[:2], ["passed: Nightly", "All 5 cases passed."])

    def test_the_outcome_tells_kept_values_that_are_wanted(self) -> None:
        paths = ["suites/arrivals/give-a-berth.case.yaml"]
        named = {"title": "One", "build": "3.3.0", "note": "By night", "want": ["portCallId", "no"]}
        outcome = json.loads(self.curl(paths=paths, wait=30, **named)[0])
        self.assertRegex(outcome["kept"]["portCallId"], r"^PC-\d+")
        self.assertEqual(set(outcome["kept"]), {"portCallId"})
        self.assertEqual(
            (outcome["ok"], outcome["title"], outcome["build"], outcome["note"]),
            (True, "One", "3.3.0", "By night"),
        )

    def test_a_call_that_is_repeated_runs_once(self) -> None:
        key = ("-H", "Idempotency-Key: night-7")
        first, second = (
            json.loads(self.curl(*key, tags=["smoke"], wait=wait)[0]) for wait in (30, 20)
        )
        self.assertEqual(first["id"], second["id"])
        self.assertEqual(second["verdict"], "passed")
        body, head = self.curl(*key, tags=["arrivals"], wait=30)
        self.assertEqual((head["status"], json.loads(body)["code"]), ("409", "taken"))

    def test_a_proxy_that_cuts_silent_connections_cuts_none(self) -> None:
        for accept, verdict in (
            ("application/json", '"verdict":"passed"'),
            ("application/xml", "<testsuite "),
            ("text/plain", "passed: Slow"),
        ):
            with impatient_proxy(self.app.port) as port:
                asked = {"suite": self.slow, "jobs": 1, "wait": 30, "beat": 0.3}
                body, head = self.curl("-H", f"Accept: {accept}", port=port, **asked)
            self.assertIn(verdict, body.lstrip())
            self.assertRegex(body, r"^\n{4,}", "the beats that kept it open")
            if accept.endswith("xml"):
                ET.fromstring(body)
            self.assertEqual(head["status"], "200")

    def test_without_beats_that_proxy_would_have_cut_it(self) -> None:
        with impatient_proxy(self.app.port) as port, self.assertRaises(AssertionError):
            self.curl(port=port, suite=self.slow, wait=30, beat=30)

    def test_who_only_looks_at_statuses_is_answered_by_them(self) -> None:
        path = "/runs?status=verdict"
        body, head = self.curl("-L", path=path, tags=["smoke"], wait=30)
        self.assertEqual((head["status"], head["x-verdict"]), ("200", "passed"))
        self.assertTrue(json.loads(body)["ok"])
        bad = {"paths": ["suites/berths-and-fees"], "wait": 30, "jobs": 8}
        body, head = self.curl("-L", path=path, **bad)
        self.assertEqual((head["status"], head["x-verdict"]), ("417", "unchecked"))
        run = json.loads(body)["id"]
        _, head = self.curl(path=f"/runs/{run}/outcome?status=verdict&format=junit")
        self.assertEqual(head["status"], "417")

    def test_what_has_not_ended_never_looks_as_if_it_had_passed(self) -> None:
        for accept, said in (
            ("application/json", '"ok":false'),
            ("application/xml", "<error "),
            ("text/plain", "it has not ended yet"),
        ):
            asked = {"suite": self.slow, "wait": 0.3}
            body, head = self.curl("-H", f"Accept: {accept}", **asked)
            self.assertEqual((head["status"], head["retry-after"]), ("202", "5"))
            self.assertIn(said, body)
            status, _, problem = self.app.ask("GET", f"/runs/{head['x-run']}/report?format=html")
            self.assertEqual((status, problem["code"]), (409, "not-ended"))
        path = "/runs?status=verdict"
        _, head = self.curl("-L", path=path, suite=self.slow, wait=0.3)
        self.assertEqual(head["status"], "417", "not even for whoever looks at statuses alone")

    def test_what_is_not_understood_begins_nothing(self) -> None:
        before = self.app.get(f"/runs?project={self.app.project}")["items"][0]["number"]
        for more, asked, status in (
            (("-H", "Accept: image/png"), {"wait": 1}, "406"),
            ((), {"paths": ["suites/none"]}, "422"),
            ((), {"tags": ["nobody has it"]}, "422"),
            ((), {"only": "nobody is called so"}, "422"),
            ((), {"wait": 3_601}, "422"),
            ((), {"allow": ["all"]}, "422"),
            ((), {"beat": 0}, "422"),
        ):
            body, head = self.curl(*more, **asked)
            self.assertEqual(head["status"], status, body)
        after = self.app.get(f"/runs?project={self.app.project}")["items"][0]["number"]
        self.assertEqual(after, before)
        for query in ("wait=x", "wait=nan", "wait=-1", "beat=99", "allow=all", "format=pdf"):
            path = f"/runs/{self.app.run(suite=self.slow)['id']}/outcome?{query}"
            self.assertEqual(self.app.ask("GET", path)[0], 400, query)
            break

    def test_a_known_cause_is_not_held_against_a_pipeline_that_allows_it(self) -> None:
        run = made_trouble(self.app)
        until = (datetime.now(UTC).date() + timedelta(days=9)).isoformat()
        said = {"owner": "Ines", "note": "QUAY-9", "until": until}
        for cause in self.app.get(f"/runs/{run['id']}/causes")["items"]:
            path = f"/runs/{run['id']}/outcome?allow=known&status=verdict"
            self.assertEqual(self.app.ask("GET", path)[0], 417)
            put = f"/known/{cause['signature']}?project={self.app.project}"
            body = {"run": run["id"], "said": said, "seen": None}
            self.assertEqual(self.app.ask("PUT", put, body)[0], 200)
        status, head, outcome = self.app.ask("GET", path)
        self.assertEqual((status, head["X-Verdict"], outcome["ok"]), (200, "failed", True))
        self.assertEqual(self.app.ask("GET", path.replace("known", "unchecked"))[0], 417)
        junit = self.app.ask("GET", f"/runs/{run['id']}/report?format=junit")[2]
        root = ET.fromstring(junit)
        self.assertFalse([one.attrib for one in root.iter("failure")])
        self.assertIn("known until", "".join(out.text or "" for out in root.iter("system-out")))

    def test_a_run_at_the_server_is_as_one_of_its_files(self) -> None:
        export = self.folder / "export"
        went = self.saltpath(
            "export", "Fernholm Harbour", str(export), "--data", str(self.app.data)
        )
        self.assertEqual(went.returncode, 0, went.stderr)
        wanted = ["suites/arrivals", "suites/berths-and-fees"]
        common = ["--env", "Rehearsal", "--seed", "7", "--jobs", "4"]
        there = self.saltpath(
            "run",
            "--server",
            self.app.address,
            "--project",
            "Fernholm Harbour",
            *common,
            *wanted,
            "--json",
            "there.json",
            "--junit",
            "there.xml",
            "--html",
            "there.html",
        )
        here = self.saltpath(
            "run",
            *common,
            *[str(export / one) for one in wanted],
            "--json",
            "here.json",
            "--junit",
            "here.xml",
        )
        self.assertEqual((there.returncode, here.returncode), (1, 1), there.stderr + here.stderr)
        read = [json.loads((self.folder / f"{one}.json").read_text()) for one in ("there", "here")]
        cases = [{case["file"]: case for case in report["cases"]} for report in read]
        self.assertEqual(set(cases[0]), set(cases[1]))
        for file, case in cases[0].items():
            self.assertEqual(timeless(case), timeless(cases[1][file]), file)
        self.assertEqual(read[0]["counts"], read[1]["counts"])
        self.assertEqual(sorted_causes(read[0]), sorted_causes(read[1]))
        counts = []
        for name in ("there", "here"):
            suites = ET.parse(self.folder / f"{name}.xml").getroot()
            counts.append(
                sorted(
                    tuple(
                        suite.get(one) for one in ("name", "package", "tests", "failures", "errors")
                    )
                    for suite in suites
                )
            )
        self.assertEqual(*counts)
        lines = [
            {line for line in went.stdout.splitlines() if "✗" in line} for went in (there, here)
        ]
        self.assertTrue(lines[0] and lines[1])

    def test_the_command_says_what_it_does_not_understand(self) -> None:
        server = ("run", "--server", self.app.address)
        for arguments, said in (
            ((*server,), "say which project is meant"),
            ((*server, "--project", "Nowhere"), "there is no project Nowhere"),
            ((*server, "--project", "Fernholm Harbour", "suites/arrival"), "did you mean"),
            ((*server, "--project", "Fernholm Harbour", "--baseline", "x"), "--baseline"),
            (("run", "--server", "ftp://x"), "takes an address"),
            (("run", "--server", "http://127.0.0.1:9"), "does not answer"),
            (("run",), "Name files or folders"),
            (("run", "--allow", "known", "."), "goes with --server"),
        ):
            went = self.saltpath(*arguments)
            self.assertEqual(went.returncode, 2, went.stdout)
            self.assertIn(said, went.stderr)

    def test_a_signal_stops_the_run_there(self) -> None:
        named = ["run", "--server", self.app.address, "--project", "Fernholm Harbour"]
        command = [sys.executable, "-m", "saltpath.cli", *named, "--only", "Slow"]
        process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert process.stdout is not None
        process.stdout.readline()  # it says which run it is
        time.sleep(0.8)
        process.terminate()
        said = process.stdout.read()
        self.assertEqual(process.wait(30), 130, said)
        self.assertIn("Stopped by Ines Wathne", said)

    def test_a_badge_says_how_it_stands(self) -> None:
        ET.register_namespace("", "http://www.w3.org/2000/svg")
        self.app.run(suite=self.slow)
        path = f"/badge?project={self.app.project}&suite={self.slow}"
        status, head, picture = self.app.ask("GET", path)
        self.assertEqual((status, head["Content-Type"]), (200, "image/svg+xml"))
        self.assertIn("Slow: 2 of 2 passed", "".join(ET.fromstring(picture).itertext()))
        self.assertEqual(self.app.ask("GET", path, If_None_Match=head["Etag"])[0], 304)
        about = {"project": self.app.project, "name": "<b>&\u202e"}
        new = self.app.ask("POST", "/suites", about)[2]["id"]
        picture = self.app.ask("GET", path.replace(self.slow, new))[2]
        self.assertIn("<b>&\ufffd: not run yet", "".join(ET.fromstring(picture).itertext()))
        other = path.replace(self.app.project, self.app.troubles)
        self.assertEqual(self.app.ask("GET", other)[0], 404)

    def test_an_address_of_the_picture_for_pages_elsewhere(self) -> None:
        self.app.run(suite=self.slow)
        path = f"/projects/{self.app.project}/pictures"
        status, _, made = self.app.ask("POST", path, {"suite": self.slow})
        self.assertEqual(status, 201)
        request = urllib.request.Request(
            made["address"], headers={"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "no-cors"}
        )
        with urllib.request.urlopen(request) as answer:
            self.assertIn("2 of 2 passed", answer.read().decode())
            self.assertEqual(answer.headers["Cross-Origin-Resource-Policy"], "cross-origin")
            self.assertIn("default-src 'none'", answer.headers["Content-Security-Policy"])
        [listed] = self.app.get(path)["items"]
        self.assertEqual((listed["id"], listed["suite"]), (made["id"], self.slow))
        with closing(connect(self.app.data)) as store:
            held = [str(tuple(row)) for row in store.execute("SELECT * FROM picture")]
        self.assertNotIn(made["address"].rpartition("/")[2][:-4], "".join(held))
        for body, wanted in (
            ({"environment": "Nowhere"}, 422),
            ({"suite": "suite_none"}, 404),
            ({"suite": self.slow, "run": "x"}, 422),
        ):
            self.assertEqual(self.app.ask("POST", path, body)[0], wanted, body)
        self.assertEqual(self.app.ask("DELETE", f"/pictures/{made['id']}")[0], 200)
        for address in (made["address"], f"{self.app.address}/p/x.svg"):
            with self.assertRaises(urllib.error.HTTPError) as gone:
                urllib.request.urlopen(address)
            self.assertEqual(gone.exception.code, 404)

    def test_a_title_and_a_note_can_be_given_later(self) -> None:
        run = self.app.run(paths=["suites/arrivals/sign-in.case.yaml"])
        change = {"title": "Before the fair", "note": "on <request>", "build": "9"}
        status, _, changed = self.app.ask("PATCH", f"/runs/{run['id']}", change)
        self.assertEqual(
            (status, changed["title"], changed["build"]), (200, *list(change.values())[::2])
        )
        self.assertEqual(self.app.ask("PATCH", f"/runs/{run['id']}", {"title": " "})[0], 422)
        page = self.app.ask("GET", f"/runs/{run['id']}/report?format=html")[2].decode()
        self.assertIn("on &lt;request&gt;", page)


def timeless(value: Any) -> Any:
    """A report without what differs from one time to the next: times, and what a server makes
    up."""
    if isinstance(value, dict):
        return {
            name: timeless(item)
            for name, item in value.items()
            if name not in ("ms", "kept", "actual", "expected", "why", "data", "attempts")
        }
    return [timeless(item) for item in value] if isinstance(value, list) else value


def sorted_causes(report: dict[str, Any]) -> list[str]:
    return sorted(f"{one['who']}: {one['sentence']}" for one in report["causes"])
