"""What a run's failures are cases of: a few sentences, however many cases and rows they were met
in."""

import unittest
from contextlib import closing
from datetime import UTC, datetime, timedelta
from typing import Any

from saltpath.store.database import connect, write
from tests.application import Application
from tests.made_trouble import made_trouble


class Causes(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.app = cls.enterClassContext(Application())
        cls.run_id = made_trouble(cls.app)["id"]

    def causes(self, run: str = "") -> list[dict[str, Any]]:
        return self.app.get(f"/runs/{run or self.run_id}/causes")["items"]

    def test_sixty_failures_of_four_causes_are_four_sentences(self) -> None:
        found = self.causes()
        self.assertEqual(
            [(item["who"], item["verdict"], item["failures"]) for item in found],
            [
                ("20 cases", "failed", 20),
                ("15 rows of “Vessels”", "failed", 15),
                ("15 cases", "blocked", 15),
                ("10 cases", "blocked", 10),
            ],
        )
        told = [item["sentence"] for item in found]
        self.assertEqual(told[0], "Ask for the quay in Open the quay answered 500")
        self.assertRegex(
            told[1], r"^Read the vessel: \$\.name is \[=row\.wanted\] did not hold, in 15 w"
        )
        self.assertRegex(told[2], r"^127\.0\.0\.1 refused the connection on port \d+")
        self.assertRegex(told[3], "^Read it in Read what was made: there is no value nowhere")

    def test_each_leads_to_where_it_was_met(self) -> None:
        cases = {
            entry["position"]: entry for entry in self.app.get(f"/runs/{self.run_id}")["cases"]
        }
        seen = set()
        for cause in self.causes():
            path = f"/runs/{self.run_id}/causes/{cause['signature']}"
            places = self.app.get(path)["items"]
            self.assertEqual(len(places), cause["failures"])
            self.assertEqual(
                self.app.get(f"{path}?limit=4&offset=2")["items"], places[2:6], "a page of them"
            )
            for place in places:
                seen.add(place["position"])
                self.assertEqual(cases[place["position"]]["name"], place["case"])
                self.assertEqual(cases[place["position"]]["verdict"], cause["verdict"])
        self.assertEqual(seen, set(cases), "each case that went wrong has its cause")

    def test_the_same_causes_again_have_the_same_signatures(self) -> None:
        run = self.app.run(again=self.run_id, cases=self.cases(), environment="Rehearsal")
        signatures = {item["signature"] for item in self.causes()}
        self.assertEqual({item["signature"] for item in self.causes(run["id"])}, signatures)

    def test_a_known_cause_is_told_apart_until_its_day_is_over(self) -> None:
        first = self.causes()[0]
        path = f"/known/{first['signature']}?project={self.app.project}"
        until = (datetime.now(UTC).date() + timedelta(days=9)).isoformat()
        said = {"owner": "", "note": " QUAY-9 ", "until": until}
        body = {"run": self.run_id, "said": said, "seen": None}
        status, _, marked = self.app.ask("PUT", path, body)
        self.assertEqual((status, marked["sentence"]), (200, first["sentence"]))
        held = {"owner": "Ines Wathne", "note": "QUAY-9", "until": until}
        self.assertEqual(marked["said"], {**held, "over": False})
        self.assertEqual(
            [cause["known"] and cause["known"]["note"] for cause in self.causes()],
            [None, None, None, "QUAY-9"],
            "it stands last",
        )
        self.assertEqual(self.app.ask("PUT", path, body)[0], 409, "another has said it already")
        later = {**body, "said": {**said, "note": "QUAY-10"}, "seen": held}
        self.assertEqual(self.app.ask("PUT", path, later)[0], 200)
        with closing(connect(self.app.data)) as main, write(main):  # days have gone by
            main.execute("UPDATE known SET until = '2026-01-31'")
        again = self.causes()
        self.assertEqual(again[0]["signature"], first["signature"], "it is news again")
        self.assertTrue(again[0]["known"]["over"])
        self.assertEqual(self.app.ask("DELETE", path)[0], 200)
        self.assertEqual(self.app.ask("DELETE", path)[0], 404)
        self.assertIsNone(self.causes()[0]["known"])
        back = path.replace("?", "/back?")
        self.assertEqual(self.app.ask("POST", back)[0], 200)
        self.assertEqual(self.app.ask("POST", back)[0], 404)
        self.assertEqual(self.causes()[0]["known"]["note"], "QUAY-10", "as it was")
        self.assertEqual(self.app.ask("DELETE", path)[0], 200)

    def test_what_is_said_of_a_known_cause_is_looked_at(self) -> None:
        signature = self.causes()[1]["signature"]
        path = f"/known/{signature}?project={self.app.project}"
        day = datetime.now(UTC).date()

        def refused(of: str = path, run: str = "", **said: Any) -> tuple[int, str]:
            whole = {"owner": "", "note": "", "until": day.isoformat(), **said}
            body = {"run": run or self.run_id, "said": whole, "seen": None}
            status, _, problem = self.app.ask("PUT", of, body)
            return status, problem.get("detail", "")

        for until in ("2026-02-30", "2025-01-01", (day + timedelta(days=400)).isoformat(), "soon"):
            status, sentence = refused(until=until)
            self.assertEqual(status, 422, sentence)
        elsewhere = self.app.get(f"/runs?project={self.app.troubles}")["items"][0]["id"]
        self.assertEqual(refused(run=elsewhere)[0], 404, "that run has not met it")
        other = path.replace(self.app.project, self.app.troubles)
        self.assertEqual(refused(other)[0], 404, "it is a cause of another project")
        self.assertEqual(refused(path.replace(signature, "0" * 16))[0], 404)
        self.assertEqual(self.app.get(f"/known?project={self.app.project}")["items"], [])

    def test_a_known_cause_that_is_met_no_more_is_told(self) -> None:
        case = self.app.ask(
            "POST",
            "/cases",
            {
                "project": self.app.project,
                "suite": self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"],
                "document": {
                    "salt-path": 1,
                    "case": "It becomes right",
                    "values": {"wanted": 404},
                    "steps": [
                        {
                            "request": "Read the vessel",
                            "key": "readit",
                            "send": "GET [=harbour]/vessels/V-101",
                            "expect": [{"of": "status", "is": "[=wanted | number]"}],
                        }
                    ],
                },
            },
        )[2]
        asked = {"cases": [case["id"]], "environment": "Rehearsal"}
        run = self.app.run(**asked)
        (cause,) = self.causes(run["id"])
        self.assertEqual((cause["who"], cause["cases"]), ("", 1), "a run of one case names none")
        path = f"/known/{cause['signature']}?project={self.app.project}"
        until = (datetime.now(UTC).date() + timedelta(days=1)).isoformat()
        said = {"owner": "the desk", "note": "", "until": until}
        self.app.ask("PUT", path, {"run": run["id"], "said": said, "seen": None})
        self.assertEqual(self.app.get(f"/runs/{run['id']}/known")["items"], [])
        right = self.app.run(**asked, values={"wanted": "200"})
        self.assertEqual(right["verdict"], "passed")
        (no_more,) = self.app.get(f"/runs/{right['id']}/known")["items"]
        self.assertEqual(no_more["signature"], cause["signature"])
        live = self.app.run(cases=[case["id"]], environment="Live", values={"wanted": "200"})
        self.assertEqual(live["verdict"], "passed")
        self.assertEqual(
            self.app.get(f"/runs/{live['id']}/known")["items"], [], "it was met elsewhere"
        )
        other = self.app.run(
            cases=[self.app.cases()["A visiting vessel is given a berth"]], environment="Rehearsal"
        )
        self.assertEqual(self.app.get(f"/runs/{other['id']}/known")["items"], [], "not its cases")
        self.app.ask("DELETE", path)

    def test_a_run_in_which_nothing_went_wrong_has_none(self) -> None:
        case = self.app.cases()["A visiting vessel is given a berth"]
        run = self.app.run(cases=[case], environment="Rehearsal")
        self.assertEqual((run["verdict"], self.causes(run["id"])), ("passed", []))

    def cases(self) -> list[str]:
        return [entry["case"] for entry in self.app.get(f"/runs/{self.run_id}")["cases"]]


if __name__ == "__main__":
    unittest.main()
