"""What a run made and left is told, and removed by a run whose steps sign in as those that made
it."""

import base64
import itertools
import json
import unittest
from contextlib import closing
from typing import Any

from saltpath.store import keeping
from saltpath.store.database import connect
from tests.application import Application
from tests.engine.answering import Handler, serving

PASSWORD = "deep water"


class _Yard(Handler):
    """Moorings that belong to whoever made them. One signs in for a token or a cookie, by user and
    password, or with a key; nobody else's are removed."""

    moorings: dict[str, str]
    tokens: dict[str, str]
    seen: list[tuple[str, str]]
    numbers = itertools.count(1)

    def do_POST(self) -> None:
        body = json.loads(self.rfile.read(int(self.headers["Content-Length"])) or b"{}")
        path = self.path.partition("?")[0]
        self.seen.append(("POST", path))
        if path in ("/sessions", "/cookies"):
            return self._begin(body, path)
        who = self._who()
        if not who:
            return self._say(401, {})
        place = f"{path}/{next(self.numbers)}"
        self.moorings[place] = who
        made = {"id": int(place.rpartition("/")[2]), "of": who}
        if path == "/by-id":
            return self._say(200, made)
        if path == "/by-link":
            return self._say(201, {"_links": {"self": {"href": place}}})
        if path == "/thief":
            place = f"http://localhost:{self.server.server_address[1]}{place}"
        self._say(201, made, Location=place.lstrip("/") if path == "/near" else place)

    def do_PUT(self) -> None:
        self.rfile.read(int(self.headers["Content-Length"] or 0))
        who = self._who()
        if who:
            self.moorings[self.path] = who
        self._say(201 if who else 401, {})

    def do_DELETE(self) -> None:
        path = self.path.partition("?")[0]
        self.seen.append(("DELETE", path))
        if path not in self.moorings:
            return self._say(404, {})
        if self.moorings[path] != self._who():
            return self._say(403, {})
        del self.moorings[path]
        self._say(204, None)

    def _begin(self, body: dict[str, str], path: str) -> None:
        if body.get("password") != PASSWORD:
            return self._say(401, {})
        token = f"T-{next(self.numbers)}-{len(body['user'])}"
        self.tokens[token] = body["user"]
        if path == "/cookies":
            return self._say(200, {}, **{"Set-Cookie": f"desk={token}; Path=/"})
        self._say(200, {"token": token})

    def _who(self) -> str:
        kind, _, given = self.headers.get("Authorization", "").partition(" ")
        if kind == "Basic":
            user, _, password = base64.b64decode(given).decode().partition(":")
            return user if password == PASSWORD else ""
        cookie = self.headers.get("Cookie", "").removeprefix("desk=")
        query = self.path.partition("?key=")[2]
        token = given or self.headers.get("X-Token", "") or cookie or query
        return self.tokens.get(token, "")

    def _say(self, status: int, body: Any, **headers: str) -> None:
        octets = b"" if body is None else json.dumps(body).encode()
        self.send_response(status)
        for name, value in {"Content-Type": "application/json", **headers}.items():
            self.send_header(name, value)
        self.send_header("Content-Length", str(len(octets)))
        self.end_headers()
        self.wfile.write(octets)


def make(path: str, **more: Any) -> dict[str, Any]:
    return {"request": "Make", "send": f"POST [=yard]{path}", "json": {}, **more}


def sign_in(user: str, path: str = "/sessions", **more: Any) -> dict[str, Any]:
    keep = {"token": {"of": "$.token", "secret": True}} if path == "/sessions" else {}
    body = {"user": user, "password": "[=yardPassword]"}
    step = {"request": "Sign in", "send": f"POST [=yard]{path}", "json": body, **more}
    return {**step, "keep": keep} if keep else step


BEARER = {"auth": {"bearer": "[=token]"}}
CASES: dict[str, dict[str, Any]] = {
    "By a token": {"steps": [sign_in("ada"), make("/near", **BEARER), make("/by-id", **BEARER)]},
    "By a header": {
        "values": {"user": "bo"},
        "steps": [sign_in("[=user]"), make("/by-link", headers={"X-Token": "[=token]"})],
    },
    "By a key in the address": {
        "steps": [sign_in("cy"), make("/keyed", query={"key": "[=token]"})],
    },
    "By user and password": {
        "auth": {"basic": ["di", "[=yardPassword]"]},
        "steps": [make("/basic"), {"request": "Put", "send": "PUT [=yard]/put/1", "json": {}}],
    },
    "By a cookie": {"steps": [sign_in("eve", "/cookies"), make("/cookied")]},
    "For each row": {
        "rows": [{"user": "fay"}, {"user": "gus"}, {"user": "hal"}],
        "steps": [sign_in("[=row.user]"), make("/rows", **BEARER)],
        "afterwards": [make("/afterwards", **BEARER)],
    },
    "Signed in once": {
        "rows": [{"n": 1}, {"n": 2}],
        "once": [sign_in("ivy")],
        "steps": [make("/once", **BEARER)],
    },
    "For each item": {
        "steps": [
            sign_in("jo"),
            {"for each": [1, 2], "as": "n", "steps": [make("/items", **BEARER)]},
        ]
    },
    "Two after each other": {
        "steps": [
            sign_in("kim"),
            make("/first", **BEARER),
            sign_in("lou"),
            make("/second", **BEARER),
        ]
    },
    "By shared steps": {
        "values": {"somebody": "mo"},
        "steps": [
            {"shared": "begin", "with": {"user": "[=somebody]"}, "gives": {"token": "token"}},
            make("/shared", **BEARER),
        ],
    },
    "Inside shared steps": {"steps": [{"shared": "begin-and-make", "with": {"user": "nan"}}]},
    "A user who was drawn": {
        "values": {"user": "u[=any digits 8]"},
        "steps": [sign_in("[=user]"), make("/drawn", **BEARER)],
    },
    "It removes what it made": {
        "steps": [
            sign_in("ole"),
            make("/kept", **BEARER, keep={"id": "$.id"}),
            {"request": "Remove", "send": "DELETE [=yard]/kept/[=id]", **BEARER},
        ]
    },
}
SHARED = {
    "Begin": {
        "inputs": {"user": {"kind": "text"}},
        "outputs": {"token": "[=kept.token]"},
        "steps": [sign_in("[=user]")],
    },
    "Begin and make": {
        "inputs": {"user": {"kind": "text"}},
        "steps": [sign_in("[=user]"), make("/inside", **BEARER)],
    },
}


class WhatWasLeft(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.app = cls.enterClassContext(Application())
        cls.moorings: dict[str, str] = {}
        cls.seen: list[tuple[str, str]] = []
        about = {"moorings": cls.moorings, "tokens": {}, "seen": cls.seen}
        cls.yard = cls.enterClassContext(serving(type("Yard", (_Yard,), about)))
        changes = [
            {"kind": "put", "name": "yard", "text": cls.yard},
            {"kind": "put", "name": "yardPassword", "text": PASSWORD},
            {"kind": "hide", "name": "yardPassword"},
        ]
        asked = {"project": cls.app.project, "changes": changes}
        assert cls.app.ask("POST", "/values", asked)[0] == 200
        for name, document in SHARED.items():
            body = {"salt-path": 1, "shared": name, **document}
            answer = cls.app.ask(
                "POST", "/shared-steps", {"project": cls.app.project, "document": body}
            )
            assert answer[0] == 201, answer

    def setUp(self) -> None:
        self.moorings.clear()
        self.seen.clear()

    def suite(self, name: str, cases: dict[str, dict[str, Any]]) -> dict[str, str]:
        body = {"project": self.app.project, "name": name}
        suite = self.app.ask("POST", "/suites", body)[2]["id"]
        made = {"": suite}
        for title, document in cases.items():
            asked = {
                "project": self.app.project,
                "suite": suite,
                "document": {"salt-path": 1, "case": title, **document},
            }
            status, _, case = self.app.ask("POST", "/cases", asked)
            self.assertEqual(status, 201, case)
            made[title] = case["id"]
        return made

    def left(self, run: dict[str, Any]) -> dict[str, dict[str, Any]]:
        items = self.app.get(f"/runs/{run['id']}/left")["items"]
        return {item["address"].removeprefix(self.yard): item for item in items}

    def remove(self, run: dict[str, Any], places: list[str]) -> dict[str, Any]:
        addresses = [self.yard + place for place in places]
        status, _, answer = self.app.ask(
            "POST", f"/runs/{run['id']}/removal", {"addresses": addresses}
        )
        self.assertEqual(status, 201, answer)
        return self.app.finished(answer["id"])

    def test_each_way_to_sign_in(self) -> None:
        made = self.suite("Yard", CASES)
        run = self.app.run(suite=made[""])
        verdicts = {case["name"]: case["verdict"] for case in run["cases"]}
        self.assertEqual(set(verdicts), set(CASES))
        self.assertNotIn("blocked", verdicts.values())
        found = self.left(run)
        self.assertEqual(set(found), set(self.moorings), "what stands there, and nothing else")
        self.assertEqual(len(found), 22)
        self.assertEqual({item["why"] for item in found.values()}, {""})
        unsure = {place for place, item in found.items() if not item["sure"]}
        self.assertEqual({place.rpartition("/")[0] for place in unsure}, {"/by-id"})
        # those whom they belong to alone can remove them
        self.assertEqual(len(set(self.moorings.values())), 15)
        self.seen.clear()
        removal = self.remove(run, list(found))
        self.assertEqual(self.moorings, {}, removal)
        self.assertEqual(removal["verdict"], "passed")
        self.assertEqual(removal["title"], f"Remove 22 things that run {run['number']} left")
        others = [one for one in self.seen if one[0] != "DELETE"]
        self.assertEqual({path for _, path in others}, {"/sessions", "/cookies"})
        deleted = [path for method, path in self.seen if method == "DELETE"]
        self.assertEqual(sorted(deleted), sorted(found), "each once")
        self.assertEqual(self.left(run), {})
        again = self.app.get(f"/runs/{run['id']}/left")
        self.assertEqual([one["id"] for one in again["removals"]], [removal["id"]])
        told = self.app.get(f"/runs/{removal['id']}/left")
        self.assertEqual(told["removes"]["id"], run["id"])
        listed = [one["id"] for one in self.app.get(f"/runs?project={self.app.project}")["items"]]
        self.assertIn(run["id"], listed)
        self.assertNotIn(removal["id"], listed, "it is no run of the team's cases")
        whole = json.dumps(self.app.get(f"/runs/{removal['id']}/cases/0"))
        self.assertNotIn(PASSWORD, whole)
        with closing(connect(self.app.data)) as main:
            main_run = main.execute("SELECT id FROM run WHERE oid = ?", (run["id"],)).fetchone()[0]
            with closing(connect(self.app.data, "evidence")) as evidence:
                list(keeping._run(main, evidence, main_run))
                self.assertEqual(
                    evidence.execute("SELECT COUNT(*) FROM resource").fetchone()[0],
                    evidence.execute(
                        "SELECT COUNT(*) FROM resource WHERE run NOT IN (?)", (main_run,)
                    ).fetchone()[0],
                )
                count = "SELECT COUNT(*) FROM test_case WHERE name LIKE ?"
                names = f"What “%” left in run {run['number']}"
                self.assertEqual(main.execute(count, (names,)).fetchone()[0], 0, "its cases, too")
        self.assertEqual(self.app.ask("GET", f"/runs/{removal['id']}")[0], 404, "it goes with it")

    def test_a_suite_that_is_set_up(self) -> None:
        made = self.suite(
            "Set up",
            {
                "Begin": {"steps": [sign_in("pat")]},
                "One": {"steps": [make("/handed", **BEARER)]},
            },
        )
        self.app.ask("PUT", f"/cases/{made['Begin']}/role", {"role": "set up"})
        never = [{"of": "status", "is": 599, "note": "never so"}]
        self.app.ask("PUT", f"/suites/{made['']}/every-answer", {"checks": never})
        run = self.app.run(cases=[made["One"]])
        [place] = self.left(run)
        removal = self.remove(run, [place])
        self.assertEqual((self.moorings, removal["verdict"]), ({}, "passed"))

    def test_what_cannot_be_removed(self) -> None:
        made = self.suite(
            "Apart",
            {
                "By the item": {
                    "steps": [
                        sign_in("quin", keep={"token": "$.token"}),
                        {
                            "for each": ["[=token]"],
                            "as": "t",
                            "steps": [make("/by-item", auth={"bearer": "[=t]"})],
                        },
                    ]
                },
                "Elsewhere": {"steps": [sign_in("sue"), make("/thief", **BEARER)]},
                "Well": {"steps": [sign_in("ray"), make("/well", **BEARER)]},
            },
        )
        run = self.app.run(suite=made[""])
        found = self.left(run)
        why = {place.rpartition("/")[0]: item["why"] for place, item in found.items()}
        [thief] = [text for place, text in why.items() if "thief" in place]
        self.assertIn("another host", thief, "nobody else is sent a token")
        self.assertEqual(why["/well"], "")
        self.assertIn("for each item", why["/by-item"])
        path = f"/runs/{run['id']}/removal"
        for place, status in (("/nothing", 409), (next(iter(found)), 422)):
            answer = self.app.ask("POST", path, {"addresses": [self.yard + place]})
            self.assertEqual(answer[0], status, answer)
        self.assertEqual(len(self.moorings), 3)
        # one that somebody else removed is gone all the same
        well = next(place for place in found if place.startswith("/well"))
        del self.moorings[well]
        self.assertEqual(self.remove(run, [well])["verdict"], "passed")
        self.assertEqual(self.app.ask("POST", path, {"addresses": [self.yard + well]})[0], 409)

    def test_what_stays_is_told_still(self) -> None:
        made = self.suite("Stays", {"One": {"steps": [sign_in("sam"), make("/mine", **BEARER)]}})
        run = self.app.run(cases=[made["One"]])
        [place] = self.left(run)
        self.moorings[place] = "somebody else"
        self.assertEqual(self.remove(run, [place])["verdict"], "failed")
        self.assertEqual(list(self.left(run)), [place])


if __name__ == "__main__":
    unittest.main()
