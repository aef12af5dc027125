"""What is packed against a base is read again, byte for byte, in whichever way it was packed; bases
in memory stay within their bytes."""

import os
import random
import tempfile
import unittest
from contextlib import closing
from pathlib import Path

import msgspec
import zstandard

from saltpath.core.values import plain
from saltpath.store.bases import Base, Bases, against, bare_against, dictionary, unpacked
from saltpath.store.database import connect, migrate, write
from saltpath.store.history import seen
from saltpath.store.step_rows import StepRow

FACTS = {
    "name": "Ask",
    "kind": "request",
    "why": None,
    "outcomes": [],
    "kept": {},
    "used": {},
    "secret": [],
    "counts": True,
}


class OfBases(unittest.TestCase):
    def test_records_at_random_are_read_again(self) -> None:
        chance = random.Random(3)
        for _ in range(300):
            record = os.urandom(chance.choice([0, 1, 40, 900, 70_000]))
            base = Base(1, dictionary(record), len(record))
            cut = chance.randrange(len(record) + 1)
            like = record[:cut] + os.urandom(chance.choice([0, 3, 3_000])) + record[cut:]
            for pack in (against, bare_against):
                self.assertEqual(unpacked(pack(base, like), record), like)

    def test_a_bare_frame_is_smaller_and_what_is_cut_off_is_refused(self) -> None:
        record = os.urandom(500)
        base = Base(1, dictionary(record), 500)
        bare, whole = bare_against(base, record + b"1"), against(base, record + b"1")
        self.assertLess(len(bare), len(whole) - 3)
        with self.assertRaises(zstandard.ZstdError):
            unpacked(whole[:-2], record)

    def test_memory_is_bounded_and_the_oldest_goes(self) -> None:
        bases = Bases[int](1_000)
        for number in range(5):
            bases.remember(number, Base(number, dictionary(bytes(400)), 400))
        self.assertEqual([n for n in range(5) if bases.get(n)], [3, 4])
        self.assertIsNone(bases.read(9, 9, b"no frame"))
        bases.forget()
        self.assertIsNone(bases.get(4))

    def test_what_was_packed_before_bare_frames_came_is_read(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        migrate(folder)
        at, due = 1_796_119_200_500_000, 1_796_119_200
        with closing(connect(folder, "history")) as history:
            facts = plain.write_json(FACTS)
            record = msgspec.msgpack.encode([[], facts])
            row = StepRow(0, 0, "steps", 0, 1, "k", "passed", 200, 7, at, record, {})
            with write(history):
                seen.WatchPacker().put(history, (1, due, 0), 0, seen.GOOD, [("c", "C")], [row])
            [now] = seen.attempts(history, 1, due, 0)
            packed, base = history.execute(
                "SELECT e.packed, b.packed FROM watch_evidence e JOIN watch_base b"
            ).fetchone()
            first = zstandard.ZstdDecompressor().decompress(base)
            cases, [kept] = msgspec.msgpack.decode(unpacked(packed, first))
            kept[-1] = at
            like = msgspec.msgpack.encode([cases, [kept]])
            older = against(Base(1, dictionary(first), 1), like)
            with write(history):
                history.execute("UPDATE watch_evidence SET packed = ?", (older,))
            self.assertEqual(seen.attempts(history, 1, due, 0), [now])
            self.assertEqual(now.steps[0].head.at, at)


if __name__ == "__main__":
    unittest.main()
