"""Content encodings: every one there and back, cut at every place, spoilt at random, and larger
than is allowed."""

import gzip
import random
import time
import unittest
import zlib

import brotli
import zstandard

from saltpath.core.values.why import Blocked
from saltpath.engine.decode import decode

TEXT = ("Nattbølge varsles i sundet. " * 40).encode() + bytes(range(256))


def deflated(data: bytes, bits: int) -> bytes:
    packer = zlib.compressobj(9, zlib.DEFLATED, bits)
    return packer.compress(data) + packer.flush()


ENCODERS = {
    "gzip": gzip.compress,
    "x-gzip": gzip.compress,
    "deflate": lambda data: deflated(data, 15),
    "br": brotli.compress,
    "zstd": lambda data: zstandard.ZstdCompressor().compress(data),
}


class Decoding(unittest.TestCase):
    def test_there_and_back(self):
        chance = random.Random(3)
        for name, encode in ENCODERS.items():
            for size in (1, 2, 100, 65_535, 65_536, 65_537, 300_000):
                data = chance.randbytes(size // 2) + bytes(size - size // 2)
                with self.subTest(name=name, size=size):
                    self.assertEqual(decode(encode(data), name, 1_000_000), data)
                    self.assertEqual(decode(encode(data), f" {name.upper()} ", 1_000_000), data)

    def test_several_after_one_another(self):
        self.assertEqual(decode(gzip.compress(brotli.compress(TEXT)), "br, gzip", 10_000), TEXT)
        self.assertEqual(decode(gzip.compress(TEXT), "identity, gzip", 10_000), TEXT)
        self.assertEqual(decode(TEXT, "", 10), TEXT, "what is not packed has its limit elsewhere")
        self.assertEqual(decode(b"", "gzip, br", 10), b"")

    def test_streams_of_several_pieces(self):
        self.assertEqual(
            decode(gzip.compress(b"fog ") + gzip.compress(b"now"), "gzip", 100), b"fog now"
        )
        self.assertEqual(
            decode(gzip.compress(b"fog") + bytes(7), "gzip", 100),
            b"fog",
            "padding behind it is left out",
        )
        two = zstandard.ZstdCompressor().compress(b"fog ") + zstandard.ZstdCompressor().compress(
            b"now"
        )
        self.assertEqual(decode(two, "zstd", 100), b"fog now")
        self.assertEqual(
            decode(deflated(TEXT, -15), "deflate", 10_000),
            TEXT,
            "as some servers send it, without its wrapping",
        )

    def test_cut_anywhere_it_is_blocked(self):
        for name, encode in ENCODERS.items():
            whole = encode(TEXT)
            for end in range(1, len(whole)):
                with self.subTest(name=name, end=end), self.assertRaises(Blocked) as raised:
                    decode(whole[:end], name, 100_000)
                self.assertEqual(raised.exception.reason.code, "bad-encoding")

    def test_spoilt_it_is_blocked_or_something_else_but_never_a_fault(self):
        chance = random.Random(8)
        noticed = 0
        for name, encode in ENCODERS.items():
            whole = encode(TEXT)
            for _ in range(400):
                spoilt = bytearray(whole)
                for _ in range(chance.randint(1, 4)):
                    spoilt[chance.randrange(len(spoilt))] = chance.randrange(256)
                try:
                    decode(bytes(spoilt), name, 100_000)
                except Blocked as problem:
                    noticed += 1
                    self.assertIn(problem.reason.code, ("bad-encoding", "too-large"))
        self.assertGreater(noticed, 1000)

    def test_noise(self):
        chance = random.Random(9)
        for name in ENCODERS:
            for size in (1, 2, 3, 10, 100, 5000):
                try:
                    decode(chance.randbytes(size), name, 10_000)
                except Blocked as problem:
                    self.assertIn(problem.reason.code, ("bad-encoding", "too-large"))

    def test_a_bomb_ends_at_the_limit_and_soon(self):
        bombs = {
            "gzip": gzip.compress(bytes(50_000_000)),
            "deflate": deflated(bytes(50_000_000), 15),
            "br": brotli.compress(bytes(50_000_000), quality=1),
            "zstd": zstandard.ZstdCompressor().compress(bytes(50_000_000)),
        }
        for name, bomb in bombs.items():
            begun = time.process_time()
            with self.subTest(name), self.assertRaises(Blocked) as raised:
                decode(bomb, name, 5_000_000)
            self.assertEqual(raised.exception.reason.code, "too-large")
            self.assertIn("5 MB", raised.exception.reason.sentence)
            self.assertLess(time.process_time() - begun, 1.0, "it was not unpacked to its end")

    def test_many_small_members(self):
        with self.assertRaises(Blocked) as raised:
            decode(gzip.compress(b"") * 2000, "gzip", 1000)
        self.assertIn("1000 members", raised.exception.reason.sentence)

    def test_what_nobody_knows(self):
        for encoding in ("klingon", "gzip, klingon", "compress"):
            with self.subTest(encoding), self.assertRaises(Blocked) as raised:
                decode(gzip.compress(TEXT), encoding, 10_000)
            self.assertEqual(raised.exception.reason.code, "unknown-encoding")
