"""Which one-byte encoding a text is in, by the letters that it would have in each: usual ones of a
language, lower case within words, one script in a word, and in Latin words few letters with
marks."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

_WEST = "éäüöèàóáíêåøçãæñúßôâîëïùûìòõœÿ"
_CENTRAL = "áéíóęąłśřščžýěżöüőćńúůűäšťňďźţşăâîôľđĺŕ"
_TURKISH = "ıüşçöğâî"
_CYRILLIC = "оеаинтсрвлкмдпуяыьгзбчйхжшюцщэфъёіїєґ"
_GREEK = "αοιετσνηυρπκμλςωάέόίύήώχγθδβφξζψϊϋΐΰ"
_CANDIDATES = (
    ("cp1252", _WEST),
    ("latin-1", _WEST),
    ("cp1250", _CENTRAL),
    ("iso8859-2", _CENTRAL),
    ("cp1254", _TURKISH),
    ("cp1251", _CYRILLIC),
    ("koi8-r", _CYRILLIC),
    ("iso8859-5", _CYRILLIC),
    ("cp1253", _GREEK),
    ("iso8859-7", _GREEK),
)
"""Encodings with the letters, beyond ASCII, of the languages that are written in them, the most
usual first; of two that fit equally the first."""
_LATIN = (_WEST, _CENTRAL, _TURKISH)
_SURE_LETTERS, _SURE_BY = 3, 0.25
_MOST = 20_000


class Guess(NamedTuple):
    """`sure`: enough letters speak for it, and for no other one nearly as well."""

    encoding: str
    sure: bool


def guessed(octets: bytes) -> Guess:
    """The encoding of octets that are not UTF-8; where nothing speaks for one, Windows-1252."""
    words = _words(octets)
    found = [(_score(words, name, letters), name, letters) for name, letters in _CANDIDATES]
    best = max(found, key=lambda one: one[0])
    west = found[0] if found[0][0] > float("-inf") else found[1]
    # Others that have the same letters at these places are no doubt about them.
    read = [word.decode(best[1], "replace") for word in words]
    others = [one for one in found if [word.decode(one[1], "replace") for word in words] != read]
    count = sum(octet > 127 for word in words for octet in word)
    margin = best[0] - max((one[0] for one in others), default=-10.0 * count)
    sure = count >= _SURE_LETTERS and margin > _SURE_BY * count
    return Guess(best[1] if sure or best[2] not in _LATIN else west[1], sure)


def _words(octets: bytes) -> list[bytes]:
    """Pieces with octets beyond ASCII, each with the ASCII letters around them."""
    found: list[bytes] = []
    piece = bytearray()
    size = 0
    for octet in octets:
        if octet > 127 or chr(octet).isalpha():
            piece.append(octet)
            continue
        if piece and max(piece) > 127:
            found.append(bytes(piece))
            size += len(piece)
            if size > _MOST:
                break
        piece.clear()
    if piece and max(piece) > 127:
        found.append(bytes(piece))
    return found


def _score(words: Iterable[bytes], encoding: str, letters: str) -> float:
    total = 0.0
    usual = set(letters)
    for word in words:
        try:
            text = word.decode(encoding)
        except UnicodeDecodeError:
            return float("-inf")
        marked = [char for char in text if ord(char) > 127]
        for at, char in enumerate(text):
            if ord(char) > 127:
                total += _of_letter(char, text[at - 1] if at else "", usual, letters)
        if letters in _LATIN and len(text) > 3 and len(marked) * 2 > len(text):
            total -= 2 * len(marked)
        if letters not in _LATIN and len(marked) < len(text):
            total -= len(marked)  # a word of two scripts
    return total


def _of_letter(char: str, before: str, usual: set[str], letters: str) -> float:
    if char.lower() in usual:
        lower = char == char.lower()
        if not lower and before.islower():
            return -1.0
        # the usual ones stand first; a capital tells less
        rank = letters.index(char.lower()) / len(letters)
        return (1.3 - rank) * (1.0 if lower else 0.7)
    if char.isalpha():
        return -1.0
    return -3.0 if ord(char) < 0xA0 else -0.5 if before.isalpha() else 0.0
