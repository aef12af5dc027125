"""The way from a runner to the store: acknowledged, sent again after a break, recorded once."""

import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path

import msgspec

from saltpath.core.answers.exchange import Exchange, Times
from saltpath.core.running.events import (
    CaseFinished,
    CaseStarted,
    RunFinished,
    RunStarted,
    StepFinished,
)
from saltpath.core.running.totals import Planned
from saltpath.core.values.why import why
from saltpath.runner.recorder import Recorder
from saltpath.runner.wire import Message, pack, read_acknowledgement, unpack
from saltpath.store import cases, evidence, jobs, people, projects, runs
from saltpath.store.database import connect, migrate, write

STEPS = 400


def step(number: int) -> StepFinished:
    exchange = Exchange(
        "GET",
        "http://h/",
        b"GET / HTTP/1.1\r\n\r\n",
        b"",
        200,
        b"HTTP/1.1 200 OK\r\n\r\n",
        b"{}",
        b"{}",
        Times(),
        1,
    )
    return StepFinished(
        1,
        0,
        1,
        "steps",
        number,
        "abcdef",
        "A",
        "request",
        "passed",
        None,
        5,
        200,
        (exchange,),
        (),
        {},
        {},
    )


class Wire(unittest.TestCase):
    def test_messages_come_in_any_pieces(self):
        data = b"".join(
            pack(Message(number, 1, 2, "started", facts={"n": number})) for number in range(20)
        )
        buffer, seen = bytearray(), []
        for at in range(0, len(data), 7):
            buffer += data[at : at + 7]
            seen += [message.number for message in unpack(buffer)]
        self.assertEqual((seen, bytes(buffer)), (list(range(20)), b""))


class Recording(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        migrate(self.folder)
        self.main = connect(self.folder)
        self.addCleanup(self.main.close)
        owner = people.local_owner(self.main).id
        project = projects.add_project(self.main, owner, {"salt-path": 1, "project": "P"})
        suite = projects.add_suite(
            self.main, project.id, owner, "s", {"salt-path": 1, "suite": "S"}
        )
        case = cases.add_case(
            self.main, project.id, suite.id, owner, {"salt-path": 1, "case": "A", "steps": []}
        )
        self.run_asked, _ = runs.ask(
            self.main,
            project.id,
            owner,
            [(case.id, 1, "A")],
            kind="run",
            title="A",
            environments=[""],
            seed=1,
        )
        self.project = project.id
        self.writer: subprocess.Popen | None = None
        self.start_writer()
        self.recorder = Recorder(self.folder)
        self.addCleanup(self.recorder.close)
        self.job = jobs.take(self.main, "one")
        self.recorder.begin(self.project, self.run_asked.id, self.job.epoch, [0])

    def start_writer(self) -> None:
        self.writer = subprocess.Popen(
            [sys.executable, "-m", "saltpath.processes", "writer", str(self.folder)],
            stderr=subprocess.DEVNULL,
        )
        self.addCleanup(self.writer.wait)
        self.addCleanup(self.writer.kill)

    def stored(self) -> list[int]:
        connection = connect(self.folder, "evidence")
        found = [
            head.step
            for head in evidence.read_heads(evidence.heads(connection, self.run_asked.id)[0])
        ]
        connection.close()
        return found

    def test_a_writer_that_is_killed_again_and_again(self):
        self.recorder.take(RunStarted(1, 1, "", 1))
        self.recorder.take(CaseStarted(1, 0))
        for number in range(STEPS):
            self.recorder.take(step(number))
            if number % 100 == 50:
                self.writer.send_signal(signal.SIGKILL)
                self.writer.wait()
                self.start_writer()
            time.sleep(0.0005)
        self.recorder.take(
            CaseFinished(9, 0, "passed", None, 7, Planned(problem=why("number-too-long")))
        )
        self.recorder.take(RunFinished(9, "blocked", 7))
        self.assertTrue(self.recorder.settled(15))
        self.assertEqual(sorted(self.stored()), list(range(STEPS)))
        done = runs.run(self.main, self.run_asked.oid)
        self.assertEqual((done.state, done.verdict), ("finished", "blocked"))
        self.assertEqual(runs.run_cases(self.main, done.id)[0].why["code"], "number-too-long")

    def test_what_comes_under_an_old_epoch_is_refused_whenever_it_arrives(self):
        """The fault: a runner that had lost its lease still ended the run, which passed at 34 of
        150 rows."""
        self.recorder.take(RunStarted(1, 1, "", 1))
        self.recorder.take(step(1))
        self.assertTrue(self.recorder.settled(15))
        jobs.release(self.main, "one")
        self.recorder.take(step(2))
        self.assertTrue(self.recorder.settled(15))
        self.assertEqual(
            (self.stored(), self.recorder.refused), ([1, 2], False), "nobody has taken it yet"
        )
        again = jobs.take(self.main, "two")
        self.recorder.take(step(3))
        self.recorder.take(CaseFinished(9, 0, "passed", None, 7))
        self.recorder.take(RunFinished(9, "passed", 7))
        self.assertTrue(self.recorder.settled(15))
        self.assertEqual((self.stored(), self.recorder.refused), ([1, 2], True))
        self.assertEqual(runs.run(self.main, self.run_asked.oid).state, "running")
        other = Recorder(self.folder)
        self.addCleanup(other.close)
        other.begin(self.project, self.run_asked.id, again.epoch, [0])
        other.take(step(3))
        self.assertTrue(other.settled(15))
        self.assertEqual((self.stored(), other.refused), ([1, 2, 3], False))

    def test_a_verdict_is_that_of_what_is_recorded_held_against_what_was_planned(self):
        """Whatever a runner says of its case: a step was planned that was never recorded."""
        self.recorder.take(RunStarted(1, 1, "", 1))
        self.recorder.take(CaseStarted(1, 0))
        for number in range(3):
            self.recorder.take(msgspec.structs.replace(step(number), judged=True))
        self.recorder.take(CaseFinished(9, 0, "passed", None, 7, Planned(steps=4)))
        self.recorder.take(RunFinished(9, "passed", 7))
        self.assertTrue(self.recorder.settled(15))
        done = runs.run(self.main, self.run_asked.oid)
        [case] = runs.run_cases(self.main, done.id)
        self.assertEqual(
            (done.verdict, case.verdict, case.why["code"]), ("blocked", "blocked", "not-recorded")
        )

    def test_a_message_that_is_missing_between_others_is_asked_for_again(self):
        with socket.socket(socket.AF_UNIX) as raw:
            for _ in range(500):
                try:
                    raw.connect(str(self.folder / "writer.sock"))
                    break
                except OSError:
                    time.sleep(0.02)
            raw.settimeout(15)
            answers = []
            for number in (7, 9):
                raw.sendall(
                    pack(Message(number, self.project, self.run_asked.id, "started", 1, epoch=1))
                )
                answers.append(read_acknowledgement(raw))
            self.assertEqual(answers, [(7, False), None])

    def test_a_locked_database_is_waited_for(self):
        locked, release = threading.Event(), threading.Event()

        def lock() -> None:
            with write(connect(self.folder, "evidence")):
                locked.set()
                release.wait(10)

        thread = threading.Thread(target=lock)
        thread.start()
        locked.wait(5)
        self.recorder.take(RunStarted(1, 1, "", 1))
        self.recorder.take(step(1))
        self.assertFalse(self.recorder.settled(0.5), "not acknowledged while it is not stored")
        release.set()
        thread.join()
        self.assertTrue(self.recorder.settled(15))
        self.assertEqual(self.stored(), [1])
