"""The quick ways of the engine (engine/quick/) against the plain ones: what a tester sees of made
cases is the same."""

from __future__ import annotations

import unittest
from typing import Any
from unittest.mock import patch

from saltpath.core.format import check_reader
from saltpath.core.running.events import StepFinished
from saltpath.engine import step as engine_step
from saltpath.engine.quick.heads import Heads
from tests.harbour import case, run_text

SIGN_IN = (
    "  - { request: In, send: 'POST [=harbour]/sessions', json: { user: desk, password: "
    "'[=pin]' }, expect: [ { of: status, is: 201 } ], keep: { token: { of: $.token, secret: "
    "true } } }\n"
)
STEPS = {
    "checks of all sorts": (
        "  - { request: A, send: 'GET [=harbour]/vessels/V-101', headers: { Accept: "
        "application/json }, expect: [ { of: status, is: 200 }, { of: $.lengthMetres, above: 20 "
        "}, { of: $.name, is: x }, { of: $.gone, present: true }, { of: header Content-Type, "
        "contains: json }, { any of: [ { of: $.id, is: V-101 }, { of: $.id, is: y } ] } ], keep: "
        "{ id: $.id, no: $.nothing } }\n"
        "  - { request: B, send: 'GET [=harbour]/vessels/[=id]', expect: [ { of: $.id, is: "
        "'[=id]' } ] }\n"
    ),
    "redirects and cookies": (
        "  - { request: R, send: 'GET [=harbour]/faults/redirect', expect: [ { of: status, below: "
        "400 } ] }\n"
        "  - { request: Enter, send: 'POST [=harbour]/desk', form: { user: desk, password: "
        "'[=pin]' } }\n"
        "  - { request: Ask, send: 'GET [=harbour]/desk', expect: [ { of: status, is: 200 } ] }\n"
    ),
    "a token that is secret": SIGN_IN
    + (
        "  - { request: Ask, send: 'GET [=harbour]/port-calls', auth: { bearer: '[=token]' }, "
        "expect: [ { of: status, is: 200 } ] }\n"
    )
    * 3,
    "what goes wrong": (
        "  - { request: A, send: 'GET [=harbour]/faults/cut', expect: [ { of: status, is: 200 } ] "
        "}\n"
        "  - { request: B, send: 'GET [=harbour]/faults/malformed', expect: [ { of: $.a, is: 1 } ] "
        "}\n"
        "  - { request: C, send: 'GET http://127.0.0.1:1/', expect: [ { of: status, is: 200 } ] }\n"
        "  - { request: D, send: 'GET [=harbour]/vessels/[=missing]' }\n"
        "  - { request: E, send: 'GET [=harbour]/none', keep: { x: $.x } }\n"
        "  - { set: { y: '[=x]' } }\n"
    ),
    "the same again and again": (
        "  - { for each: [1, 2, 3, 4], as: n, steps: [ { request: A, send: 'GET "
        "[=harbour]/vessels?size=[=n]', expect: [ { of: '$.items', count: '[=n]' }, { of: status, "
        "is: 200 } ] } ] }\n"
    ),
}


def seen(steps: str) -> list[tuple[Any, ...]]:
    """All of what a tester sees of a case but times and ports."""
    events: list[Any] = []
    run_text(case(steps, "on failure: go on\n"), secrets={"pin": "salt-and-tar"}, events=events)
    return [
        (
            event.name,
            event.verdict,
            event.why and (event.why.code, event.why.params.get("path")),
            event.status,
            [
                (exchange.method, exchange.address, exchange.sent_head, exchange.status)
                for exchange in event.exchanges
            ],
            [(o.check, o.verdict, o.actual, o.why and o.why.code) for o in event.outcomes],
            event.kept,
            event.secret_kept,
            event.counts,
        )
        for event in events
        if isinstance(event, StepFinished)
    ]


class Ways(unittest.TestCase):
    def test_both_ways_show_the_same(self):
        async def never(*_: Any) -> None:
            return None

        for name, steps in STEPS.items():
            with self.subTest(name):
                quick = seen(steps)
                self.assertTrue(quick)
                with patch.object(engine_step, "sole_exchange", never):
                    self.assertEqual(seen(steps), quick, "a request that takes one exchange")
                with patch.object(Heads, "expected", lambda *_: None):
                    self.assertEqual(seen(steps), quick, "heads that are told each time")
                with patch.object(check_reader, "quickly", lambda check: check):
                    self.assertEqual(seen(steps), quick, "checks without a way of their own")


if __name__ == "__main__":
    unittest.main()
