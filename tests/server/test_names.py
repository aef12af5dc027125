"""Whatever suites, cases and environments are called: the project goes out as a folder and comes in
again as the same. Seeded."""

import random
import tempfile
import unittest
from pathlib import Path

from saltpath.core.format.folder import read_folder, write_folder
from saltpath.server.app import make_app
from saltpath.store import cases, folders, people, projects
from saltpath.store.database import connect
from tests.application import without_sign_in

NAMES = [
    "A",
    "a",
    "É",
    "e",
    "Environments",
    "environments",
    "shared",
    "Shared",
    "data",
    "Project",
    "project",
    "suite",
    "Suite",
    "case",
    "Case",
    "con",
    "x" * 80,
    "x" * 80 + "y",
    "...",
    "..",
    "/etc/passwd",
    "a/b",
    "a\\b",
    "日本",
    "😀",
    "ß",
    "SS",
    "1",
    "01",
    " lead",
    "trail ",
    " ",
    "a.case.yaml",
    "b.json",
    "-",
    "--",
    "tests",
    "a\tb",
    "q?",
    "[=x]",
    "#1",
    "@",
    "null",
    "no",
    "a: b",
    "environment",
    "environment-2",
]


class Names(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        without_sign_in(self.folder)
        self.connection = connect(self.folder)
        self.addCleanup(self.connection.close)
        self.client = make_app(self.folder).test_client()

    def made(self, path: str, **body: object) -> dict | None:
        """What came of a POST; None if it was refused, which says why."""
        answer = self.client.post(f"/api/v1{path}", json=body, headers={"Host": "127.0.0.1"})
        self.assertLess(answer.status_code, 500, (path, body))
        self.assertTrue(answer.status_code == 201 or answer.get_json()["title"], (path, body))
        return answer.get_json() if answer.status_code == 201 else None

    def a_project(self, chance: random.Random) -> str:
        """Its id; the names that it holds are checked against what was given."""
        made = self.made("/projects", name=f"P {chance.random()}")
        assert made is not None
        project = made["id"]
        for name in chance.sample(NAMES, 8):
            suite = self.made("/suites", project=project, name=name)
            for case in chance.choices(NAMES, k=5) if suite else ():
                document = {"salt-path": 1, "case": case, "steps": []}
                self.made("/cases", project=project, suite=suite["id"], document=document)
        for name in chance.sample(NAMES, 5):
            self.made("/environments", project=project, name=name)
        return project

    def held(self, project: projects.Document) -> tuple[dict[str, list[str]], list[str]]:
        """The cases of each suite in their order, and the environments."""
        stored = cases.cases(self.connection, project.id)
        suites = {
            suite.name: [case.name for case in stored if case.suite == suite.id]
            for suite in projects.suites(self.connection, project.id)
        }
        return suites, sorted(
            item.name for item in projects.environments(self.connection, project.id)
        )

    def test_out_and_in_again(self):
        me = people.local_owner(self.connection).id
        for seed in range(25):
            with self.subTest(seed=seed):
                project = projects.project(self.connection, self.a_project(random.Random(seed)))
                files = write_folder(folders.folder_of(self.connection, project))
                self.assertEqual(
                    len({path.lower() for path in files}),
                    len(files),
                    "files that differ in case alone",
                )
                for path in files:
                    self.assertFalse(
                        path.startswith("/") or ".." in path.split("/") or "\\" in path, path
                    )
                brought = folders.bring_in(self.connection, me, read_folder(files))
                again = projects.project(self.connection, brought.project)
                self.assertEqual(self.held(again), self.held(project))
                self.assertEqual(write_folder(folders.folder_of(self.connection, again)), files)
