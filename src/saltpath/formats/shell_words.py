"""The words of a command line as the common shells split it: POSIX shells, the Windows prompt,
PowerShell."""

from __future__ import annotations

import re

from saltpath.core.values.errors import SaltPathError

_ENDS = re.compile(r"[;|&<>]|\d>")
_SLASHES = re.compile(r"\\*")
_ANSI = {
    "n": "\n",
    "t": "\t",
    "r": "\r",
    "a": "\a",
    "b": "\b",
    "f": "\f",
    "v": "\v",
    "e": "\x1b",
    "E": "\x1b",
}
_ANSI_CODE = re.compile(r"x([0-9A-Fa-f]{1,2})|u([0-9A-Fa-f]{1,4})|U([0-9A-Fa-f]{1,8})|([0-7]{1,3})")


class Unclosed(SaltPathError, ValueError):
    """A quote is opened and never closed."""

    code = "unclosed"


def words_of(line: str) -> list[str]:
    """The words of one command, without what follows it (a pipe, a redirection, another command).
    Raises Unclosed."""
    line = line.replace("\r\n", "\n")
    if re.search(r"\^\n|\^[\"&|<>%^]", line):
        return _prompt(line)
    return _split(line, escape="`" if "`\n" in line else "\\")


def _split(line: str, escape: str) -> list[str]:
    """POSIX: nothing is special in '...', the backslash escapes in "..." and outside, $'...' has
    C's escapes. With a backtick as the escape it is PowerShell: a doubled quote stands for
    itself."""
    words: list[str] = []
    word: list[str] | None = None
    at = 0
    while at < len(line):
        char = line[at]
        if char in " \t\n":
            at += 1
            if char == "\n" and word is None and words:
                break  # another command
            if word is not None:
                words.append("".join(word))
                word = None
            if char == "\n":
                break
            continue
        if word is None and _end(line, at):
            return words
        if line.startswith(escape + "\n", at):
            at += 2  # the line goes on
            continue
        word = [] if word is None else word
        if line.startswith("$'", at) and escape == "\\":
            text, at = _ansi(line, at + 2)
            word.append(text)
        elif char == "'":
            text, at = _single(line, at + 1, doubled=escape == "`")
            word.append(text)
        elif char == '"':
            text, at = _double(line, at + 1, escape)
            word.append(text)
        elif char == escape and at + 1 < len(line):
            word.append(line[at + 1])
            at += 2
        elif char in ";|&<>" and not _in_address(line, at, word):
            words.append("".join(word))
            return words
        else:
            word.append(char)
            at += 1
    if word is not None:
        words.append("".join(word))
    return words


def _end(line: str, at: int) -> bool:
    """Whether the command ends here: a pipe, another command, a redirection."""
    return _ENDS.match(line, at) is not None


def _in_address(line: str, at: int, word: list[str]) -> bool:
    """Whether an & stands in an address that somebody forgot to quote: a shell would cut it there,
    and nobody means that."""
    following = line[at + 1 : at + 2]
    return line[at] == "&" and "?" in word and following.strip() != "" and following not in "&|;<>"


def _single(line: str, at: int, doubled: bool) -> tuple[str, int]:
    out: list[str] = []
    while True:
        end = line.find("'", at)
        if end < 0:
            raise Unclosed("a quote ' is opened and never closed")
        out.append(line[at:end])
        if doubled and line.startswith("''", end):
            out.append("'")
            at = end + 2
            continue
        return "".join(out), end + 1


def _double(line: str, at: int, escape: str) -> tuple[str, int]:
    out: list[str] = []
    while at < len(line):
        char = line[at]
        if char == '"':
            if escape == "`" and line.startswith('""', at):
                out.append('"')
                at += 2
                continue
            return "".join(out), at + 1
        if char == escape and at + 1 < len(line):
            following = line[at + 1]
            kept = escape == "\\" and following not in '"\\$`\n'
            out.append(escape + following if kept else following.replace("\n", ""))
            at += 2
            continue
        if char == "\\" and escape == "`" and line.startswith('\\"', at):
            out.append('"')  # as programs that PowerShell starts read it
            at += 2
            continue
        out.append(char)
        at += 1
    raise Unclosed('a quote " is opened and never closed')


def _ansi(line: str, at: int) -> tuple[str, int]:
    out: list[str] = []
    octets = bytearray()

    def flush() -> None:
        out.append(octets.decode("utf-8", "replace"))
        octets.clear()

    while at < len(line):
        char = line[at]
        if char == "'":
            flush()
            return "".join(out), at + 1
        if char != "\\" or at + 1 >= len(line):
            octets += char.encode()
            at += 1
            continue
        code = _ANSI_CODE.match(line, at + 1)
        if code and (code[1] or code[4]):
            octets.append(int(code[1] or code[4], 16 if code[1] else 8) & 255)
            at = code.end()
        elif code:
            number = int(code[2] or code[3], 16)
            octets += chr(
                number if number < 0x110000 and not 0xD800 <= number < 0xE000 else 0xFFFD
            ).encode()
            at = code.end()
        else:
            octets += _ANSI.get(line[at + 1], line[at + 1]).encode()
            at += 2
    raise Unclosed("a quote $' is opened and never closed")


def _prompt(line: str) -> list[str]:
    """The Windows prompt: a caret escapes what follows it, also a line's end; then the program's
    own rules: in "..." a backslash escapes a quote, and a doubled quote stands for itself."""
    line = re.sub(r"\^\n\s*", " ", line)
    line = re.sub(r"\^(.)", r"\1", line, flags=re.DOTALL)
    words: list[str] = []
    word: list[str] | None = None
    quoted = False
    at = 0
    while at < len(line):
        char = line[at]
        if char in " \t\n" and not quoted:
            if word is not None:
                words.append("".join(word))
                word = None
            at += 1
            continue
        if word is None and not quoted and _end(line, at):
            return words
        word = [] if word is None else word
        slashes = _SLASHES.match(line, at).end() - at  # type: ignore[union-attr]
        if slashes and line.startswith('"', at + slashes):
            word.append("\\" * (slashes // 2))
            at += slashes
            if slashes % 2:
                word.append('"')
                at += 1
            continue
        if slashes:
            word.append(line[at : at + slashes])
            at += slashes
            continue
        if char == '"':
            if quoted and line.startswith('""', at):
                word.append('"')
                at += 2
                continue
            quoted = not quoted
            at += 1
            continue
        word.append(char)
        at += 1
    if quoted:
        raise Unclosed('a quote " is opened and never closed')
    if word is not None:
        words.append("".join(word))
    return words
