"""Fernholm Harbour behaves as its description says, and its description is sound."""

import json
import os
import smtplib
import unittest
import unittest.mock
import urllib.error
import urllib.request
from email.message import EmailMessage

from saltpath.demo.harbour import feeds
from saltpath.demo.harbour.port import Port, Refusal
from saltpath.demo.harbour.post import Post
from saltpath.demo.harbour.server import ROUTES
from tests.harbour import harbour


class Harbour(unittest.TestCase):
    def ask(self, method: str, path: str, body=None, token: str = ""):
        headers = {"Authorization": f"Bearer {token}"} if token else {}
        data = (
            body
            if isinstance(body, bytes)
            else json.dumps(body).encode()
            if body is not None
            else None
        )
        request = urllib.request.Request(harbour() + path, data, headers, method=method)
        try:
            with urllib.request.urlopen(request, timeout=5) as answer:
                return answer.status, json.loads(answer.read() or b"null"), answer.headers
        except urllib.error.HTTPError as error:
            return error.code, json.loads(error.read() or b"null"), error.headers

    def token(self) -> str:
        return self.ask("POST", "/sessions", {"user": "desk", "password": "salt-and-tar"})[1][
            "token"
        ]

    def test_a_port_call_from_question_to_departure(self):
        token = self.token()
        status, call, headers = self.ask("POST", "/port-calls", {"vessel": "Saltwife"}, token)
        self.assertEqual((status, call["state"]), (201, "requested"))
        address = headers["Location"].removeprefix(harbour())
        self.assertEqual(self.ask("PUT", f"{address}/confirmation", None, token)[0], 409)
        while self.ask("GET", address, None, token)[1]["state"] != "quoted":
            pass
        self.assertEqual(
            self.ask("PUT", f"{address}/confirmation", None, token)[1]["state"], "confirmed"
        )
        self.assertEqual(
            self.ask("PUT", f"{address}/departure", None, token)[1]["state"], "departed"
        )
        self.assertEqual(self.ask("DELETE", address, None, token)[0], 204)
        self.assertEqual(self.ask("GET", address, None, token)[0], 404)

    def test_the_total_is_the_sum_of_the_lines(self):
        fee = self.ask(
            "POST",
            "/fee-quotes",
            {"lengthMetres": 141.9, "tonnage": 9120, "nights": 3, "season": "winter"},
        )[1]
        self.assertAlmostEqual(sum(line["amount"] for line in fee["lines"]), fee["total"], places=2)
        self.assertEqual(len(fee["lines"]), 4)

    def test_refusals(self):
        token = self.token()
        for method, path, body, status, field in [
            ("POST", "/sessions", {"user": "desk", "password": "x"}, 401, None),
            ("POST", "/sessions", {"user": 5}, 422, "user"),
            ("GET", "/port-calls", None, 200, None),
            ("POST", "/port-calls", {"vessel": "Saltwife", "nights": 0}, 422, "nights"),
            ("POST", "/port-calls", {"vessel": "Saltwife", "season": "spring"}, 422, "season"),
            ("POST", "/port-calls", {"vessel": "Nobody"}, 422, "vessel"),
            ("POST", "/vessels", {"name": "Saltwife", "lengthMetres": 5}, 409, "name"),
            ("POST", "/vessels", {"name": "New", "lengthMetres": -1}, 422, "lengthMetres"),
            ("GET", "/vessels?sort=colour", None, 400, "sort"),
            ("GET", "/vessels?minLength=x", None, 400, "minLength"),
            ("GET", "/vessels?size=1000", None, 400, "page"),
            ("GET", "/tide-windows?date=tomorrow", None, 400, "date"),
            ("POST", "/fee-quotes", b"{", 400, None),
            ("GET", "/nowhere", None, 404, None),
        ]:
            with self.subTest(f"{method} {path}"):
                answered, problem, _ = self.ask(method, path, body, token)
                self.assertEqual(answered, status)
                if status >= 400:
                    self.assertEqual((problem["status"], problem.get("field")), (status, field))
        self.assertEqual(self.ask("GET", "/port-calls")[0], 401)
        status, _, headers = self.ask("PATCH", "/vessels")
        self.assertEqual((status, headers["Allow"]), (405, "GET, POST"))

    def test_filters_sorting_and_pages(self):
        page = self.ask(
            "GET", "/vessels?homePort=Kvist&minLength=80&sort=-lengthMetres&size=1&page=2"
        )[1]
        self.assertEqual((page["total"], [v["name"] for v in page["items"]]), (2, ["Petrel IX"]))
        self.assertEqual(
            [t["tide"] for t in self.ask("GET", "/tide-windows?date=2026-11-23")[1]["windows"]],
            ["high", "low"] * 2,
        )

    def test_vessels_come_and_go(self):
        token = self.token()
        _, vessel, _ = self.ask(
            "POST", "/vessels", {"name": "Tide Table", "lengthMetres": 10.5}, token
        )
        self.assertEqual(self.ask("GET", f"/vessels/{vessel['id']}")[1]["lengthMetres"], 10.5)
        self.assertEqual(self.ask("DELETE", f"/vessels/{vessel['id']}", None, token)[0], 204)
        self.assertEqual(self.ask("GET", f"/vessels/{vessel['id']}")[0], 404)

    def test_tokens_expire(self):
        now = [1000.0]
        port = Port(now=lambda: now[0])
        token = port.sign_in({"user": "desk", "password": "salt-and-tar"})["token"]
        self.assertEqual(port.agent(f"Bearer {token}"), "desk")
        now[0] += 901
        with self.assertRaises(Refusal) as caught:
            port.agent(f"Bearer {token}")
        self.assertEqual(caught.exception.reason, "the token has expired")

    def test_the_description_names_every_route(self):
        document = self.ask("GET", "/openapi.json")[1]
        described = {
            (method.upper(), path) for path, item in document["paths"].items() for method in item
        }
        for method, pattern, route, signed in ROUTES:
            if not route.__module__.endswith("server"):
                continue  # desks, papers and cargo are no part of the JSON service
            path = next((p for m, p in described if m == method and pattern.fullmatch(p)), None)
            if "openapi" not in pattern.pattern and "switches" not in pattern.pattern:
                self.assertIsNotNone(path, pattern.pattern)
                self.assertEqual(
                    "security" in document["paths"][path][method.lower()], signed, path
                )
        text = json.dumps(document)
        for name in {part.split('"')[0] for part in text.split("#/components/schemas/")[1:]}:
            self.assertIn(name, document["components"]["schemas"])

    def test_feeds_misbehave_for_minutes_by_the_clock_and_a_seed(self) -> None:
        begin = 1_796_119_200
        with unittest.mock.patch.dict("os.environ"):
            os.environ.pop(feeds.CALM, None)
            moods = [feeds.mood("tide", begin + 60 * n) for n in range(40_000)]
            again = [feeds.mood("tide", begin + 60 * n) for n in range(40_000)]
            down, slow = (begin + 60 * moods.index(kind) for kind in ("down", "slow"))
            with self.assertRaises(Refusal):
                feeds.passed_on("tide", lambda: down)
            slept: list[float] = []
            feeds.passed_on("tide", lambda: slow, slept.append)
        self.assertEqual(moods, again)
        self.assertEqual(slept, [feeds.SLOW_S])
        for kind, share in (("slow", feeds.SLOW), ("down", feeds.DOWN)):
            self.assertAlmostEqual(moods.count(kind) / len(moods), share, delta=share * 0.25)
        status, said, _ = self.ask("GET", "/feeds/weather")
        self.assertEqual((status, said["station"]), (200, "Kvist"), "here it is always well")

    def test_what_is_mailed_is_shown(self) -> None:
        with Post() as post:
            host, _, port = post.address.partition(":")
            mail = EmailMessage()
            mail["From"], mail["To"] = "salt@fernholm.example", "night@fernholm.example"
            mail["Subject"] = "<b>Tide tables</b> is failing"
            mail.set_content("since 14:20")
            with smtplib.SMTP(host, int(port), timeout=5) as server:
                server.send_message(mail)
        with urllib.request.urlopen(harbour() + "/mail", timeout=5) as answer:
            page = answer.read().decode()
        self.assertIn("&lt;b&gt;Tide tables", page)
        self.assertIn("since 14:20", page)
