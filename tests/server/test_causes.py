"""What a run's failures are cases of: a few sentences, however many cases and rows they were met
in."""

import unittest
from typing import Any

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

    def test_a_run_in_which_nothing_went_wrong_has_none(self) -> None:
        case = self.app.cases()["A visiting vessel is given a berth"]
        run = self.app.run(cases=[case], environment="Rehearsal")
        self.assertEqual((run["verdict"], self.causes(run["id"])), ("passed", []))

    def cases(self) -> list[str]:
        return [entry["case"] for entry in self.app.get(f"/runs/{self.run_id}")["cases"]]


if __name__ == "__main__":
    unittest.main()
