"""Each answer of the table in hostile.py costs its step alone: it is judged, or blocked with its
reason, recorded and shown; what it saw is kept, and the next step runs."""

import resource
import socket
import sys
import time
import unittest

from saltpath.core.running.events import StepFinished
from saltpath.core.values import plain
from saltpath.server.api.views import exchange_view, outcome_view
from saltpath.store import step_rows
from tests.engine.hostile import ANSWERS, PAGE, with_table
from tests.engine.raw import next_head, raw_server
from tests.harbour import case, run_text

LONGEST_CPU_S = 2.0
MOST_GROWN_KB = 250_000
CHECKS = (
    "{ of: status, is: 200 }, { of: body, contains: a }, { of: $.x, is: 1 }, { of: //x, present: "
    "true }, { of: type, is: application/json },"
    " { of: header X, absent: true }, { of: $, fits: { x: '[?text]' } }, { of: size, below: 1 MB }"
)
WELL = b'HTTP/1.1 200 OK\r\nContent-Length: 8\r\n\r\n{"x": 1}'


def answer(connection: socket.socket) -> None:
    rest = b""
    with connection:
        while True:
            head, rest = next_head(connection, rest)
            if not head:
                return
            number = head.split(b" ")[1].strip(b"/")
            if not number.isdigit():
                connection.sendall(WELL)
                continue
            connection.sendall(ANSWERS[int(number)].wire)
            return


class HostileAnswers(unittest.TestCase):
    def test_each_costs_its_step_alone(self) -> None:
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        with raw_server(answer) as (address, _):
            for number, hostile in enumerate(ANSWERS):
                with self.subTest(hostile.about):
                    self.one(address, number)
        grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - memory
        print(
            f"counted: {len(ANSWERS)} hostile answers; memory grew by {grown // 1000} MB",
            file=sys.__stdout__,
        )
        self.assertLess(grown, MOST_GROWN_KB)
        self.assertGreaterEqual(len(ANSWERS), 150)

    def test_the_page_lists_these(self) -> None:
        page = PAGE.read_text(encoding="utf-8")
        self.assertEqual(page, with_table(page), "python -m tests.engine.hostile writes them")

    def one(self, address: str, number: int) -> None:
        hostile, events = ANSWERS[number], []
        auth = ", auth: { digest: [a, salt-and-tar] }" if hostile.about.startswith("401") else ""
        tried = (
            f'  - {{ request: try, send: "GET {address}/{number}", expect: [ {CHECKS} ], '
            f"keep: {{ x: $.x }}{auth} }}\n"
        )
        well = (
            f'  - {{ request: well, send: "GET {address}/well", expect: [ {{ of: $.x, is: 1 }} '
            f"] }}\n"
        )
        begun = time.process_time()
        results = run_text(
            case(
                tried + well, "on failure: go on\noptions: { largest body: 5 MB, timeout: 5 s }\n"
            ),
            events=events,
        )
        self.assertLess(time.process_time() - begun, LONGEST_CPU_S)
        step, after = (event for event in events if isinstance(event, StepFinished))
        code = step.why.code if step.why else ""
        said = step.why.sentence[:300] if step.why else ""
        self.assertNotIn(code, ("fault", "not-kept"), said)
        if hostile.becomes == "answered":
            self.assertTrue(
                step.outcomes and step.outcomes[0].verdict in ("passed", "failed"),
                (step.verdict, said),
            )
        else:
            self.assertEqual((step.verdict, code), ("blocked", hostile.becomes), said)
        self.assertTrue(step.exchanges, "what was seen is kept")
        self.assertEqual((after.verdict, results.cases[0].steps[1].verdict), ("passed", "passed"))
        row = step_rows.row_of(step, 0)
        self.assertLess(len(row.record), 20_000_000)
        for exchange in step.exchanges:
            plain.write_json(exchange_view(exchange, "x"))
        plain.write_json([outcome_view(outcome) for outcome in step.outcomes])


if __name__ == "__main__":
    unittest.main()
