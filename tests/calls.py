"""Calls of our API, made from its own OpenAPI document: of real things and odd ones."""

from __future__ import annotations

import json
import os
import random
import shutil
from functools import cache
from pathlib import Path
from typing import Any
from urllib.parse import quote

from flask import Flask

from saltpath.server.app import contract, make_app
from tests import application

Operation = tuple[str, str, dict[str, Any]]
"""Method, path, and what the document says of it."""
ODD: list[Any] = [
    None,
    True,
    False,
    0,
    -1,
    1,
    1.5,
    10**30,
    -(10**30),
    2**63,
    1e308,
    "",
    " ",
    "x",
    "\u0000",
    "\ud800",
    "é",
    "[='",
    "[=",
    "[?",
    "[=a | cut]",
    "'",
    '"',
    "%",
    "%00",
    "../..",
    "/etc/passwd",
    "a" * 300,
    "a" * 20_000,
    "𝔘",
    "‮",
    "null",
    "true",
    "=1+1",
    "$",
    "$..*",
    "$[?(@.a)]",
    "//*",
    "(",
    "²",
    "no",
    "[",
    "{",
    "steps",
    [],
    {},
    [[]],
    [{}],
    ["x"],
    [None],
    [[[[[]]]]],
    {"a": 1},
    {"": ""},
    {"a": None},
    {"secret": True},
    {"a": {"b": []}},
]
CASE = {
    "salt-path": 1,
    "case": "Odd",
    "steps": [
        {
            "request": "A",
            "key": "aaaaa1",
            "send": "POST http://127.0.0.1:1/[=x]",
            "query": {"a": "[=y]"},
            "headers": {"X": "1"},
            "json": {"a": [1, {"b": "[=z]"}]},
            "expect": [
                {"of": "status", "is": 200},
                {"of": "$.a", "fits": {"b": "[?text]"}},
                {"any of": [{"of": "$.b", "above": 1}]},
            ],
            "keep": {"id": "$.id"},
        },
        {"set": {"q": "[=id | upper]"}, "key": "aaaaa2"},
        {"wait": "1 ms", "key": "aaaaa3"},
        {
            "for each": "[=q]",
            "as": "it",
            "key": "aaaaa4",
            "steps": [{"set": {"r": "[=it]"}, "key": "aaaaa5"}],
        },
        {
            "look up": "harbour",
            "key": "aaaaa6",
            "rows of": "berth",
            "where": {"id": {"is one of": [1, 2]}},
        },
    ],
}
TEXTS = [
    "salt-path: 1\ncase: A\nsteps: []\n",
    json.dumps(CASE),
    'case: "\\ud800"\n',
    "a: &x [*x]\n",
    "- - - -\n",
    "curl -X POST http://h/ -d 'a'",
    "GET / HTTP/1.1\r\nHost: h\r\n\r\n",
    "status 200",
    "$.a.b is 3",
    "{",
    "\t",
    "a: b: c",
    "? a\n: b\n",
]
SOURCES = [
    {"make": 3, "columns": {"a": "[=any letters 3]"}},
    {"file": "data/arrivals.xlsx"},
    {"file": "data/crew.csv", "encoding": "rot13"},
    {"file": "data/crew.csv", "delimiter": ";"},
    {"combine": "pairwise", "columns": {"a": [1, 2], "b": [1, 2], "c": [1, 2, 3]}},
    {"items of": "[=x]"},
    {"rows": [{"a": 1}]},
    {"in": "harbour", "rows of": "berth"},
    {"output table": "quotes"},
    {"file": "../a.csv"},
]


@cache
def _contract() -> dict[str, Any]:
    return contract()


class Calls:
    """Calls of one application over the demonstration's data."""

    def __init__(
        self,
        chance: random.Random,
        app: Any,
        known: dict[str, list[str]],
        mutations: float = 0.15,
        headers: dict[str, str] | None = None,
    ) -> None:
        self.chance, self.known = chance, known
        self.client = app.test_client(use_cookies=False)
        self.headers = headers or {}
        """Of whoever calls."""
        self.mutations = mutations
        described = _contract()
        self.shapes = described["components"]["schemas"]
        self.operations = [
            (method, path, told)
            for path, methods in described["paths"].items()
            for method, told in methods.items()
            if path != "/events/stream"
        ]

    def call(self, operation: Operation | None = None) -> tuple[str, str, int, Any]:
        """(method, what was asked, status, answer if it is a problem) of one call."""
        method, asked, answer = self.answer(operation)
        said = answer.get_json(silent=True, force=True) if answer.status_code >= 400 else None
        return method, asked, answer.status_code, said

    def answer(self, operation: Operation | None = None) -> tuple[str, str, Any]:
        """(method, what was asked, the answer) of one call."""
        chance = self.chance
        method, path, told = operation or chance.choice(self.operations)
        for parameter in told.get("parameters", ()):
            if parameter["in"] == "path":
                path = path.replace(
                    "{" + parameter["name"] + "}",
                    quote(
                        self.place(parameter["name"], path).encode("utf-8", "replace"), safe="/."
                    ),
                )
        query = "&".join(
            f"{parameter['name']}={quote(self.word(parameter['name']))}"
            for parameter in told.get("parameters", ())
            if parameter["in"] == "query" and (parameter.get("required") or chance.random() < 0.5)
        )
        headers = {
            "Host": "127.0.0.1",
            "If-Match": chance.choice(['"1"', '"2"', "x", '"99999999999999999999"']),
            **self.headers,
        }
        data, media = self.body(told)
        asked = f"/api/v1{path}?{query}"
        answer = self.client.open(
            asked, method=method.upper(), data=data, content_type=media, headers=headers
        )
        return method, f"{asked} {(data or b'')[:1500]!r}", answer

    def place(self, name: str, path: str) -> str:
        kind = path.strip("/").split("/")[0]
        of = {
            "suites": "suite",
            "projects": "project",
            "environments": "environment",
            "runs": "run",
            "exchanges": "exchange",
            "accounts": "person",
            "sessions": "session",
            "keys": "key",
            "shares": "share",
            "pictures": "picture",
            "invitations": "link",
            "delivery-rules": "rule",
            "deliveries": "delivery",
            "watches": "watch",
            "routes": "route",
            "troubles": "trouble",
            "alert-messages": "message",
        }
        ids = (
            (self.known.get(of.get(kind, "case")) or ["none"])
            if name == "id"
            else {
                "person": self.known.get("person", ["none"]),
                "position": ["0", "1", "9999999999"],
                "due": ["0", "1767225600", "9" * 12, "9" * 24],
                "version": ["1", "2", "0"],
                "key": ["aaaaaa"],
                "path": ["data/a.csv", "../x", "a"],
            }.get(name, ["1"])
        )
        return (
            self.chance.choice(ids)
            if self.chance.random() < 0.9 or not self.mutations
            else str(self.chance.choice(ODD))[:300]
        )

    def word(self, name: str) -> str:
        if self.chance.random() < self.mutations * 2:
            return str(self.chance.choice(ODD))[:300].encode("utf-8", "replace").decode()
        known = {
            "project": self.known["project"],
            "case": self.known["case"],
            "run": self.known["run"],
            "name": ["arrivals", "unknown", "harbour"],
            "path": ["data/arrivals.xlsx", "$.items[0]"],
            "table": ["quotes"],
        }
        return self.chance.choice(known.get(name, ["1", "0", "csv", "true", "x", "steps.0"]))

    def body(self, told: dict[str, Any]) -> tuple[bytes | None, str | None]:
        content = told.get("requestBody", {}).get("content")
        if not content:
            return None, None
        [(media, about)] = content.items()
        if media != "application/json":
            return self.chance.choice(
                [b"", b"PK\x03\x04", b"a,b\n1,2\n", os.urandom(200), b"\xff\xfea\x00"]
            ), media
        value = self.mutated(self.like(about["schema"]), self.mutations)
        data = json.dumps(value).encode()
        if self.chance.random() < self.mutations / 5:
            data = data[: self.chance.randint(0, len(data))]
        return data, media

    def like(self, schema: dict[str, Any], name: str = "", depth: int = 0) -> Any:
        """A value of the shape, of real things where their names are known."""
        chance = self.chance
        if "$ref" in schema:
            return self.like(self.shapes[schema["$ref"].rpartition("/")[2]], name, depth)
        special = {
            "project": self.known["project"],
            "suite": self.known["suite"],
            "case": self.known["case"],
            "cases": [self.known["case"][:2]],
            "like": self.known["environment"],
            "before": [*self.known["case"], None],
            "run": self.known["run"],
            "again": self.known["run"],
            "bad": self.known["run"],
            "text": TEXTS,
            "typed": TEXTS,
            "document": [CASE, *SOURCES, {"sqlite": "a.db"}],
            "environment": ["Rehearsal", "Live", ""],
            "name": ["arrivals", "harbour", "New", "agentPassword"],
            "literal": ["http://127.0.0.1:1", "[='", "200"],
            "kind": ["run", "trial", "put", "hide", "remove", "clear"],
            "steps": [[0], ["aaaaa1"], CASE["steps"]],
            "changes": [[{"kind": "put", "name": "v", "text": "1"}], "all", []],
            "checks": [[{"of": "status", "is": 200}]],
        }
        if name in special and chance.random() < 0.8:
            return chance.choice(special[name])
        if depth > 6:
            return None
        kind = schema.get("type")
        kind = chance.choice(kind) if isinstance(kind, list) else kind
        if "anyOf" in schema:
            return self.like(chance.choice(schema["anyOf"]), name, depth + 1)
        if "enum" in schema:
            return chance.choice(schema["enum"])
        if kind == "object" or "properties" in schema:
            wanted = schema.get("required", ())
            given = {
                key: part
                for key, part in schema.get("properties", {}).items()
                if key in wanted or chance.random() < 0.6
            }
            return {key: self.like(part, key, depth + 1) for key, part in given.items()}
        if kind == "array":
            return [
                self.like(schema.get("items", {}), name, depth + 1)
                for _ in range(chance.randint(0, 3))
            ]
        return {"string": "x", "integer": 1, "number": 1, "boolean": True, "null": None}.get(
            str(kind), chance.choice(ODD)
        )

    def mutated(self, value: Any, share: float) -> Any:
        chance = self.chance
        if chance.random() < share:
            return chance.choice(ODD)
        if isinstance(value, dict):
            found = {
                key: self.mutated(item, share)
                for key, item in value.items()
                if chance.random() > share / 4
            }
            return found | (
                {str(chance.choice(ODD)): chance.choice(ODD)} if chance.random() < share / 2 else {}
            )
        return [self.mutated(item, share) for item in value] if isinstance(value, list) else value


def begun(directory: str) -> tuple[Path, Flask]:
    """A data folder in this directory with the demo's project begun, and the server's application
    on it."""
    folder = Path(directory) / "data"
    if application.BEGUN:
        shutil.copytree(application.BEGUN, folder)
    else:
        application.begin(folder)
    return folder, make_app(application.without_sign_in(folder))


def known_in(
    app: Any, number: int = 0, headers: dict[str, str] | None = None
) -> dict[str, list[str]]:
    """Identities of what a project of the demonstration has, by kind."""
    client = app.test_client(use_cookies=False)
    headers = {"Host": "127.0.0.1", **(headers or {})}

    def get(path: str) -> Any:
        return client.get(f"/api/v1{path}", headers=headers).get_json(force=True)

    project = get("/projects")["items"][number]["id"]
    suites = get(f"/suites?project={project}")["items"]
    run = get(f"/runs?project={project}")["items"][0]["id"]
    shared = [item["id"] for item in get(f"/shared-steps?project={project}")["items"]]
    rules = get(f"/delivery-rules?project={project}")["items"]
    return {
        "project": [project],
        "person": [item["id"] for item in get(f"/people?project={project}")["items"]],
        "rule": [item["id"] for item in rules],
        "suite": [suite["id"] for suite in suites],
        "watch": [item["id"] for item in get(f"/watches?project={project}")["items"]],
        "route": [item["id"] for item in get(f"/routes?project={project}")["items"]],
        "trouble": [item["id"] for item in get(f"/troubles?project={project}")["items"]],
        "message": [item["id"] for item in get(f"/alert-messages?project={project}")["items"]],
        "run": [run],
        "exchange": [f"{run}.0.1.steps.0.0", f"{run}.1.1.steps.0-2.0"],
        "case": [case["id"] for suite in suites for case in suite["cases"]][:12] + shared,
        "environment": [item["id"] for item in get(f"/environments?project={project}")["items"]],
    }
