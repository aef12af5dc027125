"""TLS by files of a certificate: the real command, spoken to as browsers do, slowly, in pieces, by
many at once, and by those who speak none."""

import contextlib
import http.client
import os
import random
import socket
import ssl
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from contextlib import closing
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest.mock import patch

from click.testing import CliRunner

from saltpath import tls
from saltpath.cli import main
from saltpath.tls import CertificateProblem, Certificates, Files
from tests.application import PATIENCE_S, free_port
from tests.engine.test_secure import made


def written(folder: Path, name: str = "salt", password: bytes = b"") -> tuple[Path, Path]:
    certificate, key = made(name, password)
    paths = folder / f"{name}.pem", folder / f"{name}.key"
    paths[0].write_bytes(certificate)
    paths[1].write_bytes(key)
    return paths


class Served(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        certificate, key = written(folder)
        cls.port = free_port()
        cls.log = (folder / "log").open("w+")
        cls.addClassCleanup(cls.log.close)
        command = [sys.executable, "-m", "saltpath.cli", "serve", "--data", str(folder / "data")]
        command += ["--port", str(cls.port), "--host", "0.0.0.0", "--runners", "1"]
        command += ["--certificate", str(certificate), "--certificate-key", str(key)]
        process = subprocess.Popen(command, stdout=cls.log, stderr=subprocess.STDOUT)
        cls.addClassCleanup(process.wait, PATIENCE_S)
        cls.addClassCleanup(process.terminate)
        cls.context = ssl.create_default_context(cafile=str(certificate))
        end = time.monotonic() + PATIENCE_S
        while True:
            try:
                cls.ask("GET", "/api/v1/health")
                return
            except OSError:
                if time.monotonic() > end:
                    raise AssertionError(Path(cls.log.name).read_text()) from None
                time.sleep(0.05)

    @classmethod
    def ask(
        cls, method: str, path: str, body: bytes | None = None, **headers: str
    ) -> tuple[http.client.HTTPResponse, bytes]:
        connection = http.client.HTTPSConnection(
            "127.0.0.1", cls.port, context=cls.context, timeout=PATIENCE_S
        )
        with closing(connection):
            connection.request(method, path, body, headers)
            answer = connection.getresponse()
            return answer, answer.read()

    def link(self) -> str:
        return Path(self.log.name).read_text().partition("/enter#")[2].partition("\n")[0]

    def test_cookies_and_heads_are_those_of_a_secure_page(self):
        self.assertIn(f"https://127.0.0.1:{self.port}/enter#", Path(self.log.name).read_text())
        page, _ = self.ask("GET", "/")
        self.assertEqual(page.status, 200)
        self.assertIn("max-age", page.headers["Strict-Transport-Security"])
        entry, _ = self.ask("GET", "/api/v1/projects")
        self.assertEqual(entry.status, 401, "nobody comes in from here alone")
        origin = f"https://127.0.0.1:{self.port}"
        body = b'{"token": "%s", "name": "Ines", "signIn": "ines", "password": "kelp rope 9 gulls"}'
        used, said = self.ask(
            "POST",
            "/api/v1/links/use",
            body % self.link().encode(),
            **{"Content-Type": "application/json", "Origin": origin},
        )
        self.assertEqual(used.status, 200, said)
        cookie = used.headers["Set-Cookie"]
        self.assertTrue(cookie.startswith("__Host-"), cookie)
        self.assertIn("; Secure", cookie)

    def test_what_is_large_comes_whole_to_many_at_once(self):
        page = self.ask("GET", "/")[1].decode()
        script = "/assets/" + page.partition("/assets/")[2].partition('"')[0]
        whole = self.ask("GET", script)[1]
        self.assertGreater(len(whole), 100_000)
        wrong: list[object] = []

        def many(seed: int) -> None:
            drawn = random.Random(seed)
            try:
                for _ in range(8):
                    if self.ask("GET", script)[1] != whole:
                        wrong.append("otherwise")
                    size = drawn.choice([1, 16_383, 16_384, 16_385, 100_000])
                    answer, _ = self.ask(
                        "POST", "/api/v1/sessions", b"{" * size, **{"Content-Type": "text/plain"}
                    )
                    if answer.status >= 500:
                        wrong.append(answer.status)
            except Exception as problem:
                wrong.append(problem)

        threads = [threading.Thread(target=many, args=(seed,)) for seed in range(12)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(PATIENCE_S)
        self.assertEqual(wrong, [])

    def test_who_says_little_or_nothing_keeps_nobody(self):
        silent = [socket.create_connection(("127.0.0.1", self.port)) for _ in range(20)]
        for connection in silent:
            self.addCleanup(connection.close)
        hello = self.hello()
        for connection in silent[10:]:
            connection.sendall(hello[: len(hello) // 2])
        self.assertEqual(self.ask("GET", "/api/v1/health")[0].status, 200)

    def hello(self) -> bytes:
        incoming, outgoing = ssl.MemoryBIO(), ssl.MemoryBIO()
        client = self.context.wrap_bio(incoming, outgoing, server_hostname="127.0.0.1")
        with self.assertRaises(ssl.SSLWantReadError):
            client.do_handshake()
        return outgoing.read()

    def test_records_in_pieces(self):
        """However the bytes of a connection are cut, it answers."""
        drawn = random.Random(5)
        incoming, outgoing = ssl.MemoryBIO(), ssl.MemoryBIO()
        client = self.context.wrap_bio(incoming, outgoing, server_hostname="127.0.0.1")
        with socket.create_connection(("127.0.0.1", self.port), timeout=PATIENCE_S) as wire:

            def pump() -> None:
                data = outgoing.read()
                while data:
                    cut = drawn.choice([1, 2, 5, 100, 1000])
                    wire.sendall(data[:cut])
                    data = data[cut:]
                    time.sleep(0.0005)

            def until(act):
                while True:
                    try:
                        found = act()
                        pump()
                        return found
                    except ssl.SSLWantReadError:
                        pump()
                        incoming.write(wire.recv(drawn.choice([1, 50, 70_000])))

            until(client.do_handshake)
            for _ in range(3):
                client.write(
                    b"GET /api/v1/health HTTP/1.1\r\nHost: 127.0.0.1\r\nX: " + b"x" * 5_000
                )
                client.write(b"\r\n\r\n")
                pump()
                answer = b""
                while not answer.endswith(b'{"state":"up"}'):
                    answer += until(lambda: client.read(4096))
                self.assertTrue(answer.startswith(b"HTTP/1.1 200"), answer)

    def test_who_speaks_no_tls_is_let_go_without_a_word(self):
        for said in (b"GET / HTTP/1.1\r\nHost: x\r\n\r\n", b"\x00" * 50, b"\x16\x03\x01\xff\xff"):
            with socket.create_connection(("127.0.0.1", self.port), timeout=PATIENCE_S) as wire:
                rest = b""
                with contextlib.suppress(OSError):  # it may be cut off at any moment
                    wire.sendall(said)
                    wire.shutdown(socket.SHUT_WR)
                    while piece := wire.recv(4096):
                        rest += piece
                self.assertNotIn(b"HTTP", rest)
        old = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
        old.check_hostname, old.verify_mode = False, ssl.CERT_NONE
        old.set_ciphers("ALL:@SECLEVEL=0")
        old.minimum_version = old.maximum_version = ssl.TLSVersion.TLSv1_1
        with (
            self.assertRaises(OSError),
            socket.create_connection(("127.0.0.1", self.port), timeout=PATIENCE_S) as wire,
        ):
            old.wrap_socket(wire).close()
        self.assertEqual(self.ask("GET", "/api/v1/health")[0].status, 200)
        self.assertNotIn("Traceback", Path(self.log.name).read_text())


class Read(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_what_is_renewed_is_read(self):
        certificate, key = written(self.folder)
        self.enterContext(patch.object(tls, "LOOK_S", 0))
        held = Certificates(Files(certificate, key))
        first = held.context()
        self.assertIs(held.context(), first)
        later = (datetime.now(UTC) + timedelta(seconds=9)).timestamp()
        with self.assertLogs("saltpath.web") as logs:
            certificate.write_text("half a fi")
            os.utime(certificate, (later, later))
            self.assertIs(held.context(), first, "the one before is used on")
            new, new_key = made("salt")
            certificate.write_bytes(new)
            key.write_bytes(new_key)
            os.utime(certificate, (later + 5, later + 5))
            self.assertIsNot(held.context(), first)
        self.assertIn("read before is used on", logs.output[0])
        self.assertIn("ends, or ended", logs.output[-1], "within two weeks")

    def test_what_cannot_be_used_is_said(self):
        certificate, key = written(self.folder)
        other, _ = written(self.folder, "other")
        locked = written(self.folder, "locked", b"word")
        both = self.folder / "both.pem"
        both.write_bytes(certificate.read_bytes() + key.read_bytes())
        Files(both).context()
        odd = self.folder / "odd.pem"
        odd.write_bytes(random.Random(3).randbytes(500))
        for files, said in (
            (Files(other, key), "not that of the certificate"),
            (Files(*locked), "locked by a password"),
            (Files(odd, key), "no certificate and key"),
            (Files(certificate), "no certificate and key"),
            (Files(self.folder / "nothing", key), "there is no file"),
            (Files(certificate, self.folder), "there is no file"),
        ):
            with self.assertRaises(CertificateProblem) as problem:
                files.context()
            self.assertIn(said, str(problem.exception))

    def test_the_command_says_so_before_it_begins(self):
        certificate, key = written(self.folder)
        for words, said in (
            (["--certificate", str(key)], "no certificate and key"),
            (["--certificate-key", str(key)], "is missing"),
            (["--host", "0.0.0.0"], "give a --certificate"),
        ):
            done = CliRunner().invoke(main, ["serve", "--data", str(self.folder / "d"), *words])
            self.assertEqual(done.exit_code, 2, done.output)
            self.assertIn(said, done.output + str(done.stderr))
        self.assertFalse((self.folder / "d").exists())
        self.assertTrue(certificate.exists())


if __name__ == "__main__":
    unittest.main()
