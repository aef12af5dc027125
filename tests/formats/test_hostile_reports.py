"""Reports of answers that mean harm: nothing of them reaches the terminal as a command, and every
report stays what it is."""

import io
import json
import subprocess
import sys
import tempfile
import unittest
import xml.etree.ElementTree as ET
from pathlib import Path

from lxml import etree

from saltpath.core.cases.case import Project
from saltpath.core.running.compiled import CompiledPlan
from saltpath.formats.reports import junit
from saltpath.formats.terminal import Terminal, printable
from tests.engine.answering import answering
from tests.formats.junit_schemas import assert_valid
from tests.harbour import case, plain_report, run_text

EVIL = (
    "\x1b[2J\x1b]0;owned\x07 \x9b31m \u202eright to left\u2066 \x00 \r over \x08 ]]> & < \" ' "
    "</testsuite> \ud7ff"
)


class Screen(io.StringIO):
    def isatty(self) -> bool:
        return True


class Reports(unittest.TestCase):
    def results(self, events: list):
        with answering(
            {"/evil": json.dumps({"name": EVIL, "list": [EVIL] * 3}).encode()}
        ) as address:
            steps = (
                f"  - {{ request: Read it, send: 'GET {address}/evil', expect: [ {{ of: $.name, "
                f"is: nice }}, "
                f"{{ of: '$.list[*]', is: nice }}, {{ of: $.name, contains: nice, advice: true }} "
                f"] }}\n"
            )
            return run_text(case(steps), events=events)

    def test_the_terminal_is_left_alone(self):
        events: list = []
        results = self.results(events)
        for out in (io.StringIO(), Screen()):
            terminal = Terminal(CompiledPlan((results.cases[0].planned,), Project("")), out)
            for event in events:
                terminal.take(event)
            terminal.finish(results)
            said = out.getvalue()
            ours = said.replace("\r\x1b[2K", "").replace("\x1b[31m", "").replace("\x1b[0m", "")
            for letter in "\x1b\x07\x9b\u202e\u2066\x00\r\x08":
                self.assertNotIn(letter, ours, repr(letter))
            self.assertIn("right to left", said, "what it says is still shown")
            self.assertIn("expected “nice”", said)

    def test_printable(self):
        self.assertEqual(printable("plain ä 船 😀\n\tline"), "plain ä 船 😀\n\tline")
        self.assertEqual(printable("\x1b[31m"), "\ufffd[31m")

    def test_junit_is_read_by_two_readers(self):
        octets = b"".join(junit.write(self.results([]).report()))
        assert_valid(octets)
        for read in (ET.fromstring, etree.fromstring):
            root = read(octets)
            suite = root.find("testsuite")
            self.assertEqual((suite.get("tests"), suite.get("failures")), ("1", "1"))
            self.assertIn("</testsuite>", root.find(".//failure").text)
            self.assertIn("advice", root.find(".//system-out").text)

    def test_the_json_report_keeps_every_letter(self):
        data = plain_report(self.results([]))
        actual = data["cases"][0]["rows"][0]["steps"][0]["checks"][0]["actual"]
        self.assertEqual(actual, EVIL)

    def test_a_file_that_cannot_be_read_is_told_without_its_codes(self):
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "evil.case.json"
            file.write_text(json.dumps({"salt-path": 1, "case": "x", "steps": [{EVIL: 1}]}))
            done = subprocess.run(
                [sys.executable, "-m", "saltpath.cli", "check", str(file)],
                capture_output=True,
                text=True,
                timeout=60,
            )
        self.assertEqual(done.returncode, 2)
        self.assertNotIn("\x1b", done.stdout + done.stderr)
        self.assertIn("evil.case.json", done.stderr)
