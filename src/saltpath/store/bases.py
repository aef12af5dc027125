"""Records that resemble one that came before are packed against it (its base), as a dictionary of
zstd. The last bytes of bases are kept in memory; others are read again."""

from __future__ import annotations

from typing import Generic, TypeVar

import zstandard
from msgspec import Struct

LEVEL = 3
WORTH = 2
"""A base stands as long as what is packed against it is so many times smaller than itself."""
_MAGIC = zstandard.FRAME_HEADER
Key = TypeVar("Key")


class Base(Struct):
    """What records are packed against."""

    id: int
    dictionary: zstandard.ZstdCompressionDict
    size: int
    """Bytes of it, packed by itself."""
    last: int = 0
    """The newest that uses it, by a number that grows."""

    def fits(self, packed: bytes) -> bool:
        return len(packed) * WORTH <= self.size


class Bases(Generic[Key]):
    """Those in memory, by whose they are; at most so many bytes."""

    def __init__(self, most: int) -> None:
        self._most, self._held = most, 0
        self._bases: dict[Key, Base] = {}
        self._plain = zstandard.ZstdCompressor(level=LEVEL)

    def get(self, key: Key) -> Base | None:
        return self._bases.get(key)

    def alone(self, record: bytes) -> bytes:
        """Packed by itself."""
        return self._plain.compress(record)

    def read(self, key: Key, id: int, packed: bytes, last: int = 0) -> Base | None:
        """Remember one that was stored; None for a damaged one: what comes now is packed anew."""
        try:
            record = zstandard.ZstdDecompressor().decompress(packed)
        except zstandard.ZstdError:
            return None
        return self.remember(key, Base(id, dictionary(record), len(packed), last))

    def remember(self, key: Key, base: Base) -> Base:
        before = self._bases.pop(key, None)
        self._held += len(base.dictionary) - (len(before.dictionary) if before else 0)
        self._bases[key] = base
        while self._held > self._most and len(self._bases) > 1:
            oldest = next(iter(self._bases))
            self._held -= len(self._bases.pop(oldest).dictionary)
        return base

    def forget(self) -> None:
        """After a rollback, or when bases were taken away: they may name rows that are not
        there."""
        self._bases.clear()
        self._held = 0


def dictionary(record: bytes) -> zstandard.ZstdCompressionDict:
    return zstandard.ZstdCompressionDict(record, dict_type=zstandard.DICT_TYPE_RAWCONTENT)


def against(base: Base, record: bytes) -> bytes:
    """A record packed against its base. A compressor is made for each use, which takes no longer
    than to use one that is kept; kept, each takes up to 4 MB."""
    packer = zstandard.ZstdCompressor(
        level=LEVEL, dict_data=base.dictionary, write_content_size=True
    )
    return packer.compress(record)


def bare_against(base: Base, record: bytes) -> bytes:
    """The same without the frame's magic number and size: 5 bytes of the 60 that small records
    take."""
    parameters = zstandard.ZstdCompressionParameters.from_level(
        LEVEL,
        source_size=len(record),
        dict_size=len(base.dictionary),
        format=zstandard.FORMAT_ZSTD1_MAGICLESS,
        write_content_size=False,
    )
    packer = zstandard.ZstdCompressor(compression_params=parameters, dict_data=base.dictionary)
    return packer.compress(record)


def unpacked(packed: bytes, base: bytes) -> bytes:
    """What was packed against a record, in either way. No bare frame begins like the magic number,
    in which a reserved bit is set. Raises ZstdError."""
    bare = not packed.startswith(_MAGIC)
    form = zstandard.FORMAT_ZSTD1_MAGICLESS if bare else zstandard.FORMAT_ZSTD1
    reader = zstandard.ZstdDecompressor(dict_data=dictionary(base), format=form)
    return reader.decompressobj().decompress(packed) if bare else reader.decompress(packed)
