"""Coming in: passwords, sessions, links, second factors, keys, and working alone; what strangers
try there, and what they do not learn."""

from __future__ import annotations

import contextlib
import sqlite3
import threading
import time
import unittest
from collections import Counter
from unittest.mock import patch

from saltpath.server.api import entry_api
from saltpath.server.app import make_app
from saltpath.server.entry import pace
from saltpath.server.problems import Refused
from saltpath.store import access_keys, audit, links, people, projects, sessions
from saltpath.store.database import Conflict, write
from tests.entering import PASSWORD, Entering


class Entry(Entering):
    # ---- the first start

    def test_the_first_link_makes_the_owner_once(self) -> None:
        token, client = links.link_of_owner(self.store), self.client()
        self.assertEqual(self.post(client, "/links/look", {"token": token}).json["kind"], "own")
        weak = {"token": token, "name": "Ines", "signIn": "ines", "password": "ines ines ines"}
        self.assertEqual(self.post(client, "/links/use", weak).status_code, 422)
        given = {**weak, "password": PASSWORD}
        self.assertEqual(self.post(client, "/links/use", given).status_code, 200)
        self.assertTrue(self.me(client).json["administrator"])
        self.assertEqual(self.post(client, "/links/use", given).status_code, 404)
        self.assertEqual(links.link_of_owner(self.store), "", "it has an owner now")

    def test_a_newer_first_link_takes_the_place_of_the_one_before(self) -> None:
        before, now = links.link_of_owner(self.store), links.link_of_owner(self.store)
        client = self.client()
        self.assertEqual(self.post(client, "/links/look", {"token": before}).status_code, 404)
        self.assertEqual(self.post(client, "/links/look", {"token": now}).status_code, 200)

    def test_a_link_that_many_use_at_once_lets_one_in(self) -> None:
        link, token = links.add_link(self.store, "enter", None, person=self.owner)
        statuses: list[int] = []

        def use() -> None:
            statuses.append(self.post(self.client(), "/links/use", {"token": token}).status_code)

        threads = [threading.Thread(target=use) for _ in range(12)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(Counter(status == 200 for status in statuses)[True], 1, statuses)

    def test_an_invitation_gives_its_part_and_takes_none(self) -> None:
        project = projects.add_project(
            self.store, self.owner.id, {"salt-path": 1, "project": "P"}
        ).id
        odd = self.person()
        people.set_role(self.store, project, odd, "owner", self.owner.id)
        _, token = links.add_link(
            self.store, "join", self.owner.id, project=project, role="viewer", name="Odd"
        )
        client = self.client()
        self.sign_in(client, "odd")
        asked = {"token": token, "asMe": True}
        self.assertEqual(self.post(client, "/links/use", asked).status_code, 200)
        self.assertEqual(people.role_in(self.store, odd, project), "owner", "he stays what he was")
        _, token = links.add_link(
            self.store, "join", self.owner.id, project=project, role="viewer", name="Siv"
        )
        new = {"token": token, "name": "Siv", "signIn": "SIV", "password": PASSWORD}
        taken = self.post(self.client(), "/links/use", {**new, "signIn": "Odd"})
        self.assertEqual((taken.status_code, taken.json["code"]), (409, "taken"))
        self.assertEqual(self.post(self.client(), "/links/use", new).status_code, 200)
        siv = people.by_sign_in(self.store, "siv")
        self.assertEqual(people.role_in(self.store, siv, project), "viewer")

    # ---- alone on this machine

    def test_alone_only_on_this_machine_itself(self) -> None:
        token = links.link_of_owner(self.store)
        use = {"token": token, "alone": True}
        far = self.client(x_forwarded_for="192.0.2.7")
        self.assertEqual(self.post(far, "/links/use", use).status_code, 403)
        self.assertEqual(self.post(self.client(), "/links/use", use).status_code, 200)
        near = self.client()
        self.assertEqual(self.me(near).json["way"], "alone")
        for header in ("forwarded", "x_forwarded_for", "x_real_ip", "via", "x_forwarded_host"):
            self.assertEqual(self.me(self.client(**{header: "a"})).status_code, 401, header)
        from_elsewhere = near.get("/api/v1/me", environ_base={"REMOTE_ADDR": "192.0.2.7"})
        self.assertEqual(from_elsewhere.status_code, 401)
        for host, names in (("0.0.0.0", ()), ("127.0.0.1", ("salt.example",)), ("192.0.2.1", ())):
            app = make_app(self.folder, host, names)
            answer = app.test_client().get("/api/v1/me", headers={"Host": "127.0.0.1"})
            self.assertEqual(answer.status_code, 401, (host, names))

    def test_going_back_to_sign_in_wants_somebody_who_can(self) -> None:
        people.set_alone(self.store, True)
        client = self.client()
        refused = client.put("/api/v1/alone", json={"alone": False})
        self.assertEqual(refused.status_code, 409)
        set_first = client.put("/api/v1/password", json={"old": "", "new": PASSWORD})
        self.assertEqual(set_first.status_code, 200)
        self.assertEqual(client.put("/api/v1/alone", json={"alone": False}).status_code, 200)
        self.assertEqual(self.me(client).status_code, 401)

    # ---- sessions

    def test_a_session_is_a_new_one_at_each_sign_in(self) -> None:
        """Session fixation: a cookie that somebody else has set is never made valid."""
        self.person()
        client = self.client()
        client.set_cookie("saltpath-8420", "planted", domain="127.0.0.1")
        answer = self.sign_in(client, "odd")
        given = answer.headers.getlist("Set-Cookie")[0]
        self.assertNotIn("planted", given)
        for part in ("HttpOnly", "SameSite=Lax", "Path=/"):
            self.assertIn(part, given)
        self.assertNotIn("Domain", given)
        first = client.get_cookie("saltpath-8420", domain="127.0.0.1")
        self.sign_in(client, "odd")
        other = self.client()
        other.set_cookie("saltpath-8420", first.value, domain="127.0.0.1")
        self.assertEqual(self.me(other).status_code, 401, "the one before has ended")

    def test_over_tls_the_cookie_is_for_this_host_alone(self) -> None:
        self.person()
        answer = self.client().post(
            "/api/v1/sign-in",
            json={"name": "odd", "password": PASSWORD},
            base_url="https://127.0.0.1:8420",
            headers={"Origin": "https://127.0.0.1:8420"},
        )
        for given in answer.headers.getlist("Set-Cookie"):
            self.assertTrue(given.startswith("__Host-saltpath"), given)
            self.assertIn("; Secure", given)

    def test_sessions_end_everywhere_at_once(self) -> None:
        odd = self.person()
        first, second = self.client(), self.client()
        self.sign_in(first, "odd")
        self.sign_in(second, "odd")
        items = first.get("/api/v1/sessions").json["items"]
        self.assertEqual([item["here"] for item in items], [False, True])
        self.assertEqual(first.delete(f"/api/v1/sessions/{items[0]['id']}").status_code, 200)
        self.assertEqual(self.me(second).status_code, 401)
        self.sign_in(second, "odd")
        other = {"old": PASSWORD, "new": "gull rope ninety kelp"}
        self.assertEqual(second.put("/api/v1/password", json=other).json["ended"], 1)
        self.assertEqual((self.me(first).status_code, self.me(second).status_code), (401, 200))
        people.end_person(self.store, odd)
        self.assertEqual(self.me(second).status_code, 401)
        self.assertEqual(self.sign_in(second, "odd", other["new"]).status_code, 401)

    def test_a_session_that_has_run_out_is_none(self) -> None:
        odd = self.person()
        with patch.object(sessions, "LASTS_US", -1):
            _, token = sessions.begin(self.store, odd, "", "", "password")
        self.assertIsNone(sessions.of_token(self.store, token))

    def test_a_stream_ends_with_its_session(self) -> None:
        odd = self.person()
        project = projects.add_project(self.store, self.owner.id, {"salt-path": 1, "project": "P"})
        people.set_role(self.store, project.id, odd, "viewer", self.owner.id)
        for end in (
            lambda: sessions.end_all(self.store, odd),
            lambda: people.set_role(self.store, project.id, odd, None, self.owner.id),
        ):
            people.set_role(self.store, project.id, odd, "viewer", self.owner.id)
            client = self.client()
            self.sign_in(client, "odd")
            stream = client.get(
                f"/api/v1/events/stream?project={project.oid}", buffered=False
            ).response
            pieces = iter(stream)
            self.assertIn(b"retry", next(pieces))
            end()
            begun = time.monotonic()
            self.assertLessEqual(len(list(pieces)), 2)
            self.assertLess(time.monotonic() - begun, 4)

    def test_a_cookie_changes_nothing_from_elsewhere(self) -> None:
        self.person()
        client = self.client()
        self.sign_in(client, "odd")
        change = {"name": "Mallory"}
        for origin in ("http://evil.example", "null", "http://127.0.0.1:8421", ""):
            answer = client.patch("/api/v1/me", json=change, headers={"Origin": origin})
            self.assertEqual(answer.status_code, 403, origin)
        for site in ("cross-site", "same-site"):
            answer = client.patch("/api/v1/me", json=change, headers={"Sec-Fetch-Site": site})
            self.assertEqual(answer.status_code, 403, site)
        del client.environ_base["HTTP_ORIGIN"]
        self.assertEqual(client.patch("/api/v1/me", json=change).status_code, 403)

    # ---- keys

    def test_a_key_ends_and_is_found_by_what_it_begins_with(self) -> None:
        key, text = access_keys.add_key(self.store, self.owner, "K", ["read"], 1, None)
        self.assertRegex(text, access_keys.PATTERN)
        self.assertTrue(text.startswith(key.begins))
        client = self.client(authorization=f"Bearer {text}")
        self.assertEqual(client.get("/api/v1/projects").status_code, 200)
        used = access_keys.key(self.store, key.oid)
        self.assertEqual((used.used_from, used.used_at is not None), ("127.0.0.1", True))
        for wrong in (text[:-1], text + "x", "", "Bearer", text.upper(), "saltpath_key_x"):
            answer = self.client(authorization=f"Bearer {wrong}").get("/api/v1/projects")
            self.assertEqual(answer.status_code, 401, wrong)
            self.assertIn("Bearer", answer.headers["WWW-Authenticate"])
        access_keys.end_key(self.store, key)
        self.assertEqual(client.get("/api/v1/projects").status_code, 401)
        _, old = access_keys.add_key(self.store, self.owner, "K", ["read"], -1, None)
        answer = self.client(authorization=f"Bearer {old}").get("/api/v1/projects")
        self.assertEqual(answer.status_code, 401, "its days are over")

    def test_a_key_that_is_none_is_not_mended_by_a_cookie(self) -> None:
        self.person()
        client = self.client()
        self.sign_in(client, "odd")
        answer = client.get("/api/v1/me", headers={"Authorization": "Bearer x"})
        self.assertEqual(answer.status_code, 401)

    # ---- what costs much

    def test_what_costs_much_is_done_a_few_times_at_once_for_each(self) -> None:
        held = pace.Pace()
        with contextlib.ExitStack() as turns:
            for _ in range(pace.MOST_AT_ONCE):
                turns.enter_context(held.turn("odd"))
            with self.assertRaises(Refused), held.turn("odd"):
                self.fail("one more")
            with held.turn("siv"):
                pass
        with held.turn("odd"):
            pass
        people.set_alone(self.store, True)
        made = self.post(self.client(), "/projects", {"name": "P"}).json["id"]
        with patch.object(pace, "MOST_AT_ONCE", 0):
            answer = self.client().get(f"/api/v1/projects/{made}/folder")
            self.assertEqual((answer.status_code, answer.headers["Retry-After"]), (429, "2"))
        self.assertEqual(self.client().get(f"/api/v1/projects/{made}/folder").status_code, 200)

    # ---- who did what

    def test_what_was_done_is_not_changed_and_is_kept(self) -> None:
        audit.write_down(self.store, audit.Act("signIn", "signed in", "session"))
        for statement in ("UPDATE audit SET about = 'x'", "DELETE FROM audit"):
            with self.assertRaises(sqlite3.IntegrityError, msg=statement), write(self.store):
                self.store.execute(statement)
        with write(self.store):
            self.store.execute(
                "INSERT INTO audit (at, way, place, operation, thing, about) VALUES (1, 'key', '', "
                "'x', '', 'long ago')"
            )
            self.store.execute("DELETE FROM audit WHERE at = 1")
        told = audit.lines(self.store, audit.Wanted(), None, 10)
        self.assertEqual([line.about for line in told], ["signed in"])

    def test_nobody_is_left_without_an_administrator(self) -> None:
        for act in (people.end_person, lambda s, p: people.set_administrator(s, p, False)):
            with self.assertRaises(Conflict):
                act(self.store, self.owner)

    def test_names_of_people_are_no_formulas_and_no_markup(self) -> None:
        people.set_alone(self.store, True)
        client = self.client()
        name = '=HYPERLINK("http://evil")<script>'
        client.patch("/api/v1/me", json={"name": name})
        told = client.get("/api/v1/installation/audit/file")
        self.assertIn("'=HYPERLINK", told.get_data(as_text=True))
        self.assertEqual(told.mimetype, "text/csv")

    def test_the_installation_says_nothing_of_itself_to_strangers(self) -> None:
        client = self.client()
        for path in ("/api/v1/openapi", "/api/v1/projects", "/api/v1/format", "/api/v1/storage"):
            self.assertIn(client.get(path).status_code, (401, 404), path)
        told = client.get("/api/v1/health")
        self.assertNotIn("Server", told.headers)
        self.assertEqual(set(told.json), {"state"})
        self.assertEqual(entry_api.WRONG, self.sign_in(client, "x", "y").json["title"])


if __name__ == "__main__":
    unittest.main()
