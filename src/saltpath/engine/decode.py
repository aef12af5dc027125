"""Content encodings taken off, with a limit on what comes out, so that a small bomb cannot fill the
memory."""

from __future__ import annotations

import zlib
from collections.abc import Iterator

from saltpath.core.values import plain
from saltpath.core.values.measures import show_size
from saltpath.core.values.why import Blocked, why

_STEP = 65536
_MOST_MEMBERS = 1000
_MOST_ENCODINGS = 5
_SKIPPABLE = 0x184D2A50
_LONGEST_FRAME_HEAD = 18


def decode(body: bytes, encodings: str, limit: int) -> bytes:
    """The body without its content encodings (RFC 9110, 8.4): gzip, deflate, br (RFC 7932) and zstd
    (RFC 8878).

    Raises Blocked: too large, not what it says, unknown."""
    names = [
        name.strip().lower() for name in encodings.split(",", _MOST_ENCODINGS + 1) if name.strip()
    ]
    if len(names) > _MOST_ENCODINGS:
        raise Blocked(why("unknown-encoding", encoding=plain.cut(encodings, 60)))
    for encoding in reversed(names):
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
    except (zlib.error, EOFError) as problem:
        raise Blocked(why("bad-encoding", encoding=encoding, problem=str(problem))) from None
    return b"".join(out)


def _inflate(body: bytes, bits: int, several: bool = False) -> Iterator[bytes]:
    """One stream of zlib's, or several behind each other. It is fed by the piece, so that no rest
    is copied again and again."""
    view, at, members = memoryview(body), 0, 0
    while at < len(view):
        members += 1
        if members > _MOST_MEMBERS:
            raise EOFError(f"it has more than {_MOST_MEMBERS} members")
        decoder = zlib.decompressobj(wbits=bits)
        while not decoder.eof:
            piece = decoder.unconsumed_tail or view[at : at + _STEP]
            if not piece:
                yield decoder.flush(_STEP)
                if not decoder.eof:
                    raise EOFError("it ends too early")
                break
            if not decoder.unconsumed_tail:
                at += len(piece)
            yield decoder.decompress(piece, _STEP)
        at -= len(decoder.unused_data)
        if not several:
            return
        while (padding := bytes(view[at : at + _STEP])) and not padding.strip(b"\x00"):
            at += len(padding)
        at += len(padding) - len(padding.lstrip(b"\x00"))


def _gzip(body: bytes) -> Iterator[bytes]:
    """All members of a gzip stream (RFC 1952), of which a hostile one could have a million."""
    return _inflate(body, 31, several=True)


def _deflate(body: bytes) -> Iterator[bytes]:
    """zlib's format, as RFC 9110 says; or the bare one that some servers send."""
    wrapped = len(body) > 1 and body[0] & 0x0F == 8 and (body[0] * 256 + body[1]) % 31 == 0
    return _inflate(body, 15 if wrapped else -15)


def _brotli(body: bytes) -> Iterator[bytes]:
    import brotli  # as zstandard, imported when an answer has need of it

    decoder = brotli.Decompressor()
    try:
        yield decoder.process(body, output_buffer_limit=_STEP)
        while not decoder.is_finished():
            piece = decoder.process(b"", output_buffer_limit=_STEP)
            if not piece and decoder.can_accept_more_data():
                raise EOFError("it ends too early")
            yield piece
    except brotli.error as problem:
        raise EOFError(str(problem)) from None


def _zstd(body: bytes) -> Iterator[bytes]:
    """All frames, with a window of 128 MB at most."""
    import zstandard

    context = zstandard.ZstdDecompressor(max_window_size=2**27)
    try:
        with context.stream_reader(body, read_across_frames=True) as reader:
            while piece := reader.read(_STEP):
                yield piece
        if not _is_whole(body):
            raise EOFError("it ends too early")
    except zstandard.ZstdError as problem:
        raise EOFError(str(problem)) from None


def _is_whole(body: bytes) -> bool:
    """Whether every frame of a zstd stream has its end (RFC 8878, 3.1); the reader is silent about
    a cut one. Only the lengths of its blocks are looked at."""
    import zstandard

    at, blocks, most = 0, 0, _MOST_MEMBERS + len(body) // 256
    while at < len(body):
        magic = int.from_bytes(body[at : at + 4], "little")
        if magic & 0xFFFFFFF0 == _SKIPPABLE:
            at += 8 + int.from_bytes(body[at + 4 : at + 8], "little")
            blocks += 1
        else:
            frame = zstandard.get_frame_parameters(body[at : at + _LONGEST_FRAME_HEAD])
            at += zstandard.frame_header_size(body[at : at + _LONGEST_FRAME_HEAD])
            last = False
            while not last and at + 3 <= len(body) and blocks <= most:
                head = int.from_bytes(body[at : at + 3], "little")
                last, kind, size = bool(head & 1), head >> 1 & 3, head >> 3
                at += 3 + (1 if kind == 1 else size)  # a run of one octet stands as that octet
                blocks += 1
            if not last:
                return False
            at += 4 if frame.has_checksum else 0
        if blocks > most:
            raise EOFError("it is cut into more pieces than any writer makes")
    return at == len(body)


_DECODERS = {
    "gzip": _gzip,
    "x-gzip": _gzip,
    "deflate": _deflate,
    "br": _brotli,
    "zstd": _zstd,
}
