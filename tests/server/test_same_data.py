"""The same seed gives the same requests, byte for byte: however many run at once, in the
application, on the command line, after a restart."""

import os
import re
import subprocess
import sys
import tempfile
import unittest
import urllib.request
import zipfile
from collections import defaultdict
from io import BytesIO
from pathlib import Path

from tests.application import Application
from tests.engine.answering import Handler, serving

SHARED = {
    "salt-path": 1,
    "shared": "Make a name",
    "inputs": {"of": {"kind": "text"}},
    "outputs": {"name": "[=kept.name]"},
    "steps": [
        {
            "request": "Name",
            "key": "nam3it",
            "send": "POST [=echo]/[=case.name]",
            "json": {"draw": "[=any name]-[=any uuid]", "of": "[=of]"},
            "keep": {"name": "$.draw"},
        }
    ],
}


def document(number):
    step = {
        "headers": {"X-Draw": "[=any digits 12]"},
        "send": "POST [=echo]/[=case.name]?t=[=any letters 6]",
    }
    return {
        "salt-path": 1,
        "case": f"case-{number}",
        "key": f"abcdefgh{number:02d}",
        "values": {"mark": "[=any word]-[=any integer 1 to 1000000]"},
        "once": [
            {
                "shared": "make-a-name",
                "key": "0nce01",
                "with": {"of": "[=mark]"},
                "gives": {"name": "first"},
            }
        ],
        "steps": [
            {
                "request": "One",
                "key": "st3p01",
                **step,
                "json": '{"name": "[=first]", "at": "[=now +2 days]", "mark": "[=mark]"}',
            },
            {
                "for each": [1, 2, 3],
                "as": "n",
                "key": "3ach01",
                "steps": [
                    {
                        "request": "Each",
                        "key": "st3p02",
                        **step,
                        "text": "[=n] [=any sentence] [=any number 0.5 to 9.5]",
                        "type": "text/plain",
                    },
                    {"shared": "make-a-name", "key": "us3d01", "with": {"of": "[=n | text]"}},
                ],
            },
            {"set": {"twice": "[=any text matching [A-Z]{3}\\d{4}]"}, "key": "s3t001"},
            {
                "request": "Last",
                "key": "st3p03",
                **step,
                "form": {
                    "a": "[=twice]",
                    "b": "[=twice]",
                    "c": "[=any date 2026-01-01 to 2026-12-31]",
                },
            },
        ],
    }


class SameData(unittest.TestCase):
    CASES = 12

    def setUp(self):
        self.heard = defaultdict(list)
        heard = self.heard

        class Echo(Handler):
            def do_POST(self):
                body = self.rfile.read(int(self.headers["Content-Length"]))
                heard[self.path.partition("?")[0]].append(
                    (self.requestline, self.headers.as_bytes(), body)
                )
                self.give(body)

        self.echo = self.enterContext(serving(Echo))

    def taken(self):
        """What was heard since, case by case in its order."""
        found = {path: tuple(requests) for path, requests in self.heard.items()}
        self.heard.clear()
        self.assertEqual(len(found), self.CASES)
        self.assertEqual({len(requests) for requests in found.values()}, {9})
        return found

    @staticmethod
    def timeless(requests):
        """Without the one place that says what time it is."""
        return {
            path: [
                re.sub(rb'"at": "[^"]+"', b"", b" ".join(map(bytes, (line.encode(), *rest))))
                for line, *rest in several
            ]
            for path, several in requests.items()
        }

    def test_the_same_seed_gives_the_same_requests(self):
        app = self.enterContext(Application())
        project = app.ask("POST", "/projects", {"name": "Draws"})[2]["id"]
        app.project = project
        app.ask(
            "POST",
            "/values",
            {"project": project, "changes": [{"kind": "put", "name": "echo", "text": self.echo}]},
        )
        suite = app.ask("POST", "/suites", {"project": project, "name": "Draws"})[2]["id"]
        self.assertEqual(
            app.ask("POST", "/shared-steps", {"project": project, "document": SHARED})[0], 201
        )
        for number in range(self.CASES):
            asked = {"project": project, "suite": suite, "document": document(number)}
            self.assertEqual(app.ask("POST", "/cases", asked)[0], 201)
        first = app.run(seed=4711, jobs=1)
        self.assertEqual(
            first["counts"], {"unchecked": self.CASES}, "nothing is checked, but all of it is sent"
        )
        one = self.taken()
        self.assertEqual(
            len({body for several in one.values() for _, _, body in several}),
            9 * self.CASES,
            "all differ",
        )

        again = app.run(again=first["id"], jobs=32)
        self.assertEqual(again["seed"], 4711)
        self.assertEqual(self.taken(), one, "byte for byte, the time too")

        app.run(seed=4711, jobs=32)
        self.assertEqual(self.timeless(self.taken()), self.timeless(one))

        app.run(seed=4712, jobs=32)
        self.assertNotEqual(self.timeless(self.taken()), self.timeless(one))

        for kind in ("web", "writer", "runner"):
            app.kill(kind)
        app.wait(lambda: app.get("/health"))
        app.run(again=first["id"], jobs=32)
        self.assertEqual(self.taken(), one, "after a restart")

        with (
            tempfile.TemporaryDirectory() as folder,
            urllib.request.urlopen(f"{app.address}/api/v1/projects/{project}/folder") as archive,
        ):
            with zipfile.ZipFile(BytesIO(archive.read())) as files:
                files.extractall(folder)
            for jobs in ("1", "32"):
                command = [
                    sys.executable,
                    "-m",
                    "saltpath.cli",
                    "run",
                    ".",
                    "--seed",
                    "4711",
                    "--jobs",
                    jobs,
                    "--quiet",
                ]
                done = subprocess.run(
                    command, cwd=Path(folder), capture_output=True, timeout=60, env=os.environ
                )
                self.assertEqual(done.returncode, 1, done.stderr)
                self.assertEqual(
                    self.timeless(self.taken()), self.timeless(one), "on the command line"
                )


if __name__ == "__main__":
    unittest.main()
