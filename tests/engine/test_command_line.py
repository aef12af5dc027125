"""The command line as a developer calls it: exit statuses, reports, messages."""

import importlib.util
import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

import jsonschema
import junitparser
import xunitparser

from saltpath.core.format.schema import report_schema
from tests.application import PATIENCE_S
from tests.formats.junit_schemas import assert_valid
from tests.harbour import case, harbour, harbour_database

PROJECT = Path(__file__).resolve().parents[2] / "src/saltpath/demo/project"
GOOD = "  - { request: A, send: 'GET [=harbour]/pilots', expect: [ { of: status, is: 200 } ] }\n"
BAD = GOOD.replace("200", "201")


def saltpath(*arguments: str, **environment: str) -> subprocess.CompletedProcess:
    env = {**os.environ, **environment}
    return subprocess.run(
        [sys.executable, "-m", "saltpath.cli", *arguments],
        capture_output=True,
        text=True,
        env=env,
        timeout=PATIENCE_S,
    )


def until_read(pipe: Path, process: subprocess.Popen) -> int:
    """The pipe opened for writing, as soon as the process reads from it."""
    end = time.monotonic() + PATIENCE_S
    while True:
        try:
            return os.open(pipe, os.O_WRONLY | os.O_NONBLOCK)
        except OSError:  # nobody reads yet
            if process.poll() is not None or time.monotonic() > end:
                raise AssertionError(
                    f"the pipe was never read: {process.communicate()[0]}"
                ) from None
            time.sleep(0.02)


class CommandLine(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def write(self, text: str, name: str = "x.case.yaml") -> str:
        (self.folder / name).write_text(text, encoding="utf-8")
        return str(self.folder / name)

    def run_it(self, text: str, *more: str) -> subprocess.CompletedProcess:
        return saltpath("run", self.write(text), "--set", f"harbour={harbour()}", *more)

    def test_exit_statuses(self):
        self.assertEqual(self.run_it(case(GOOD)).returncode, 0)
        failed = self.run_it(case(BAD))
        self.assertEqual(failed.returncode, 1)
        self.assertIn("expected 201, was 200", failed.stdout)
        plain = case(GOOD.replace(", expect: [ { of: status, is: 200 } ]", ""))
        self.assertEqual(self.run_it(plain).returncode, 1)
        self.assertEqual(self.run_it(plain, "--allow", "unchecked").returncode, 0)
        broken = self.run_it(case(GOOD.replace("send", "sned")))
        self.assertEqual(broken.returncode, 2)
        self.assertIn(
            "x.case.yaml:4: unknown key 'sned' in a request step; did you mean 'send'?",
            broken.stderr,
        )
        for arguments in [
            ["--only", "nothing like it"],
            ["--env", "Nowhere"],
            ["--set", "x"],
            ["--json", "/nowhere/x.json"],
            ["--tag", "t"],
        ]:
            with self.subTest(arguments):
                self.assertEqual(self.run_it(case(GOOD), *arguments).returncode, 2)
        self.assertEqual(saltpath("run", str(self.folder / "gone")).returncode, 2)

    def test_reports_are_written_each_where_it_was_asked_for(self):
        one, two, junit = (self.folder / name for name in ("1.json", "2.json", "r.xml"))
        done = self.run_it(
            case(GOOD), "--json", str(one), "--json", str(two), "--junit", str(junit)
        )
        self.assertEqual(done.returncode, 0)
        self.assertEqual(one.read_bytes(), two.read_bytes())
        self.assertIn(b"<testsuite", junit.read_bytes())
        twice = self.run_it(case(GOOD), "--json", str(one), "--junit", f"{self.folder}/./1.json")
        self.assertEqual(
            (twice.returncode, twice.stderr.strip()),
            (2, f"{self.folder}/1.json: two reports would be written there"),
        )

    def test_a_report_that_cannot_be_written_is_said_and_the_others_stand(self):
        """The disk is full, which only the writing can tell; the run has happened."""
        for option, file in [("--json", "/dev/full"), ("--junit", "/dev/full")]:
            with self.subTest(option):
                other = self.folder / "other.json"
                other.unlink(missing_ok=True)
                done = self.run_it(case(GOOD), option, file, "--json", str(other))
                self.assertEqual(done.returncode, 1)
                self.assertEqual(
                    done.stderr.strip(), "/dev/full could not be written: No space left on device"
                )
                self.assertIn("passed", done.stdout)
                self.assertTrue(other.stat().st_size)

    def test_none_that_is_meant_is_said(self):
        done = self.run_it(case(GOOD), "--only", "no such", "--tag", "slow")
        self.assertEqual(
            done.stderr.strip(),
            "of 1 case none is such that its name holds 'no such' and it has the tag slow",
        )

    def test_a_plain_run_waits_for_no_library_that_it_has_no_use_for(self):
        code = "import sys, saltpath.cli\ntry: saltpath.cli.main()\nfinally: print(*sys.modules)"
        call = [
            sys.executable,
            "-c",
            code,
            "run",
            self.write(case(GOOD)),
            "--set",
            f"harbour={harbour()}",
            "--quiet",
        ]
        done = subprocess.run(call, capture_output=True, text=True, timeout=PATIENCE_S)
        self.assertEqual(done.returncode, 0, done.stderr)
        modules = set(done.stdout.split())
        loaded = {name.partition(".")[0] for name in modules}
        self.assertIn("pycurl", loaded)
        self.assertFalse(
            loaded
            & {"openpyxl", "numpy", "lxml", "flask", "jsonschema", "regex", "fractions", "email"}
        )
        self.assertFalse(
            loaded & {"brotli", "zstandard", "certifi", "zoneinfo", "difflib", "csv", "mimetypes"}
        )
        ours = {
            "core.schemas.compiling",
            "core.assist.inspect",
            "core.format.writer",
            "core.format.asked_reader",
            "core.format.json_shapes",
            "core.format.row_kinds",
            "core.format.row_kinds.files",
            "core.tables.frame",
            "core.tables.finding",
        }
        ours |= {
            "formats.rows.csv_rows",
            "formats.rows.json_rows",
            "engine.digest",
            "cli.serving",
            "cli.keeping",
        }
        for name in ours:
            self.assertIsNotNone(importlib.util.find_spec(f"saltpath.{name}"), name)
        self.assertFalse(modules & {f"saltpath.{name}" for name in ours})

    def test_stopping_gives_130_and_still_writes_the_report(self):
        text = case(
            "  - { request: A, send: 'GET [=harbour]/berths', expect: [ { of: status, is: 200 } ] "
            "}\n"
        )
        report = self.folder / "r.json"
        command = [
            sys.executable,
            "-m",
            "saltpath.cli",
            "run",
            self.write(text),
            "--json",
            str(report),
        ]
        with socket.create_server(("127.0.0.1", 0)) as silent:
            silent.settimeout(PATIENCE_S)
            command += ["--set", f"harbour=http://127.0.0.1:{silent.getsockname()[1]}"]
            process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
            asked, _ = silent.accept()
            with asked:
                process.send_signal(signal.SIGINT)
                process.communicate(timeout=PATIENCE_S)
        self.assertEqual(process.returncode, 130)
        self.assertEqual(json.loads(report.read_text())["verdict"], "blocked")

    def test_stopping_before_anything_was_sent_gives_130_too(self):
        """The baseline is a pipe into which nobody writes, so the command is surely still
        reading."""
        waiting = self.folder / "never.json"
        os.mkfifo(waiting)
        command = [
            sys.executable,
            "-m",
            "saltpath.cli",
            "run",
            self.write(case(GOOD)),
            "--baseline",
            str(waiting),
        ]
        process = subprocess.Popen(
            command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
        )
        opened = until_read(waiting, process)
        process.send_signal(signal.SIGINT)
        # Python heeds a signal between two calls of the system; one that came just before would
        # wait for ever.
        os.close(opened)
        self.assertEqual(
            (process.communicate(timeout=PATIENCE_S)[0], process.returncode), ("", 130)
        )

    def test_check(self):
        text = case(
            "  - { request: A, send: 'GET [=harbour]/berths/[=later]', expect: [ { of: status, "
            "is: 200 } ] }\n"
            "  - { request: B, send: 'GET [=harbour]/berths', expect: [ { of: status, is: 200 } "
            "], keep: { later: $.total } }\n",
            "values: { harbour: x }\n",
        )
        found = saltpath("check", self.write(text))
        self.assertEqual(found.returncode, 1)
        self.assertIn("later is used here, and kept only later, in step 2 (B)", found.stdout)
        self.assertEqual(
            saltpath("check", self.write(case(GOOD, "values: { harbour: x }\n"))).returncode, 0
        )
        self.assertEqual(saltpath("check", self.write("a: [")).returncode, 2)

    def test_check_reads_the_watches_of_a_project(self):
        root = self.folder / "harbour"
        shutil.copytree(PROJECT, root)
        before = saltpath("check", root).stdout
        self.assertNotIn("watches/", before)
        (root / "watches" / "z.watch.yaml").write_text(
            "salt-path: 1\nwatch: Z\ncase: suites/nowhere\nenvironment: Lve\n"
        )
        found = saltpath("check", root)
        self.assertEqual(found.returncode, 1)
        self.assertIn("z.watch.yaml: it watches the case suites/nowhere, which is", found.stdout)
        self.assertIn("z.watch.yaml: there is no environment Lve", found.stdout)
        for wrong, said in {
            "limits: { answers: [5, 95 % within 1 s], time: 0 s }": "within 0.4 s; found '5'",
            'urgent: "no"': "urgent",
            "every: 1 min\ncron: '* * * * *'": "not both",
            "urgent: false\nurgent: true": "urgent",
        }.items():
            (root / "watches" / "z.watch.yaml").write_text(
                f"salt-path: 1\nwatch: Z\ntag: feeds\n{wrong}\n"
            )
            found = saltpath("check", root)
            self.assertEqual(found.returncode, 2, wrong)
            self.assertIn("watches/z.watch.yaml", found.stderr)
            self.assertIn(said, found.stderr)
        (root / "watches" / "z.watch.yaml").write_bytes(b"\xff\xfe\x00")
        self.assertIn("not UTF-8", saltpath("check", root / "watches").stderr)

    def test_a_file_that_is_far_too_large_is_refused_at_once(self):
        huge = self.folder / "huge.case.yaml"
        with huge.open("wb") as file:
            file.truncate(100_000_000)
        for command in ("run", "check"):
            done = saltpath(command, str(huge))
            self.assertEqual(done.returncode, 2)
            self.assertIn("20 MB", done.stderr)

    def test_reports(self):
        data, _ = self.reported(PROJECT)
        self.assertEqual(data["counts"]["cases"], {"passed": 20, "failed": 3, "unchecked": 1})
        self.assertIn('"actual":448.80', (self.folder / "r.json").read_text())

    def test_reports_of_what_is_blocked(self):
        data, (tests, failures, errors, skipped) = self.reported(PROJECT.parent / "troubles")
        self.assertEqual(data["counts"]["cases"], {"passed": 4, "failed": 6, "blocked": 21})
        steps = data["counts"]["steps"]
        self.assertEqual(
            (tests, failures, errors, skipped),
            (sum(steps.values()), steps["failed"], steps["blocked"], steps["skipped"]),
        )

    def reported(self, folder: Path) -> tuple[dict, tuple[int, int, int, int]]:
        """The JSON report of a run of all its cases, and what two readers of JUnit count; no secret
        stands in either."""
        report, junit = self.folder / "r.json", self.folder / "r.xml"
        done = saltpath(
            "run",
            str(folder),
            "--set",
            f"harbour={harbour()}",
            "--set",
            f"harbourDatabase={harbour_database()}",
            "--set",
            "agentPassword=salt-and-tar",
            "--set",
            "clientSecret=deep-water-9",
            "--seed",
            "90417",
            "--json",
            str(report),
            "--junit",
            str(junit),
            "--label",
            "3.3.0",
        )
        self.assertEqual(done.returncode, 1, done.stderr)
        data = json.loads(report.read_text())
        jsonschema.Draft202012Validator(report_schema()).validate(data)
        self.assertNotIn("salt-and-tar", report.read_text() + junit.read_text())
        assert_valid(junit.read_bytes())
        one = junitparser.JUnitXml.fromfile(str(junit))
        one.update_statistics()
        with junit.open() as file:
            _, two = xunitparser.parse(file)
        counted = (one.tests, one.failures, one.errors, one.skipped)
        self.assertEqual(
            counted, (two.testsRun, len(two.failures), len(two.errors), len(two.skipped))
        )
        return data, counted

    def test_what_was_guessed_about_files_of_rows_is_found(self):
        steps = "steps: [ { request: A, send: 'GET http://localhost/[=row.name]' } ]\n"
        rows = self.folder / "rows.csv"
        case_file = self.folder / "rows.case.yaml"
        for octets, guess in (
            (b"name,length\n,m\nOrn,12\nBell,9\n", "row 2 has texts where those below it have"),
            ("name;length\nØn;1\nBell;2\n".encode("cp1252"), "its letters are taken for"),
        ):
            rows.write_bytes(octets)
            case_file.write_text(f"salt-path: 1\ncase: A\nrows: rows.csv\n{steps}")
            found = saltpath("check", str(case_file)).stdout
            self.assertIn(f"rows.case.yaml:1: a guess about rows.csv: {guess}", found)
        said = "{ file: rows.csv, encoding: cp1252, names in: 1, data in: A2 }"
        case_file.write_text(f"salt-path: 1\ncase: A\nrows: {said}\n{steps}")
        self.assertNotIn("guess", saltpath("check", str(case_file)).stdout)

    def test_a_project_with_shared_steps_against_a_guarded_environment(self):
        folder = self.enterContext(tempfile.TemporaryDirectory())
        files = {
            "project.yaml": "salt-path: 1\nproject: P\nvalues: { pin: { secret: true } }\n",
            "environments/live.yaml": "salt-path: 1\nenvironment: Live\nguarded: true\nvalues: "
            f"{{ harbour: '{harbour()}' }}\n",
            "shared/sign-in.steps.yaml": "salt-path: 1\nshared: Sign in\noutputs: { token: "
            "'[=kept.token]' }\nsteps:\n"
            "  - { request: A, send: 'POST [=harbour]/sessions', json: { user: desk, password: "
            "'[=pin]' }, expect: [ { of: status, is: 201 } ], keep: { token: $.token } }\n",
            "suites/s/one.case.yaml": "salt-path: 1\ncase: One\nonce: [ { shared: sign-in, gives: "
            "{ token: desk } } ]\nsteps:\n"
            "  - for each: [V-101, V-102]\n    as: id\n    steps: [ { request: B, send: 'GET "
            "[=harbour]/vessels/[=id]', auth: { bearer: '[=desk]' }, expect: [ { of: status, is: "
            "200 } ] } ]\n",
        }
        for name, text in files.items():
            (Path(folder) / name).parent.mkdir(parents=True, exist_ok=True)
            (Path(folder) / name).write_text(text)
        pin = {"SALTPATH_VALUE_PIN": "salt-and-tar"}
        self.assertEqual(saltpath("check", folder).stdout, "no findings in 1 case\n")
        refused = saltpath("run", folder, "--env", "live", **pin)
        self.assertEqual(refused.returncode, 2)
        self.assertIn(
            "Live is guarded, and 1 step may change something there:\n  POST [=harbour]/sessions",
            refused.stderr,
        )
        report = Path(folder) / "report.json"
        done = saltpath(
            "run", folder, "--env", "live", "--allow", "changes", "--json", str(report), **pin
        )
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        data = json.loads(report.read_text())
        jsonschema.Draft202012Validator(json.loads(saltpath("schema", "report").stdout)).validate(
            data
        )
        [case] = data["cases"]
        self.assertEqual(
            [(step["step"], [inner["step"] for inner in step["steps"]]) for step in case["once"]],
            [("Sign in", ["A"])],
        )
        [each] = case["rows"][0]["steps"]
        self.assertEqual(
            [(inner["item"], inner["verdict"]) for inner in each["steps"]],
            [(1, "passed"), (2, "passed")],
        )

    def test_a_backup_and_another_key(self):
        data = str(self.folder / "data")
        self.assertEqual(
            saltpath("backup", str(self.folder / "all.zip"), "--data", data).returncode,
            2,
            "there is nothing yet",
        )
        self.assertEqual(saltpath("import", str(PROJECT), "--data", data).returncode, 0)
        done = saltpath("backup", str(self.folder / "all.zip"), "--data", data)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("without the key", done.stdout)
        self.assertEqual(
            saltpath("backup", str(self.folder / "no/all.zip"), "--data", data).returncode, 2
        )
        changed = saltpath("change-key", "--data", data)
        self.assertIn("0 values sealed under a new key", changed.stdout)
        again = saltpath("import", str(PROJECT), "--data", data)
        self.assertIn("0 new cases, 0 changed, 24 as they were", again.stdout, again.stderr)

    def test_secrets_from_the_environment(self):
        text = case(
            "  - { request: A, send: 'POST [=harbour]/sessions', json: { user: desk, password: "
            "'[=pin]' }, expect: [ { of: status, is: 201 } ] }\n",
            "values: { pin: { secret: true } }\n",
        )
        done = saltpath(
            "run",
            self.write(text),
            "--set",
            f"harbour={harbour()}",
            SALTPATH_VALUE_PIN="salt-and-tar",
        )
        self.assertEqual(done.returncode, 0, done.stdout)

    def test_schemas_are_printed(self):
        self.assertEqual(
            json.loads(saltpath("schema", "case").stdout)["title"], "A case of Salt Path"
        )
