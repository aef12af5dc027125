"""Shared steps over the API: made of a case's steps, listed with who uses them, kept while somebody
does."""

import unittest

from tests.application import Application

STEPS = [
    {
        "request": "Ask",
        "send": "POST [=harbour]/sessions",
        "json": {"user": "[=case.who]", "password": "[=agentPassword]"},
        "expect": [{"of": "status", "is": 201}],
        "keep": {"token": {"of": "$.token", "secret": True}},
    },
    {
        "request": "List",
        "send": "GET [=harbour]/port-calls",
        "auth": {"bearer": "[=token]"},
        "expect": [{"of": "status", "is": 200}],
    },
]


class SharedSteps(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.app = cls.enterClassContext(Application())

    def case(self, *steps, **more):
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        document = {"salt-path": 1, "case": "Listed", "steps": list(steps)} | more
        return self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "document": document}
        )[2]

    def shared(self):
        return {
            item["called"]: item
            for item in self.app.get(f"/shared-steps?project={self.app.project}")["items"]
        }

    def test_they_are_made_of_steps_and_stay_while_they_are_used(self):
        case = self.case(*STEPS, values={"who": "desk"})
        key = case["steps"][0]["key"]
        status, _, made = self.app.ask(
            "POST", f"/cases/{case['id']}/shared-steps", {"steps": [key], "name": "Sign in: “desk”"}
        )
        self.assertEqual(status, 201, made)
        self.assertEqual(
            made["use"],
            {"shared": "sign-in-desk", "with": {"who": "[=who]"}, "gives": {"token": "token"}},
        )
        self.assertEqual(
            made["shared"]["inputs"], [{"name": "who", "kind": "text", "needed": True, "value": ""}]
        )
        document = {**case["document"], "steps": [made["use"], case["document"]["steps"][1]]}
        saved = self.app.ask(
            "PUT", f"/cases/{case['id']}", {"document": document}, If_Match=f'"{case["version"]}"'
        )[2]
        self.assertEqual(saved["steps"][0]["name"], "Sign in: “desk”")
        self.assertEqual(
            saved["steps"][0]["use"]["gives"], [{"output": "token", "name": "token", "to": [2]}]
        )
        run = self.app.run(cases=[case["id"]])
        self.assertEqual(run["verdict"], "passed", run)
        self.assertEqual([step["inner"] for step in run["cases"][0]["steps"]], ["", ""])
        seen = self.app.get(f"/cases/{case['id']}/evidence")["steps"]
        [inner] = seen[0]["inside"]
        self.assertEqual(
            (inner["name"], inner["inner"], inner["exchanges"][0]["status"]), ("Ask", "0", 201)
        )
        body = self.app.ask("GET", f"/exchanges/{inner['exchanges'][0]['id']}/body")[2]
        self.assertIn(
            b'"agent"', body if isinstance(body, bytes) else str(body).replace("'", '"').encode()
        )
        item = self.shared()["sign-in-desk"]
        self.assertEqual((item["uses"], item["cases"][0]["id"]), (1, case["id"]))
        self.assertEqual(self.app.ask("DELETE", f"/shared-steps/{item['id']}")[0], 409)
        self.assertEqual(self.app.ask("DELETE", f"/cases/{item['id']}")[0], 409)
        self.app.ask("DELETE", f"/cases/{case['id']}")
        self.assertEqual(self.app.ask("DELETE", f"/shared-steps/{item['id']}")[0], 200)

    def test_they_are_edited_as_a_case_is_and_stay_what_they_are(self):
        shared = self.app.get(f"/cases/{self.shared()['sign-in']['id']}")
        self.assertEqual(
            [user["name"] for user in shared["shared"]["cases"]][:1],
            ["A visiting vessel is given a berth"],
        )
        path, match = f"/cases/{shared['id']}", {"If_Match": f'"{shared["version"]}"'}
        as_case = {"salt-path": 1, "case": "x", "steps": []}
        self.assertEqual(self.app.ask("PUT", path, {"document": as_case}, **match)[0], 422)
        self.assertEqual(
            self.app.ask("POST", f"{path}/move", {"suite": shared["suite"]["id"]})[0], 409
        )
        text = shared["text"].replace("Ask for a token", "Get a token")
        saved = self.app.ask("PUT", path, {"text": text}, **match)[2]
        self.assertEqual(saved["steps"][0]["name"], "Get a token")
        trial = self.app.run(cases=[shared["id"]], kind="trial")
        self.assertEqual(trial["verdict"], "passed", "with its defaults")

    def test_where_they_are_written_out_they_are_used(self):
        one, two = (
            self.case(*STEPS, values={"who": who}, case=name)
            for who, name in (("desk", "One"), ("desk", "Two"))
        )
        made = self.app.ask(
            "POST",
            f"/cases/{one['id']}/shared-steps",
            {"steps": [one["steps"][0]["key"]], "name": "Come in"},
        )[2]
        path = f"/shared-steps/{made['shared']['id']}/alike"
        self.assertEqual(
            {item["name"] for item in self.app.get(path)["items"]} >= {"One", "Two"}, True
        )
        saved = self.app.ask("POST", path, {})[2]["saved"]
        self.assertIn(two["id"], [item["id"] for item in saved])
        self.assertEqual(self.app.get(path)["items"], [])
        run = self.app.run(cases=[one["id"], two["id"]])
        self.assertEqual(run["verdict"], "passed")
        for item in saved:
            back = self.app.ask(
                "PUT",
                f"/cases/{item['id']}",
                {"document": item["before"]},
                If_Match=f'"{item["version"]}"',
            )
            self.assertEqual(back[0], 200)

    def test_what_cannot_be_shared_is_said(self):
        case = self.case(*STEPS, values={"who": "desk"})
        path = f"/cases/{case['id']}/shared-steps"
        for asked in (
            {"steps": [], "name": "x"},
            {"steps": ["nowhere"], "name": "x"},
            {"steps": [case["steps"][0]["key"]], "name": " "},
        ):
            self.assertEqual(self.app.ask("POST", path, asked)[0], 422, asked)
        wrong = self.case({"shared": "sign-inn"}, {"shared": "sign-in", "with": {"pin": 1}})
        self.assertEqual(
            [f["code"] for f in wrong["findings"] if f["weight"] == "error"],
            ["no-shared", "no-input"],
        )
        run = self.app.run(cases=[wrong["id"]])
        self.assertEqual(
            run["cases"][0]["why"]["sentence"],
            "there are no shared steps sign-inn; did you mean sign-in?",
        )
