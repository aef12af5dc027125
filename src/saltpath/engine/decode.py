"""Content encodings taken off, with a limit on what comes out, so that a small bomb cannot fill the memory."""

from __future__ import annotations

import zlib
from collections.abc import Iterator

import brotli
import zstandard

from saltpath.core.measures import show_size
from saltpath.core.why import Blocked, why

_STEP = 65536
_MOST_MEMBERS = 1000


def decode(body: bytes, encodings: str, limit: int) -> bytes:
    """The body without its content encodings (RFC 9110, 8.4): gzip, deflate, br (RFC 7932) and zstd (RFC 8878).

    Raises Blocked: too large, not what it says, unknown."""
    for encoding in reversed([name.strip().lower() for name in encodings.split(",") if name.strip()]):
        if encoding == "identity" or not body:
            continue
        decoder = _DECODERS.get(encoding)
        if decoder is None:
            raise Blocked(why("unknown-encoding", encoding=encoding))
        body = _collect(decoder(body), encoding, limit)
    return body


def _collect(pieces: Iterator[bytes], encoding: str, limit: int) -> bytes:
    out: list[bytes] = []
    size = 0
    try:
        for piece in pieces:
            size += len(piece)
            if size > limit:
                raise Blocked(why("too-large", limit=show_size(limit)))
            out.append(piece)
    except (zlib.error, EOFError, brotli.error, zstandard.ZstdError) as problem:
        raise Blocked(why("bad-encoding", encoding=encoding, problem=str(problem))) from None
    return b"".join(out)


def _pump(decoder: zlib._Decompress, data: bytes) -> Iterator[bytes]:
    yield decoder.decompress(data, _STEP)
    while decoder.unconsumed_tail and not decoder.eof:
        yield decoder.decompress(decoder.unconsumed_tail, _STEP)
    if not decoder.eof:
        yield decoder.flush(_STEP)
    if not decoder.eof:
        raise EOFError("it ends too early")


def _gzip(body: bytes) -> Iterator[bytes]:
    """All members of a gzip stream (RFC 1952), of which a hostile one could have a million."""
    members = 0
    while body:
        members += 1
        if members > _MOST_MEMBERS:
            raise EOFError(f"it has more than {_MOST_MEMBERS} members")
        decoder = zlib.decompressobj(wbits=31)
        yield from _pump(decoder, body)
        body = decoder.unused_data.lstrip(b"\x00")


def _deflate(body: bytes) -> Iterator[bytes]:
    """zlib's format, as RFC 9110 says; or the bare one that some servers send."""
    wrapped = len(body) > 1 and body[0] & 0x0F == 8 and (body[0] * 256 + body[1]) % 31 == 0
    yield from _pump(zlib.decompressobj(wbits=15 if wrapped else -15), body)


def _brotli(body: bytes) -> Iterator[bytes]:
    decoder = brotli.Decompressor()
    yield decoder.process(body, output_buffer_limit=_STEP)
    while not decoder.is_finished():
        piece = decoder.process(b"", output_buffer_limit=_STEP)
        if not piece and decoder.can_accept_more_data():
            raise EOFError("it ends too early")
        yield piece


def _zstd(body: bytes) -> Iterator[bytes]:
    """All frames, with a window of 128 MB at most."""
    context = zstandard.ZstdDecompressor(max_window_size=2**27)
    with context.stream_reader(body, read_across_frames=True) as reader:
        while piece := reader.read(_STEP):
            yield piece
    if not _is_whole(body):
        raise EOFError("it ends too early")


def _is_whole(body: bytes) -> bool:
    """Whether every frame of a zstd stream has its end; the reader is silent about a cut one."""
    while body:
        decoder = zstandard.ZstdDecompressor(max_window_size=2**27).decompressobj()
        decoder.decompress(body)
        if not decoder.eof:
            return False
        body = decoder.unused_data
    return True


_DECODERS = {
    "gzip": _gzip,
    "x-gzip": _gzip,
    "deflate": _deflate,
    "br": _brotli,
    "zstd": _zstd,
}
