"""kill -9 of each process in the middle of runs: back within 5 s, nothing lost that was reported,
the database sound.

One of each here (test_interrupted.py makes more); `python -m tests.server.test_killed ROUNDS` makes
as many as you like."""

import sqlite3
import sys
import time
import unittest

from tests.application import Application

TEXT = "salt-path: 1\ncase: Long {number}\nsteps:\n" + "".join(
    f"""  - request: Step {n}
    send: GET [=harbour]/vessels
    query: {{{{ size: 3 }}}}
    expect: [ {{{{ of: status, is: 200 }}}}, {{{{ of: $.items, count: 3 }}}} ]
    keep: {{{{ v{n}: "$.items[0].id" }}}}
  - wait: 15 ms
"""
    for n in range(12)
)
BACK_S = 5.0
"""The bar (F1). In the suite, beside other tests on a busy machine, it may take longer."""


class Killed(unittest.TestCase):
    rounds = 3
    back_s = 3 * BACK_S

    def test_nothing_reported_is_lost(self):
        with Application() as app:
            suite = app.get(f"/suites?project={app.project}")["items"][0]["id"]
            made = [
                app.ask(
                    "POST",
                    "/cases",
                    {"project": app.project, "suite": suite, "text": TEXT.format(number=n)},
                )[2]["id"]
                for n in range(3)
            ]
            app.run(cases=made[:1])
            for number in range(self.rounds):
                kind = ("runner", "writer", "web")[number % 3]
                with self.subTest(number=number, kind=kind):
                    self.one_round(app, made, kind, 0.05 + 0.11 * (number % 5))
            self.sound(app)

    def one_round(self, app: Application, made: list[str], kind: str, delay: float) -> None:
        _, _, run = app.ask("POST", "/runs", {"project": app.project, "cases": made})
        app.wait(lambda: app.get(f"/runs/{run['id']}")["cases"][0]["steps"])
        time.sleep(delay)
        reported = self.reported(app, run["id"])
        app.kill(kind)
        begun = time.monotonic()
        app.wait(lambda: app.get("/health"), self.back_s)
        known = len(reported)
        app.wait(
            lambda: (
                len(self.reported(app, run["id"])) > known
                or app.get(f"/runs/{run['id']}")["state"] == "finished"
            ),
            self.back_s,
        )
        self.assertLess(time.monotonic() - begun, self.back_s)
        done = app.finished(run["id"])
        after = self.reported(app, run["id"])
        for step, verdict in reported.items():
            self.assertEqual(
                after.get(step), verdict, "a step that was reported as finished is gone"
            )
        verdicts = [case["verdict"] for case in done["cases"]]
        if kind == "runner":
            late = len(reported) > 60  # the run was as good as over when the runner was killed
            self.assertIn(
                sorted(verdicts),
                [["blocked", "passed", "passed"], *([["passed"] * 3] if late else [])],
            )
            for bad in (case for case in done["cases"] if case["verdict"] == "blocked"):
                self.assertEqual(bad["why"]["code"], "interrupted")
        else:
            self.assertEqual(verdicts, ["passed"] * 3)
        for case in done["cases"]:
            self.assertEqual(len(case["steps"]), 24)
            self.assertEqual(
                len({(step["part"], step["index"]) for step in case["steps"]}), 24, "none twice"
            )

    def reported(self, app: Application, run: str) -> dict:
        return {
            (case["position"], step["part"], step["index"]): step["verdict"]
            for case in app.get(f"/runs/{run}")["cases"]
            for step in case["steps"]
        }

    def sound(self, app: Application) -> None:
        for name in ("saltpath.db", "evidence.db"):
            connection = sqlite3.connect(app.data / name)
            self.assertEqual(connection.execute("PRAGMA integrity_check").fetchone()[0], "ok")
            connection.close()


if __name__ == "__main__":
    Killed.back_s = BACK_S
    Killed.rounds = int(sys.argv.pop()) if sys.argv[1:] else 20
    unittest.main()
