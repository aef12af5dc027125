"""Which encoding a text file is in: by its byte order mark, by where zeros stand, by whether it is
UTF-8."""

from __future__ import annotations

import codecs
from typing import BinaryIO

from saltpath.core.values.charsets import codec_of, no_encoding
from saltpath.core.values.grammar import Unreadable
from saltpath.formats.rows.letters import Guess, guessed

_MARKS = (
    (codecs.BOM_UTF8, "utf-8-sig"),
    (codecs.BOM_UTF32_LE, "utf-32"),
    (codecs.BOM_UTF32_BE, "utf-32"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)
_CHUNK = 1 << 20


def found_encoding(file: BinaryIO) -> Guess:
    """A name that Python knows, and whether it is sure; the file is at its beginning again. Some
    letters that are wrong do not make a text that is UTF-8 elsewhere another one. Raises Unreadable
    for what is no text."""
    begin = file.read(_CHUNK)
    file.seek(0)
    for mark, name in _MARKS:
        if begin.startswith(mark):
            return Guess(name, True)
    if b"\x00" in begin:
        return Guess(_without_mark(begin), True)
    decoder = codecs.getincrementaldecoder("utf-8")()
    piece = b""
    try:
        while chunk := file.read(_CHUNK):
            piece = chunk
            decoder.decode(chunk)
        decoder.decode(b"", final=True)
        return Guess("utf-8", True)
    except UnicodeDecodeError:
        # the chunk that is none may be the first
        octets = begin if piece == begin else begin + piece
        text = octets.decode("utf-8", "surrogateescape")
        wrong = sum("\udc80" <= char <= "\udcff" for char in text)
        right = sum(char > "\x7f" for char in text) - wrong
        return Guess("utf-8", True) if right > wrong else guessed(octets)
    finally:
        file.seek(0)


def _without_mark(begin: bytes) -> str:
    """UTF-16 without a mark: of letters of the West every second octet is zero."""
    for place, name in ((1, "utf-16-le"), (0, "utf-16-be")):
        zeros = [begin[at::2].count(0) / max(len(begin[at::2]), 1) for at in (place, 1 - place)]
        if zeros[0] > 0.4 > 0.1 > zeros[1]:
            text = begin[: len(begin) // 2 * 2].decode(name, "replace")
            if all(char.isprintable() or char in "\r\n\t" for char in text[:1000]):
                return name
    raise Unreadable("this is neither a workbook (.xlsx) nor a text of cells (CSV)")


_SHOWN = {
    "cp1252": "Windows-1252",
    "cp1250": "Windows-1250",
    "cp1251": "Windows-1251",
    "cp1253": "Windows-1253",
    "cp1254": "Windows-1254",
    "iso8859-2": "ISO-8859-2",
    "iso8859-5": "ISO-8859-5",
    "iso8859-7": "ISO-8859-7",
    "latin-1": "Latin-1",
    "utf-8-sig": "UTF-8",
    "utf-8": "UTF-8",
}


def shown(encoding: str) -> str:
    """An encoding as people call it."""
    return _SHOWN.get(encoding, encoding.upper())


def known_encoding(name: str) -> str:
    """The encoding by a name that somebody gave. Raises Unreadable."""
    codec = codec_of(name)
    if codec is None:
        raise Unreadable(no_encoding(name))
    return codecs.lookup(codec).name
