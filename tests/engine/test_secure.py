"""TLS, client certificates and proxies: real servers on loopback, with certificates made here."""

import ipaddress
import ssl
import threading
import unittest
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from http.server import ThreadingHTTPServer
from tempfile import NamedTemporaryFile

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from tests.engine.answering import Handler, answering
from tests.harbour import case, harbour, run_text


def made(name: str, password: bytes = b"") -> tuple[bytes, bytes]:
    """A certificate that signs itself, and its key, both PEM."""
    key = ec.generate_private_key(ec.SECP256R1())
    subject = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, name)])
    now = datetime.now(UTC)
    certificate = (
        x509.CertificateBuilder()
        .subject_name(subject)
        .issuer_name(subject)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=1))
        .add_extension(
            x509.SubjectAlternativeName([x509.IPAddress(ipaddress.ip_address("127.0.0.1"))]), False
        )
        .add_extension(x509.BasicConstraints(ca=True, path_length=None), True)
        .sign(key, hashes.SHA256())
    )
    how = (
        serialization.BestAvailableEncryption(password)
        if password
        else serialization.NoEncryption()
    )
    pem = key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, how)
    return certificate.public_bytes(serialization.Encoding.PEM), pem


class Known(Handler):
    def do_GET(self) -> None:
        peer = self.connection.getpeercert(binary_form=True)
        self.give(b'{"known": %s}' % (b"true" if peer else b"false"))


class Quiet(ThreadingHTTPServer):
    daemon_threads = True

    def handle_error(self, request: object, client_address: object) -> None:
        pass


@contextmanager
def secured(client: bytes = b""):
    """The address of a server with a certificate of its own; it asks for `client`, if given."""
    certificate, key = made("fernholm.example")
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    with NamedTemporaryFile() as file:
        file.write(certificate + key)
        file.flush()
        context.load_cert_chain(file.name)
    if client:
        context.verify_mode = ssl.CERT_REQUIRED
        context.load_verify_locations(cadata=client.decode())
    server = Quiet(("127.0.0.1", 0), Known)
    server.socket = context.wrap_socket(server.socket, server_side=True)
    threading.Thread(target=server.serve_forever, args=(0.02,), daemon=True).start()
    try:
        yield f"https://127.0.0.1:{server.server_address[1]}/"
    finally:
        server.shutdown()
        server.server_close()


def get(address: str, options: str, files: dict[str, bytes] | None = None, **values):
    step = (
        f"  - {{ request: a, send: 'GET {address}', options: {options}, expect: [ {{ of: "
        f"status, is: 200 }} ], keep: {{ known: $.known }} }}\n"
    )
    done = run_text(case(step), read_file=lambda path: (files or {})[path], **values)
    return done.cases[0].steps[0]


class Secure(unittest.TestCase):
    def test_what_is_wrong_with_a_certificate_is_said(self):
        with secured() as address:
            step = get(address, "{}")
            self.assertEqual(step.verdict, "blocked")
            self.assertIn("signed by itself, and nobody vouches for it", step.why.sentence)
            self.assertEqual(get(address, "{ verify tls: false }").verdict, "passed")
        step = get(harbour().replace("http:", "https:"), "{}")
        self.assertIn("does not speak TLS on this port", step.why.sentence)

    def test_client_certificates(self):
        certificate, key = made("desk")
        sealed, sealed_key = made("desk", b"salt")
        with secured(certificate) as address:
            without = get(address, "{ verify tls: false }")
            # with the server's alert, or the bare end of the connection
            self.assertEqual(without.verdict, "blocked")
            self.assertRegex(without.why.sentence, "client certificate|was cut")
            both = {"desk.pem": certificate + key, "desk.crt": certificate, "desk.key": key}
            one = get(address, "{ verify tls: false, client certificate: desk.pem }", both)
            self.assertEqual((one.verdict, one.kept), ("passed", {"known": True}), one.why)
            two = get(
                address,
                "{ verify tls: false, client certificate: { file: desk.crt, key: desk.key } }",
                both,
            )
            self.assertEqual(two.verdict, "passed")
        with secured(sealed) as address:
            files = {"desk.pem": sealed + sealed_key}
            right = (
                "{ verify tls: false, client certificate: { file: desk.pem, password: '[=pin]' } }"
            )
            self.assertEqual(get(address, right, files, secrets={"pin": "salt"}).verdict, "passed")
            wrong = get(address, right, files, secrets={"pin": "pepper"})
            self.assertEqual(wrong.verdict, "blocked")
            self.assertNotIn("pepper", wrong.why.sentence)

    def test_a_certificate_is_not_kept_for_the_next_step(self):
        certificate, key = made("desk")
        with secured(certificate) as address:
            steps = "".join(
                f"  - {{ request: a, send: 'GET {address}', options: {{ verify tls: false, fresh "
                f"connection: true{more} }}, expect: [ {{ of: status, is: 200 }} ] }}\n"
                for more in (", client certificate: desk.pem", "")
            )
            done = run_text(
                case(steps, "on failure: go on\n"), read_file=lambda path: certificate + key
            ).cases[0]
            self.assertEqual([step.verdict for step in done.steps], ["passed", "blocked"])
            self.assertRegex(done.steps[1].why.sentence, "client certificate|was cut")

    def test_through_a_proxy(self):
        with answering({"http://fernholm.example/berths": b'{"known": 5}'}) as proxy:
            step = get("http://fernholm.example/berths", f'{{ proxy: "{proxy}" }}')
            self.assertEqual((step.verdict, step.kept), ("passed", {"known": 5}), step.why)
            direct = get("http://fernholm.example/berths", "{ timeout: 2 s }")
            self.assertEqual(direct.verdict, "blocked", "the proxy is not kept for others")
