"""Suites in folders, moved at random by people who saw them as they were: nothing is lost, nothing
stands in itself, and files say where their cases stand."""

import random
import tempfile
import unittest
from contextlib import closing
from pathlib import Path

from saltpath.core.format.folder import folders_above
from saltpath.store import cases, folders, people, projects
from saltpath.store.database import Conflict, connect, migrate
from saltpath.store.documents import Document

MOVES = 400


class Suites(unittest.TestCase):
    def setUp(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        migrate(folder)
        self.store = self.enterContext(closing(connect(folder)))
        self.owner = people.local_owner(self.store).id
        made = projects.add_project(self.store, self.owner, {"salt-path": 1, "project": "P"})
        self.project = made.id
        for number in range(6):
            document = {"salt-path": 1, "suite": f"S{number}"}
            # several have one name, and come upon each other's folders
            path = f"suites/{'same' if number % 2 else number}"
            suite = projects.add_suite(self.store, self.project, self.owner, path, document)
            case = {"salt-path": 1, "case": f"C{number}", "steps": []}
            file = f"{suite.folder}/c.case.yaml"
            cases.add_case(self.store, self.project, suite.id, self.owner, case, {}, file)

    def suites(self) -> dict[str, Document]:
        return {one.name: one for one in projects.suites(self.store, self.project)}

    def parents(self) -> dict[str, str | None]:
        standing = projects.standing_of_each(list(self.suites().values()))
        levels = [[one.name for one in several] for several in standing.values()]
        return {names[-1]: names[-2] if len(names) > 1 else None for names in levels}

    def test_at_random(self) -> None:
        draw = random.Random(20)
        model: dict[str, str | None] = dict.fromkeys(self.suites())
        seen = self.suites()
        refused = 0
        for number in range(MOVES):
            if draw.random() < 0.3:
                seen = self.suites()  # else what was seen some moves before
            moved, into = draw.choice(list(model)), draw.choice([None, *model])
            above: list[str | None] = [into]
            while above[-1] is not None:
                above.append(model[above[-1]])
            try:
                projects.put_into(self.store, seen[moved], seen[into] if into else None)
                self.assertNotIn(moved, above, number)
                model[moved] = into
            except Conflict:
                self.assertIn(moved, above, number)
                refused += 1
            self.assertEqual(self.parents(), model, number)
            now = self.suites()
            paths = [one.folder for one in now.values()]
            self.assertEqual(len(set(paths)), len(paths))
            for one in now.values():
                held = {level.folder for level in projects.standing(self.store, one)[:-1]}
                self.assertLessEqual(held, set(folders_above(one.folder)))
            at = folders.paths_of(self.store, self.project)
            for case in cases.cases(self.store, self.project):
                self.assertEqual(at[case.id], case.file, number)
        self.assertGreater(refused, MOVES // 20)
        print(f"counted: {MOVES} moves of suites, {refused} refused, none lost")


if __name__ == "__main__":
    unittest.main()
