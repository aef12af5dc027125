"""Testers' patterns (Python's syntax, by the `regex` package), each search with a limit.

What is found within a glance is found at once; a caller that must not wait has the rest found
elsewhere (offloading.py).
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from msgspec import Struct

from saltpath.core.paths import offloading
from saltpath.core.values.errors import SaltPathError
from saltpath.core.values.why import Blocked, why

LONGEST = 20_000


class PatternError(SaltPathError, ValueError):
    """A pattern that is none, or what stands for its matches: the package's own words, with the
    position."""

    code = "no-pattern"


@lru_cache(maxsize=1024)
def compile_pattern(pattern: str) -> Any:
    """Raises PatternError, also for one that is nested too deeply or too long to be a person's."""
    if len(pattern) > LONGEST:
        raise PatternError(f"it is longer than {LONGEST} letters")
    import regex  # a twentieth of the time that a command takes, and few have patterns

    try:
        return regex.compile(pattern, cache_pattern=False)
    except regex.error as problem:
        raise PatternError(str(problem)) from None
    except (RecursionError, MemoryError, OverflowError):
        raise PatternError("it is nested too deeply") from None


def escaped(text: str) -> str:
    """A text as a pattern that matches just it."""
    import regex

    return str(regex.escape(text))


class Search(Struct, frozen=True):
    """Whether a pattern matches anywhere in a text."""

    pattern: str
    text: str

    def answer(self, limit_s: float = offloading.LIMIT_S) -> bool:
        try:
            found = compile_pattern(self.pattern).search(
                self.text, timeout=limit_s, concurrent=len(self.text) > 1000
            )
        except TimeoutError:
            raise offloading.TooSlow from None
        return found is not None


class FindAll(Struct, frozen=True):
    """Where a pattern matches: (begin, its first group or the whole match) for each, at most
    10,000."""

    pattern: str
    text: str
    most: int = 10_000

    def answer(self, limit_s: float = offloading.LIMIT_S) -> list[tuple[int, str]]:
        compiled = compile_pattern(self.pattern)
        found: list[tuple[int, str]] = []
        try:
            for match in compiled.finditer(self.text, timeout=limit_s, concurrent=True):
                found.append(
                    (
                        match.start(),
                        match[1] if compiled.groups and match[1] is not None else match[0],
                    )
                )
                if len(found) >= self.most:
                    break
        except TimeoutError:
            raise offloading.TooSlow from None
        return found


class Replace(Struct, frozen=True):
    """Every match of a pattern replaced by `new`, in the pattern's own notation for groups."""

    pattern: str
    new: str
    text: str

    def answer(self, limit_s: float = offloading.LIMIT_S) -> str:
        compiled = compile_pattern(self.pattern)
        import regex

        try:
            return str(compiled.sub(self.new, self.text, timeout=limit_s, concurrent=True))
        except TimeoutError:
            raise offloading.TooSlow from None
        except regex.error as problem:
            raise PatternError(str(problem)) from None


def tried(question: Search | FindAll | Replace) -> Any:
    """The question's answer, as the caller can have it: at a glance, or as `slow` has it. Raises
    offloading.TooSlow, PatternError."""
    if not offloading.is_deferred():
        return question.answer()
    try:
        return question.answer(offloading.GLANCE_S)
    except offloading.TooSlow:
        return offloading.ask(question)


def asked(question: Search | FindAll) -> Any:
    """The same, with its faults as reasons. Raises Blocked: no pattern, or still searching at its
    limit."""
    try:
        return tried(question)
    except PatternError as problem:
        raise Blocked(
            why("pattern-unreadable", pattern=question.pattern, problem=str(problem))
        ) from None
    except offloading.TooSlow:
        raise Blocked(
            why("pattern-timeout", pattern=question.pattern, ms=int(offloading.LIMIT_S * 1000))
        ) from None
