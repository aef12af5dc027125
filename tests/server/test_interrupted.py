"""Runs under random schedules: kill -9 of each process and of the supervisor, processes that stand
still, clocks that jump. What the server under test saw, what is recorded and what the verdict says
must agree, and no run has passed with anything missing.

Eight rounds here; `python -m tests.server.test_interrupted ROUNDS [SEED]` makes as many as you
like."""

import os
import random
import signal
import sys
import tempfile
import threading
import time
import unittest
from collections import Counter
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

from tests.application import PATIENCE_S, Application

ROWS = 30
CLOCK = """import os, time
_real, _real_ns = time.time, time.time_ns
def _step():
    try:
        return int(open(os.environ["STEPPED_CLOCK"]).read() or 0)
    except (OSError, ValueError):
        return 0
time.time = lambda: _real() + _step()
time.time_ns = lambda: _real_ns() + _step() * 1_000_000_000
"""
"""A sitecustomize under which every process of the application has a clock that can be set."""

WITH_ROWS = """\
salt-path: 1
case: {name}
rows: {{ make: {rows}, columns: {{ n: "[=row.number]" }} }}
on failure: go on
once:
  - request: Sign in
    send: POST {address}/{{RUN}}/once
    expect: [ {{ of: status, is: 200 }} ]
    keep: {{ token: {{ of: $.token, secret: true }} }}
steps:
  - request: First
    send: POST {address}/{{RUN}}/first-[=row.n]?token=[=token]
    expect: [ {{ of: status, is: 200 }} ]
  - request: Second
    send: POST {address}/{{RUN}}/second-[=row.n]
    expect: [ {{ of: $.ok, is: true }}{more} ]
afterwards:
  - request: Tidy
    send: POST {address}/{{RUN}}/tidy-[=row.n]?token=[=token]
at the end:
  - request: Close
    send: POST {address}/{{RUN}}/close
"""
PLAIN = """\
salt-path: 1
case: {name}
on failure: go on
steps:
{steps}
afterwards:
  - request: Tidy
    send: POST {address}/{{RUN}}/tidy
"""
STEP = (
    "  - request: Step {n}\n    send: POST {address}/{{RUN}}/step-{n}\n    expect: [ {{ of: "
    "status, is: {status} }} ]\n"
)


class _Server(ThreadingHTTPServer):
    daemon_threads = True

    def handle_error(self, request: Any, client_address: Any) -> None:
        """A client that was killed is no news here."""
        if not isinstance(sys.exc_info()[1], ConnectionError):
            super().handle_error(request, client_address)


class Truth:
    """A server that answers each address after some milliseconds, and knows how often each was
    asked for."""

    def __init__(self) -> None:
        seen = self.seen = Counter[str]()
        lock = threading.Lock()

        class Handler(BaseHTTPRequestHandler):
            protocol_version = "HTTP/1.1"
            disable_nagle_algorithm = True

            def do_POST(self) -> None:
                with lock:
                    seen[self.path.partition("?")[0]] += 1
                time.sleep(0.008)
                body = b'{"ok": true, "token": "salt-and-tar"}'
                self.send_response(200)
                self.send_header("Content-Type", "application/json")
                self.send_header("Content-Length", str(len(body)))
                self.end_headers()
                try:
                    self.wfile.write(body)
                except OSError:
                    pass

            def log_message(self, *_: object) -> None:
                pass

        self.server = _Server(("127.0.0.1", 0), Handler)
        threading.Thread(target=self.server.serve_forever, daemon=True).start()
        self.address = f"http://127.0.0.1:{self.server.server_port}"


class Interrupted(unittest.TestCase):
    rounds = 8
    seed = 1

    def setUp(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        (folder / "sitecustomize.py").write_text(CLOCK)
        self.clock = folder / "clock"
        before = {name: os.environ.get(name) for name in ("PYTHONPATH", "STEPPED_CLOCK")}
        path = os.pathsep.join(filter(None, (str(folder), before["PYTHONPATH"])))
        os.environ |= {"PYTHONPATH": path, "STEPPED_CLOCK": str(self.clock)}
        self.addCleanup(self.restore, before)
        self.truth = Truth()
        self.addCleanup(self.truth.server.shutdown)

    def restore(self, before: dict[str, str | None]) -> None:
        for name, value in before.items():
            os.environ.pop(name, None)
            if value is not None:
                os.environ[name] = value

    def test_what_was_seen_what_is_recorded_and_what_is_said_agree(self) -> None:
        chance, said = random.Random(self.seed), Counter[str]()
        with Application() as app:
            self.app = app
            self.suite = app.get(f"/suites?project={app.project}")["items"][0]["id"]
            for number in range(self.rounds):
                acts = chance.sample(ACTS, chance.choice([1, 1, 2]))
                with self.subTest(number=number, acts=acts):
                    done = self.one_round(chance, f"r{number}", acts)
                    said[done["verdict"]] += 1
                    self.agree(done, f"r{number}")
        print(f"counted: {self.rounds} rounds ended {dict(said)}", file=sys.__stdout__)

    def one_round(self, chance: random.Random, name: str, acts: list[str]) -> dict[str, Any]:
        app = self.app
        steps = [STEP.format(n=n, address=self.truth.address, status=200) for n in range(6)]
        failing = [STEP.format(n=0, address=self.truth.address, status=404), *steps[1:]]
        texts = [
            WITH_ROWS.format(name=f"{name} good", rows=ROWS, address=self.truth.address, more=""),
            WITH_ROWS.format(
                name=f"{name} bad",
                rows=ROWS,
                address=self.truth.address,
                more=', { of: $.ok, is: "[=row.n]" }',
            ),
            PLAIN.format(name=f"{name} plain", steps="".join(steps), address=self.truth.address),
            PLAIN.format(
                name=f"{name} failing", steps="".join(failing), address=self.truth.address
            ),
        ]
        wanted = chance.choice([[0], [0, 2], [2], [3], [0, 1, 2, 3], [1], [0, 2]])
        cases = []
        for at in wanted:
            text = texts[at].replace("{RUN}", f"{name}-{len(cases)}")
            status, _, made = app.ask(
                "POST", "/cases", {"project": app.project, "suite": self.suite, "text": text}
            )
            self.assertEqual(status, 201, made)
            cases.append(made["id"])
        jobs = chance.choice([1, 2, 4])
        _, _, run = app.ask("POST", "/runs", {"project": app.project, "cases": cases, "jobs": jobs})
        time.sleep(chance.uniform(0.02, 0.6))
        for act in acts:
            self.act(act, chance)
            time.sleep(chance.uniform(0, 0.3))
        done = app.finished(run["id"])
        done["wanted"] = wanted
        return done

    def act(self, act: str, chance: random.Random) -> None:
        app = self.app
        kind, _, what = act.partition(" ")
        if kind == "clock":
            self.clock.write_text(str(chance.choice([-3600, -5, 5, 3600, 0])))
        elif what == "supervisor":
            if kind == "kill":
                app.process.send_signal(signal.SIGKILL)
                app.process.wait(PATIENCE_S)
                app.start()
                app.wait(lambda: app.get("/health"))
            else:
                self.stand_still([app.process.pid], chance)
        elif kind == "kill":
            app.kill(what)
        else:
            self.stand_still(app.children()[what], chance)

    def stand_still(self, processes: list[int], chance: random.Random) -> None:
        longest = 6 if self.rounds > 20 else 1.5
        try:
            for process in processes:
                os.kill(process, signal.SIGSTOP)
            time.sleep(chance.uniform(0.5, longest))
        finally:
            for process in processes:
                os.kill(process, signal.SIGCONT)

    # ---- what must hold

    def agree(self, done: dict[str, Any], name: str) -> None:
        verdicts = []
        for position, (kind, case) in enumerate(zip(done["wanted"], done["cases"], strict=True)):
            here = f"/{name}-{position}/"
            seen = {
                path.removeprefix(here): n
                for path, n in self.truth.seen.items()
                if path.startswith(here)
            }
            self.assertEqual(
                {path: n for path, n in seen.items() if n > 1}, {}, f"{case['name']}: sent twice"
            )
            if kind in (0, 1):
                verdicts.append(self.rows_agree(done, position, case, kind, seen))
            else:
                verdicts.append(self.steps_agree(case, kind, seen))
            self.assertEqual(case["verdict"], verdicts[-1], (case["name"], case["why"]))
        worst = next((v for v in ("failed", "blocked", "unchecked") if v in verdicts), "passed")
        self.assertEqual(done["verdict"], worst, done["cases"])

    def rows_agree(
        self,
        done: dict[str, Any],
        position: int,
        case: dict[str, Any],
        kind: int,
        seen: dict[str, int],
    ) -> str:
        """The verdict that the case must have, from each of its rows."""
        page = self.app.get(f"/runs/{done['id']}/cases/{position}/rows?limit=1000")
        rows = {row["row"]: row for row in page["items"]}
        around = {(step["part"], step["index"]): step for step in case["steps"]}
        self.assertEqual(
            set(around), {("once", 0), ("at the end", 0)}, "what stands around the rows is recorded"
        )
        once = around["once", 0]["verdict"]
        if once != "passed":
            self.assertEqual((once, len(rows)), ("blocked", 0))
            return "blocked"
        self.assertEqual(sorted(rows), list(range(1, ROWS + 1)), "each row is recorded, once")
        self.assertEqual(
            (seen.get("once"), seen.get("close")),
            (1, 1 if around["at the end", 0]["status"] else seen.get("close")),
        )
        for number, row in rows.items():
            if row["verdict"] == "blocked":
                self.assertEqual(row["why"]["code"], "interrupted", row)
            else:
                self.assertEqual(row["verdict"], ("passed", "failed")[kind], row)
                self.assertEqual(
                    (seen.get(f"first-{number}"), seen.get(f"second-{number}")),
                    (1, 1),
                    "as it was recorded",
                )
        said = {row["verdict"] for row in rows.values()} | {
            step["verdict"] for step in around.values()
        } - {"unchecked"}
        return next(v for v in ("failed", "blocked", "passed") if v in said)

    def steps_agree(self, case: dict[str, Any], kind: int, seen: dict[str, int]) -> str:
        steps = {(step["part"], step["index"]): step for step in case["steps"]}
        self.assertEqual(len(steps), 7, "every step that was planned is recorded")
        interrupted = False
        for (part, index), step in steps.items():
            path = f"step-{index}" if part == "steps" else "tidy"
            if step["status"]:
                self.assertEqual(seen.get(path), 1, "what is recorded as answered was sent")
            elif step["verdict"] == "skipped" and not interrupted:
                self.assertNotIn(path, seen)
            interrupted = interrupted or step["verdict"] == "blocked"
        said = {
            step["verdict"]
            for (part, _), step in steps.items()
            if part == "steps" or step["verdict"] == "blocked"
        }
        if kind == 3 and steps["steps", 0]["status"]:
            self.assertEqual(steps["steps", 0]["verdict"], "failed")
        return next(v for v in ("failed", "blocked", "passed") if v in said)


ACTS = [
    "kill runner",
    "kill runner",
    "kill writer",
    "kill web",
    "kill supervisor",
    "still runner",
    "still writer",
    "still supervisor",
    "clock",
]


if __name__ == "__main__":
    if len(sys.argv) > 2:
        Interrupted.seed = int(sys.argv.pop())
    Interrupted.rounds = int(sys.argv.pop()) if sys.argv[1:] else Interrupted.rounds
    unittest.main()
