"""A secret stands in no file and no answer of the application, and in no report of the command
line, in whatever form a server gave it back."""

import json
import os
import subprocess
import sys
import tempfile
import unittest
import zipfile
from pathlib import Path

import zstandard

from saltpath.store import evidence
from saltpath.store.database import connect
from tests.application import Application
from tests.engine.test_secrets import STEPS, echo, everything_in, forms

SECRET = "salt-and-tar"  # the demonstration's, as its runners read it


class Leaks(unittest.TestCase):
    def searched(self, where: str, octets: bytes) -> None:
        self.assertEqual(
            [name for name, form in forms(SECRET).items() if form in octets], [], where
        )

    def test_no_form_of_a_secret_is_stored_told_or_reported(self):
        steps = STEPS.replace("[=pin]", "[=agentPassword]").replace("[=pin |", "[=agentPassword |")
        steps = steps.replace("hmac-sha256 pin", "hmac-sha256 agentPassword").replace(
            "[=second]", "[=agentPassword]"
        )
        with echo(SECRET) as address, Application() as app:
            text = (
                "salt-path: 1\ncase: Told back\nkey: toldback01\non failure: go on\nvalues: "
                f"{{ echo: '{address}' }}\nsteps:{steps}"
            )
            suite = app.get(f"/suites?project={app.project}")["items"][0]["id"]
            _, _, case = app.ask(
                "POST", "/cases", {"project": app.project, "suite": suite, "text": text}
            )
            app.finished(app.get(f"/runs?project={app.project}")["items"][0]["id"])
            run = app.run(cases=[case["id"]])
            trial = app.run(
                cases=[case["id"]],
                kind="trial",
                steps=[0],
                values={"agentPassword": SECRET, "echo": address},
            )
            self.assertEqual(
                [item["verdict"] for item in run["cases"][0]["steps"]][:3], ["failed"] * 3, run
            )
            self.assertEqual(trial["cases"][0]["steps"][0]["verdict"], "failed")
            for path in (
                f"/runs/{run['id']}",
                f"/runs/{run['id']}/cases/0",
                f"/cases/{case['id']}/evidence",
                f"/cases/{case['id']}/rows",
                f"/cases/{case['id']}/coverage",
                f"/events?project={app.project}&after=0&limit=1000",
            ):
                self.searched(path, json.dumps(app.get(path), ensure_ascii=False).encode())
            for path in (
                f"/cases/{case['id']}/workbook?format=csv",
                f"/projects/{app.project}/folder",
            ):
                self.searched(path, app.ask("GET", path)[2])
            self._files(app.data)
            self.searched("the log", Path(app.log.name).read_bytes())
            self._backup(app)
            self._command_line(app, text)

    def _backup(self, app: Application) -> None:
        """Made while the application runs, without the key."""
        with tempfile.TemporaryDirectory() as folder:
            archive, restored = Path(folder) / "all.zip", Path(folder) / "restored"
            command = [
                sys.executable,
                "-m",
                "saltpath.cli",
                "backup",
                str(archive),
                "--data",
                str(app.data),
            ]
            subprocess.run(command, check=True, capture_output=True, timeout=60)
            self.searched("the backup", archive.read_bytes())
            with zipfile.ZipFile(archive) as made:
                self.assertEqual(made.namelist(), ["saltpath.db", "evidence.db", "history.db"])
                made.extractall(restored)
            self._files(restored)

    def _files(self, folder: Path) -> None:
        for file in folder.rglob("*"):
            if file.is_file() and file.name != "secret.key":
                self.searched(file.name, file.read_bytes())
        kept = connect(folder, "evidence")
        self.addCleanup(kept.close)
        runs = kept.execute("SELECT DISTINCT run, position FROM step").fetchall()
        seen = [step for row in runs for step in evidence.steps(kept, row["run"], row["position"])]
        self.assertGreater(sum(len(step.exchanges) for step in seen), 50)
        self.searched("the evidence", everything_in(seen))
        bodies = [
            zstandard.ZstdDecompressor().decompress(row["packed"])
            for row in kept.execute("SELECT packed FROM body")
        ]
        self.searched("the bodies", b"\n".join(bodies))

    def _command_line(self, app: Application, text: str) -> None:
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "told.case.yaml").write_text(
                text.replace("values: {", "values: { agentPassword: { secret: true },")
            )
            command = [
                sys.executable,
                "-m",
                "saltpath.cli",
                "run",
                "told.case.yaml",
                "--json",
                "report.json",
                "--junit",
                "report.xml",
            ]
            done = subprocess.run(
                command,
                cwd=folder,
                capture_output=True,
                env={**os.environ, "SALTPATH_VALUE_AGENTPASSWORD": SECRET},
                timeout=60,
            )
            self.assertEqual(done.returncode, 1, done.stderr)
            self.searched("what it prints", done.stdout + done.stderr)
            for name in ("report.json", "report.xml"):
                self.searched(name, (Path(folder) / name).read_bytes())


if __name__ == "__main__":
    unittest.main()
