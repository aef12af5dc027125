"""Shared by the tests of coming in: an installation in a fresh folder, people in it, browsers."""

from __future__ import annotations

import math
import tempfile
import unittest
from contextlib import closing
from pathlib import Path
from typing import Any
from unittest.mock import patch

from argon2 import PasswordHasher
from flask.testing import FlaskClient
from werkzeug.test import TestResponse

from saltpath.server.app import make_app
from saltpath.server.entry import passwords
from saltpath.store import people
from saltpath.store.database import connect, migrate
from saltpath.store.people import Person

PASSWORD = "kelp anvil marsh ninety"
QUICK = PasswordHasher(time_cost=1, memory_cost=2_048, parallelism=1)
"""Weaker than what is used, so that what else takes time shows more."""


class Browser(FlaskClient):
    """Asks at the port where an installation usually is."""

    def open(self, *args: Any, **kwargs: Any) -> TestResponse:
        kwargs.setdefault("base_url", "http://127.0.0.1:8420")
        return super().open(*args, **kwargs)


def p_of_ranks(a: list[int], b: list[int]) -> float:
    """How likely two samples of one distribution would differ as much in their ranks (Mann and
    Whitney, by the normal distribution)."""
    both = sorted([(value, 0) for value in a] + [(value, 1) for value in b])
    ranks = sum(rank for rank, (_, which) in enumerate(both, 1) if which == 0)
    u = ranks - len(a) * (len(a) + 1) / 2
    spread = math.sqrt(len(a) * len(b) * (len(a) + len(b) + 1) / 12)
    return math.erfc(abs(u - len(a) * len(b) / 2) / spread / math.sqrt(2))


class Entering(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory())) / "data"
        migrate(self.folder)
        self.store = self.enterContext(closing(connect(self.folder)))
        self.enterContext(patch.object(passwords, "_hasher", QUICK))
        passwords._nobodys.cache_clear()
        self.addCleanup(passwords._nobodys.cache_clear)
        self.owner = people.local_owner(self.store)
        self.app = make_app(self.folder)
        self.app.test_client_class = Browser

    def client(self, **headers: str) -> FlaskClient:
        """A browser, with a cookie jar of its own."""
        client = self.app.test_client()
        client.environ_base["HTTP_ORIGIN"] = "http://127.0.0.1:8420"
        for name, value in headers.items():
            client.environ_base[f"HTTP_{name.upper()}"] = value
        return client

    def post(self, client: FlaskClient, path: str, body: Any = None, **more: Any) -> TestResponse:
        return client.post(f"/api/v1{path}", json={} if body is None else body, **more)

    def person(self, name: str = "odd", password: str = PASSWORD) -> Person:
        person = people.add_person(self.store, name.title(), name)
        people.set_password(self.store, person, passwords.hashed(password))
        return people.person_by_id(self.store, person.id)

    def sign_in(
        self, client: FlaskClient, name: str, password: str = PASSWORD, **more: Any
    ) -> TestResponse:
        return self.post(client, "/sign-in", {"name": name, "password": password, **more})

    def me(self, client: FlaskClient) -> Any:
        return client.get("/api/v1/me")
