"""Digest by the examples of RFC 7616, and the cookies of a row by RFC 6265."""

import hashlib
import re
import unittest
from datetime import UTC, datetime

from saltpath.core.running.prepare import Prepared
from saltpath.core.values.why import Blocked
from saltpath.engine.cookies import Jar
from saltpath.engine.digest import answered, challenge_of

NOW = int(datetime(2026, 11, 23, 8, tzinfo=UTC).timestamp() * 1e6)


def fields(prepared: Prepared) -> dict[str, str]:
    header = dict(prepared.headers)["Authorization"]
    return {
        key: quoted or bare
        for key, quoted, bare in re.findall(r'(\w+)=(?:"([^"]*)"|([^,\s]+))', header)
    }


def request(method="GET", address="http://www.example.org/dir/index.html", body=None) -> Prepared:
    return Prepared(method, address, (("Accept", "*/*"),), body)


class Digest(unittest.TestCase):
    # RFC 7616, 3.9.1
    ASKED = (
        'Digest realm="http-auth@example.org", qop="auth, auth-int", algorithm={}, '
        'nonce="7ypf/xlj9XXwfDPEoM4URrv/xwf94BcCAzFZH4GiTo0v", '
        'opaque="FQhe/qaU925kfnzjCev0ciny7QMkPqMAFRtzCUYo5tdS"'
    )
    OURS = "f2/wE4q74E6zIJEtWaHKaf5wv/H5QzzpXusqGemxURZJ"

    def signed(self, *asked: str, user="Mufasa", password="Circle of Life", nonce=OURS, **more):
        challenge = challenge_of([("WWW-Authenticate", text) for text in asked])
        return fields(answered(request(**more), challenge, user, password, nonce))

    def test_the_examples_of_the_standard(self):
        for algorithm, response in (
            ("MD5", "8ca523f5e9506fed4657c9700eebdbec"),
            ("SHA-256", "753927fa0e85d155564e2e272a28d1802ca10daf4496794697cf8db5856cb6c1"),
        ):
            found = self.signed(self.ASKED.format(algorithm))
            self.assertEqual(found["response"], response)
            self.assertEqual(
                (found["qop"], found["nc"], found["algorithm"]), ("auth", "00000001", algorithm)
            )
            self.assertEqual((found["username"], found["uri"]), ("Mufasa", "/dir/index.html"))

    def test_the_strongest_that_is_known_is_answered(self):
        both = [self.ASKED.format("MD5"), self.ASKED.format("SHA-256")]
        self.assertEqual(self.signed(*both)["algorithm"], "SHA-256")
        self.assertEqual(self.signed(", ".join(both))["algorithm"], "SHA-256", "also in one header")
        self.assertEqual(self.signed('Basic realm="x"', both[0])["algorithm"], "MD5")
        self.assertEqual(self.signed(self.ASKED.format("SHA-999"), both[0])["algorithm"], "MD5")

    def test_the_name_can_be_hashed(self):
        asked = (
            'Digest realm="api@example.org", qop="auth", algorithm=SHA-512-256, userhash=true, '
            'nonce="5TsQWLVdgBdmrQ0XsxbDODV+57QdFR34I9HAbC/RVvkK", '
            'opaque="HRPCssKJSGjCrkzDg8OhwpzCiGPChXYjwrI2QmXDnsOS"'
        )
        found = self.signed(
            asked,
            user="Jäsøn Doe",
            password="Secret, or not?",
            nonce="NTg6RKcb9boFIAS3KrFK9BGeh+niz/sm",
            address="http://api.example.org/doe.json",
        )
        self.assertEqual(
            found["username"], "793263caabb707a56211940d90411ea4a575adeccb7e360aeb624ed06ece9b0b"
        )

        def h(text: str) -> str:
            return hashlib.new("sha512_256", text.encode()).hexdigest()

        who, what = h("Jäsøn Doe:api@example.org:Secret, or not?"), h("GET:/doe.json")
        nonce, own = (
            "5TsQWLVdgBdmrQ0XsxbDODV+57QdFR34I9HAbC/RVvkK",
            "NTg6RKcb9boFIAS3KrFK9BGeh+niz/sm",
        )
        middle = f"{nonce}:00000001:{own}:auth"
        self.assertEqual(found["response"], h(f"{who}:{middle}:{what}"))

    def test_older_and_rarer_forms(self):
        bare = self.signed('Digest realm="r", nonce="n"')
        self.assertEqual({"qop", "nc", "cnonce", "opaque"} & set(bare), set(), "as RFC 2069 had it")
        session = self.signed('Digest realm="r", nonce="n", qop="auth", algorithm=MD5-sess')
        plain = self.signed('Digest realm="r", nonce="n", qop="auth", algorithm=MD5')
        self.assertNotEqual(session["response"], plain["response"])
        whole = self.signed(
            'Digest realm="r", nonce="n", qop="auth-int"', method="POST", body=b"fog"
        )
        other = self.signed(
            'Digest realm="r", nonce="n", qop="auth-int"', method="POST", body=b"sun"
        )
        self.assertNotEqual(whole["response"], other["response"], "the body is signed too")
        quoted = challenge_of([("WWW-Authenticate", r'Digest realm="the \"quay\"", nonce="n"')])
        self.assertEqual(quoted.realm, 'the "quay"')

    def test_the_query_belongs_to_what_is_signed(self):
        found = self.signed(
            'Digest realm="r", nonce="n", qop="auth"', address="http://h/log?page=2&a=%20b"
        )
        self.assertEqual(found["uri"], "/log?page=2&a=%20b")
        self.assertEqual(self.signed('Digest realm="r", nonce="n"', address="http://h")["uri"], "/")

    def test_an_old_answer_is_replaced(self):
        first = answered(
            request(), challenge_of([("WWW-Authenticate", 'Digest realm="r", nonce="1"')]), "u", "p"
        )
        again = answered(
            first, challenge_of([("WWW-Authenticate", 'Digest realm="r", nonce="2"')]), "u", "p"
        )
        self.assertEqual([name for name, _ in again.headers].count("Authorization"), 1)
        self.assertEqual(fields(again)["nonce"], "2")

    def test_what_cannot_be_answered(self):
        for asked, words in (
            ("Basic realm=x", "no Digest"),
            ('Digest realm="r", nonce="n", algorithm=SHA-999', "SHA-999"),
            ('Digest realm="r"', "not known here"),
            ('Digest realm="r", nonce="n", qop="auth-conf"', "not known here"),
        ):
            with self.subTest(asked), self.assertRaises(Blocked) as raised:
                self.signed(asked)
            self.assertIn(words, raised.exception.reason.sentence)


class Cookies(unittest.TestCase):
    def jar(self, *set_cookie: str, at="http://desk.harbour.example/papers/form", now=NOW) -> Jar:
        jar = Jar()
        jar.take(at, [("Set-Cookie", text) for text in set_cookie], now)
        return jar

    def sent(self, jar: Jar, address: str, own: str = "", now=NOW) -> str:
        return jar.header(address, own, now)

    def test_where_a_cookie_goes(self):
        here = "http://desk.harbour.example"
        for given, address, goes in [
            ("a=1", f"{here}/papers/other", True),
            ("a=1", f"{here}/papers", True),
            ("a=1", f"{here}/papersother", False),
            ("a=1", f"{here}/", False),
            ("a=1; Path=/", f"{here}/anywhere", True),
            ("a=1; Path=/pap", f"{here}/papers/x", False),
            ("a=1; Path=pap", f"{here}/papers/x", True),
            ("a=1; Path=/", "http://other.harbour.example/", False),
            ("a=1; Path=/; Domain=harbour.example", "http://other.harbour.example/", True),
            ("a=1; Path=/; Domain=.harbour.example", "http://harbour.example/", True),
            ("a=1; Path=/; Domain=harbour.example", "http://notharbour.example/", False),
            ("a=1; Path=/; Domain=bank.example", "http://bank.example/", False),
            ("a=1; Path=/; Domain=example", "http://any.example/", False),
            ("a=1; Path=/", "https://desk.harbour.example/", True),
        ]:
            with self.subTest(given=given, address=address):
                self.assertEqual(self.sent(self.jar(given), address), "a=1" if goes else "")

    def test_a_secure_one_goes_by_tls_alone(self):
        jar = self.jar("a=1; Secure; Path=/", at="https://harbour.example/")
        self.assertEqual(self.sent(jar, "https://harbour.example/"), "a=1")
        self.assertEqual(self.sent(jar, "http://harbour.example/"), "")
        self.assertFalse(
            self.jar("a=1; Secure", at="http://harbour.example/").cookies,
            "nor is it taken from anywhere else",
        )
        local = self.jar("a=1; Secure; Path=/", at="http://127.0.0.1:8421/")
        self.assertEqual(
            self.sent(local, "http://127.0.0.1:8421/"), "a=1", "this machine is safe without"
        )

    def test_how_long_it_lives(self):
        later = NOW + 11_000_000
        address = "http://desk.harbour.example/papers/x"
        for given, lives in [
            ("a=1", True),
            ("a=1; Max-Age=10", False),
            ("a=1; Max-Age=60", True),
            ("a=1; Max-Age=60; Expires=Mon, 23 Nov 2026 08:00:01 GMT", True),
            ("a=1; Expires=Mon, 23 Nov 2026 08:00:10 GMT", False),
            ("a=1; Expires=Mon, 23-Nov-2026 09:00:10 GMT", True),
            ("a=1; Expires=whenever", True),
            ("a=1; Max-Age=soon", True),
        ]:
            with self.subTest(given):
                self.assertEqual(
                    self.sent(self.jar(given), address, now=later), "a=1" if lives else ""
                )

    def test_it_is_replaced_and_taken_away(self):
        jar = self.jar("a=1; Path=/", "a=2; Path=/", "b=3")
        self.assertEqual(
            self.sent(jar, "http://desk.harbour.example/papers/x"),
            "b=3; a=2",
            "the nearer path first",
        )
        jar.take("http://desk.harbour.example/", [("set-cookie", "a=; Path=/; Max-Age=0")], NOW)
        self.assertEqual(self.sent(jar, "http://desk.harbour.example/papers/x"), "b=3")

    def test_the_requests_own_wins(self):
        jar = self.jar("a=1; Path=/", "b=2; Path=/")
        self.assertEqual(
            self.sent(jar, "http://desk.harbour.example/", "a=mine; c=3"), "a=mine; c=3; b=2"
        )

    def test_a_copy_goes_its_own_way(self):
        jar = self.jar("a=1; Path=/")
        copy = jar.copy()
        copy.take("http://desk.harbour.example/", [("Set-Cookie", "b=2; Path=/")], NOW)
        self.assertEqual(self.sent(jar, "http://desk.harbour.example/"), "a=1")
        self.assertEqual(self.sent(copy, "http://desk.harbour.example/"), "a=1; b=2")

    def test_nonsense_and_floods(self):
        self.assertFalse(self.jar("", "=1", "novalue", ";;;", "  =x; Path=/").cookies)
        self.assertEqual(
            self.sent(self.jar('a="x y"; Path=/'), "http://desk.harbour.example/"), 'a="x y"'
        )
        flood = self.jar(*(f"c{n}=1; Path=/" for n in range(5000)))
        self.assertEqual(self.sent(flood, "http://desk.harbour.example/").count("="), 1000)
