"""Two runs side by side, and a step beside its last pass."""

import unittest
from typing import Any

from tests.application import Application


class Compared(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.app = cls.enterClassContext(Application())
        about = {"project": cls.app.project, "name": "Compared"}
        cls.suite = cls.app.ask("POST", "/suites", about)[2]["id"]
        cls.cases = {name: cls.case(name, status) for name, status in STATUS.items()}
        cls.first = cls.app.run(suite=cls.suite, build="3.2")
        cls.change("breaks", 201)
        cls.change("mends", 200)
        cls.change("fails otherwise", 200, "$.nothing")
        cls.cases["new"] = cls.case("new", 200)
        cls.app.ask("DELETE", f"/cases/{cls.cases['gone']}")
        cls.second = cls.app.run(suite=cls.suite, build="3.3")

    @classmethod
    def case(cls, name: str, status: int) -> str:
        document = {"salt-path": 1, "case": name, "steps": [step(status)]}
        about = {"project": cls.app.project, "suite": cls.suite, "document": document}
        return str(cls.app.ask("POST", "/cases", about)[2]["id"])

    @classmethod
    def change(cls, name: str, status: int, of: str = "") -> None:
        held = cls.app.get(f"/cases/{cls.cases[name]}")
        key = held["document"]["steps"][0]["key"]
        document = {**held["document"], "steps": [{**step(status, of), "key": key}]}
        path, version = f"/cases/{cls.cases[name]}", f'"{held["version"]}"'
        assert cls.app.ask("PUT", path, {"document": document}, If_Match=version)[0] == 200

    def compared(self) -> Any:
        return self.app.get(f"/runs/{self.second['id']}/compared?with={self.first['id']}")

    def test_each_case_says_what_became_of_it(self) -> None:
        became = {one["name"]: one["became"] for one in self.compared()["cases"]}
        self.assertEqual(
            became,
            {
                "breaks": "broke",
                "mends": "mended",
                "passes": "same",
                "fails": "still bad",
                "fails otherwise": "otherwise",
                "new": "only here",
                "gone": "only there",
            },
        )

    def test_what_needs_a_person_is_said_first(self) -> None:
        found = self.compared()
        self.assertEqual(found["cases"][0]["name"], "breaks")
        self.assertEqual(found["cases"][-1]["name"], "passes")
        self.assertEqual(
            found["sentences"][:3],
            ["1 case broke.", "1 case is bad for another reason.", "1 case is mended."],
        )
        self.assertEqual((found["run"]["build"], found["with"]["build"]), ("3.3", "3.2"))

    def test_steps_stand_beside_each_other(self) -> None:
        cases = {one["name"]: one for one in self.compared()["cases"]}
        [broken] = cases["breaks"]["steps"]
        self.assertEqual(
            (broken["there"]["verdict"], broken["here"]["verdict"]), ("passed", "failed")
        )
        self.assertIsNone(cases["new"]["steps"][0]["there"])
        self.assertIsNone(cases["gone"]["here"])

    def test_a_run_is_compared_with_another_of_its_project(self) -> None:
        path = f"/runs/{self.second['id']}/compared"
        for other, status in (
            (f"?with={self.second['id']}", 422),
            (f"?with={self.app.get(f'/runs?project={self.app.troubles}')['items'][0]['id']}", 422),
            ("?with=run_none", 404),
            ("", 404),
        ):
            self.assertEqual(self.app.ask("GET", path + other)[0], status, other)

    def test_a_step_says_what_is_otherwise_since_its_last_pass(self) -> None:
        for _ in range(3):
            last = self.app.run(cases=[self.cases["passes"]])
        held = self.app.get(f"/cases/{self.cases['passes']}")
        [old] = held["document"]["steps"]
        changed = {**old, "send": "GET [=harbour]/vessels/V-102"}
        document = {**held["document"], "steps": [{**changed, "expect": [expect(201)]}]}
        path, version = f"/cases/{self.cases['passes']}", f'"{held["version"]}"'
        self.app.ask("PUT", path, {"document": document}, If_Match=version)
        bad = self.app.run(cases=[self.cases["passes"]])
        found = self.app.get(f"/runs/{bad['id']}/cases/0/since-pass")
        self.assertEqual(found["run"]["id"], last["id"])
        news = {one["where"]: (one["before"], one["after"]) for one in found["differences"]}
        self.assertIn("V-101", news["address"][0])
        self.assertEqual(news["$.id"], ("“V-101”", "“V-102”"))
        self.assertFalse([one for one in found["differences"] if one["volatile"]])
        path = f"/runs/{self.first['id']}/cases/0/since-pass"
        self.assertEqual(self.app.get(path), {"run": None, "differences": []})
        self.assertEqual(self.app.ask("GET", f"{path}?index=9")[0], 404)
        self.assertEqual(self.app.ask("GET", f"{path}?row={'9' * 18}")[0], 404)


class History(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.app = cls.enterClassContext(Application())

    def test_what_was_edited_stands_between_two_runs(self) -> None:
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        document = {"salt-path": 1, "case": "Old", "steps": [step(200)]}
        about = {"project": self.app.project, "suite": suite, "document": document}
        case = self.app.ask("POST", "/cases", about)[2]["id"]
        path = f"/cases/{case}/history"
        self.assertEqual(self.app.get(path), {"items": [], "next": None})
        runs = [self.app.run(cases=[case], build="1"), self.app.run(cases=[case], build="2")]
        held = self.app.get(f"/cases/{case}")
        changed = {**held["document"], "case": "New", "steps": [step(201)]}
        changed["steps"][0]["key"] = held["document"]["steps"][0]["key"]
        self.app.ask("PUT", f"/cases/{case}", {"document": changed}, If_Match='"1"')
        runs.append(self.app.run(cases=[case], environment="Live", changes="all"))
        items = self.app.get(path)["items"]
        self.assertEqual([one["run"] for one in items], [one["id"] for one in reversed(runs)])
        self.assertEqual([one["build"] for one in items], ["", "2", "1"])
        self.assertEqual([one["edited"] is None for one in items], [False, True, True])
        edited = items[0]["edited"]
        self.assertEqual(edited["by"], ["Ines Wathne"])
        self.assertIn("the case is called “New”, and was called “Old”", edited["changes"])
        live = self.app.get(f"{path}?environment=Live")["items"]
        self.assertEqual([one["run"] for one in live], [runs[-1]["id"]])
        first = self.app.get(f"{path}?limit=2")
        rest = self.app.get(f"{path}?limit=2&before={first['next']}")
        self.assertEqual(first["items"] + rest["items"], items)
        self.assertIsNone(rest["next"])
        self.app.ask("DELETE", f"/cases/{case}")
        self.assertEqual(len(self.app.get(path)["items"]), 3, "its runs stay")


STATUS = {
    "breaks": 200,
    "mends": 201,
    "passes": 200,
    "fails": 201,
    "fails otherwise": 201,
    "gone": 200,
}


def expect(status: int, of: str = "") -> dict[str, Any]:
    return {"of": of, "present": True} if of else {"of": "status", "is": status}


def step(status: int, of: str = "") -> dict[str, Any]:
    send = "GET [=harbour]/vessels/V-101"
    return {"request": "Read it", "send": send, "expect": [expect(status, of)]}
