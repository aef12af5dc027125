"""The files that a project's cases send: brought in, listed, sent, taken away; and what is too
large or leads outside."""

import io
import os
import resource
import tempfile
import unittest
import urllib.error
import urllib.request
import zipfile
from pathlib import Path

from saltpath.formats.folders import read_zip
from saltpath.server.app import make_app
from saltpath.store.project_files import FOLDER
from tests.application import PATIENCE_S, Application, without_sign_in

CREW = b"name,rank\nIda Wren,master\n"


class Files(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.app = cls.enterClassContext(Application())

    def send(self, method, path, octets=None, media="application/octet-stream"):
        request = urllib.request.Request(f"{self.app.address}/api/v1{path}", octets, method=method)
        if octets is not None:
            request.add_header("Content-Type", media)
        try:
            with urllib.request.urlopen(request, timeout=PATIENCE_S) as answer:
                return answer.status, answer.read().decode()
        except urllib.error.HTTPError as error:
            return error.code, error.read().decode()

    def files(self):
        return {
            item["path"]: item["size"]
            for item in self.app.get(f"/projects/{self.app.project}/files")["items"]
        }

    def put(self, path, octets=CREW, media="application/octet-stream"):
        return self.send("PUT", f"/projects/{self.app.project}/files/{path}", octets, media)

    def test_a_file_comes_in_and_goes(self):
        self.assertEqual(self.put("data/crew-2.csv")[0], 200)
        self.assertEqual(self.files()["data/crew-2.csv"], len(CREW))
        self.assertEqual(self.put("data/crew-2.csv", CREW * 2)[0], 200)
        self.assertEqual(self.files()["data/crew-2.csv"], 2 * len(CREW))
        self.assertEqual(self.put("data/Mannschaft%20gr%C3%B6%C3%9Fer.csv", b"")[0], 200)
        self.assertIn("data/Mannschaft größer.csv", self.files())
        for path in ("data/crew-2.csv", "data/Mannschaft%20gr%C3%B6%C3%9Fer.csv"):
            self.assertEqual(
                self.send("DELETE", f"/projects/{self.app.project}/files/{path}")[0], 200
            )
        self.assertEqual(set(self.files()), {"data/arrivals.xlsx", "data/crew.csv"})
        status, said = self.send("DELETE", f"/projects/{self.app.project}/files/data/crew-2.csv")
        self.assertEqual(status, 404)
        self.assertIn("no file data/crew-2.csv", said)

    def test_it_goes_out_with_the_project(self):
        self.put("data/tide%20tables/november.bin", bytes(range(256)))
        with urllib.request.urlopen(
            f"{self.app.address}/api/v1/projects/{self.app.project}/folder"
        ) as answer:
            files = read_zip(answer.read())
        self.assertEqual(files["data/tide tables/november.bin"], bytes(range(256)))
        self.send("DELETE", f"/projects/{self.app.project}/files/data/tide%20tables/november.bin")

    def test_a_step_sends_it_and_is_blocked_without_it(self):
        self.put("data/log.txt", b"fog since six")
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        step = {
            "request": "Hand it in",
            "send": "POST [=harbour]/papers",
            "multipart": [
                {"name": "log", "file": "data/log.txt", "type": "text/plain"},
                {"name": "note", "text": "two\nlines"},
            ],
            "expect": [{"of": "status", "below": 500}],
        }
        document = {"salt-path": 1, "case": "A log is handed in", "steps": [step]}
        case = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "document": document}
        )[2]
        self.app.run(cases=[case["id"]])
        seen = self.app.get(f"/cases/{case['id']}/evidence")["steps"][0]
        self.assertIn("fog since six", seen["exchanges"][0]["sentBody"])
        self.assertIn("two\nlines", seen["exchanges"][0]["sentBody"])
        shown = "".join(piece["text"] for piece in case["steps"][0]["send"]["body"]["text"])
        self.assertEqual(shown, 'log = file data/log.txt, text/plain\nnote = "two\\nlines"')
        self.send("DELETE", f"/projects/{self.app.project}/files/data/log.txt")
        run = self.app.run(cases=[case["id"]])
        self.assertEqual(run["verdict"], "blocked")
        why = self.app.get(f"/cases/{case['id']}/evidence")["steps"][0]["why"]["sentence"]
        self.assertIn("data/log.txt", why)

    def test_a_path_that_is_none_for_a_file(self):
        for path in (
            "project.yaml",
            "suites/arrivals/suite.yaml",
            "suites/x/y.case.yaml",
            "environments/live.yaml",
        ):
            status, said = self.put(path)
            self.assertEqual(status, 422, path)
            self.assertIn("none for a file", said)
        for path in ("data/..%2F..%2Fkey", "%2e%2e/key", "data/a%5Cb", "data/a%00b", "a" * 400):
            self.assertIn(self.put(path)[0], (404, 422), path)
        self.assertEqual(self.put("data/x", media="application/json")[0], 415)
        self.assertEqual(self.put("data/x", media="text/plain")[0], 415)
        self.assertEqual(set(self.files()), {"data/arrivals.xlsx", "data/crew.csv"})

    def test_large_ones(self):
        large = os.urandom(12_000_000)
        self.assertEqual(self.put("data/large.bin", large)[0], 200)
        with urllib.request.urlopen(
            f"{self.app.address}/api/v1/projects/{self.app.project}/folder"
        ) as answer:
            archive = answer.read()
        self.assertGreater(len(archive), 10_000_000)
        self.assertEqual(self.send("POST", "/projects/folder", archive, "application/zip")[0], 201)
        self.send("DELETE", f"/projects/{self.app.project}/files/data/large.bin")
        too_large = io.BytesIO()
        with zipfile.ZipFile(too_large, "w") as made:
            made.writestr("project.yaml", b"salt-path: 1\nproject: Large\n")
            made.writestr("data/large.bin", bytes(101_000_000))
        self.assertGreater(len(too_large.getvalue()), 100_000_000)
        status, said = self.send(
            "POST", "/projects/folder", too_large.getvalue(), "application/zip"
        )
        self.assertEqual(status, 413)
        self.assertIn("title", said)

    def test_a_disk_without_room_is_told(self):
        """The limit of a file's size stands for a full disk: what is refused is of the same
        kind."""
        with tempfile.TemporaryDirectory() as name:
            without_sign_in(Path(name))
            client = make_app(Path(name)).test_client()
            ask = {"headers": {"Host": "127.0.0.1"}}
            made = client.post("/api/v1/projects", json={"name": "P"}, **ask).get_json()["id"]
            path = f"/api/v1/projects/{made}/files/data/large.bin"
            before = resource.getrlimit(resource.RLIMIT_FSIZE)
            resource.setrlimit(resource.RLIMIT_FSIZE, (3_000_000, before[1]))
            try:
                answer = client.put(
                    path, data=bytes(5_000_000), **ask, content_type="application/octet-stream"
                )
            finally:
                resource.setrlimit(resource.RLIMIT_FSIZE, before)
            self.assertEqual(
                (answer.status_code, answer.get_json()["code"]),
                (507, "disk-full"),
                answer.get_data(),
            )
            kept = client.get(f"/api/v1/projects/{made}/files", **ask).get_json()["items"]
            self.assertEqual(kept, [], "nothing of it was kept")
            self.assertEqual(list((Path(name) / FOLDER).rglob("*.part*")), [])
            again = client.put(path, data=b"small", **ask, content_type="application/octet-stream")
            self.assertEqual(again.status_code, 200, "and all goes on")
