"""Single requests over the API: kept, sent, found again, and put into a case."""

import unittest

from tests.application import Application


class Singles(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.app = cls.enterClassContext(Application())
        cls.harbour = f"http://127.0.0.1:{cls.app.harbour_port}"

    def add(self, path: str, **more):
        step = {"request": f"Read {path}", "send": f"GET {self.harbour}{path}", **more}
        status, _, made = self.app.ask(
            "POST", "/single-requests", {"project": self.app.project, "step": step}
        )
        self.assertEqual(status, 201, made)
        return made

    def send(self, case, **more):
        return self.app.run(cases=[case["id"]], kind="trial", steps=[0], **more)

    def listed(self):
        return self.app.get(f"/single-requests?project={self.app.project}")["items"]

    def test_it_is_in_no_outline_no_run_and_no_export_and_cannot_be_run_as_a_case(self):
        made = self.add("/vessels/V-101")
        self.assertTrue(made["single"])
        self.assertNotIn("Read /vessels/V-101", self.app.cases())
        status, _, archive = self.app.ask("GET", f"/projects/{self.app.project}/folder")
        self.assertEqual(
            (status, b"V-101.case" in archive, b"single" in archive), (200, False, False)
        )
        status, _, problem = self.app.ask(
            "POST", "/runs", {"project": self.app.project, "cases": [made["id"]]}
        )
        self.assertEqual((status, problem["code"]), (422, "cases"))

    def test_what_it_sent_is_listed_newest_first_with_the_version_that_sent_it(self):
        made = self.add("/vessels/V-102")
        self.send(made)
        document = made["document"]
        document["steps"][0]["send"] = "GET http://127.0.0.1:1/"
        self.app.ask(
            "PUT", f"/cases/{made['id']}", {"document": document}, If_Match=f'"{made["version"]}"'
        )
        self.send(made)
        newest, first = self.app.get(f"/single-requests/{made['id']}/sent")["items"]
        self.assertEqual((newest["status"], newest["why"]["code"]), (0, "refused"))
        self.assertEqual(
            (first["status"], first["address"]), (200, f"{self.harbour}/vessels/V-102")
        )
        then = self.app.get(f"/cases/{made['id']}/revisions/{first['version']}")
        self.assertIn("/vessels/V-102", then["document"]["steps"][0]["send"])
        self.assertEqual(
            next(i for i in self.listed() if i["id"] == made["id"])["last"]["status"], 0
        )

    def test_it_becomes_the_first_step_of_a_new_case_with_its_evidence(self):
        made = self.add("/vessels/V-103", expect=[{"of": "status", "is": 200}])
        self.send(made)
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]
        place = {"suite": suite["id"], "name": "One vessel is there"}
        _, _, placed = self.app.ask("POST", f"/single-requests/{made['id']}/place", place)
        case = self.app.get(f"/cases/{placed['case']}")
        self.assertEqual(
            (case["name"], case["suite"]["name"], case["single"]),
            (placed["name"], suite["name"], False),
        )
        self.assertEqual(case["document"]["steps"][0]["send"], "GET [=harbour]/vessels/V-103")
        [seen] = self.app.get(f"/cases/{placed['case']}/evidence")["steps"]
        self.assertEqual((seen["status"], seen["checks"][0]["verdict"]), (200, "passed"))
        again, _, problem = self.app.ask("POST", f"/single-requests/{made['id']}/place", place)
        self.assertEqual((again, problem["code"]), (409, "in-a-case"))

    def test_it_becomes_the_last_step_of_a_case_with_its_evidence_beside_the_others(self):
        target = self.app.cases()["A visiting vessel is given a berth"]
        before = self.app.get(f"/cases/{target}")["document"]
        made = self.add("/vessels/V-104", key=before["steps"][0]["key"])
        self.send(made)
        _, _, placed = self.app.ask(
            "POST", f"/single-requests/{made['id']}/place", {"case": target}
        )
        after = self.app.get(f"/cases/{target}")["document"]
        self.assertEqual(after["steps"][:-1], before["steps"])
        self.assertEqual(after["steps"][-1]["key"], placed["step"])
        self.assertNotEqual(placed["step"], before["steps"][0]["key"])
        seen = {step["name"]: step for step in self.app.get(f"/cases/{target}/evidence")["steps"]}
        self.assertEqual(seen["Read /vessels/V-104"]["index"], len(before["steps"]))
        self.assertIn(
            '"V-104"',
            self.app.ask(
                "GET", f"/exchanges/{seen['Read /vessels/V-104']['exchanges'][0]['id']}/body"
            )[2].decode(),
        )
        self.assertNotIn(made["id"], [item["id"] for item in self.listed()])

    def test_what_is_no_single_request_is_refused_and_stays(self):
        made = self.add("/vessels")
        two = made["document"] | {"steps": made["document"]["steps"] * 2}
        for document in (
            two,
            made["document"] | {"steps": []},
            made["document"] | {"steps": [{"wait": "1 s"}]},
        ):
            status, _, problem = self.app.ask(
                "PUT", f"/cases/{made['id']}", {"document": document}, If_Match='"1"'
            )
            self.assertEqual((status, problem["code"]), (422, "single"))
        for step in (None, {"wait": "1 s"}, {"request": "x"}, {"request": "x", "send": "nowhere"}):
            status, _, _ = self.app.ask(
                "POST", "/single-requests", {"project": self.app.project, "step": step}
            )
            self.assertIn(status, (400, 422))
        case = self.app.cases()["A visiting vessel is given a berth"]
        for place in ({"case": made["id"]}, {"suite": "suite_none", "name": "x"}, {}):
            status, _, _ = self.app.ask("POST", f"/single-requests/{made['id']}/place", place)
            self.assertIn(status, (404, 422))
        self.assertEqual(self.app.ask("GET", f"/single-requests/{case}/sent")[0], 409)


if __name__ == "__main__":
    unittest.main()
