"""Which rows are meant: `1 to 20, 45`, `every 10th`, `sample 50`, `where length above 90`. What is
picked keeps its number."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from heapq import nsmallest
from typing import Any

from msgspec import Struct

from saltpath.core.answers.answer import Answer
from saltpath.core.cases.expectations import Expectation
from saltpath.core.cases.row_sources import Row
from saltpath.core.checks.judge import judge
from saltpath.core.checks.typed import read_sentence
from saltpath.core.format.check_reader import expectations_of
from saltpath.core.references.scopes import Scopes
from saltpath.core.references.templates import written_name
from saltpath.core.values import plain
from saltpath.core.values.draw import Draw
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.why import Blocked

_RANGE = re.compile(r"(\d{1,9})(?:\s*(?:to|-|–)\s*(\d{1,9}))?")
_FROM = re.compile(r"from (\d{1,9})")
_EVERY = re.compile(r"every (\d{1,9})(?:st|nd|rd|th)?")
_SAMPLE = re.compile(r"(?:a )?sample(?: of)? (\d{1,9})|(\d{1,9}) drawn")
_COLUMN = re.compile(r"'(?:[^']|'')+'|[^\W\d_][\w-]*")

Rows = Callable[[], Iterator[Row]]


class Picks(Struct, frozen=True):
    """Which rows are meant: those in one of the `ranges` (first and last number, None: to the end),
    every so manieth of them, those for which the checks of `where` hold, and of what is left so
    many as a sample."""

    ranges: tuple[tuple[int, int | None], ...] = ()
    every: int = 1
    sample: int | None = None
    where: tuple[Expectation, ...] = ()

    @property
    def all(self) -> bool:
        return not self.ranges and self.every == 1 and self.sample is None and not self.where

    def rows(self, read: Rows, scopes: Scopes) -> Iterator[Row]:
        """The rows that are meant. A sample reads the source twice. Raises Blocked where a
        condition cannot be judged at all."""
        if self.sample is None:
            yield from self._in_order(read, scopes)
            return
        seed = scopes.seeded[:2]
        numbers = (row.number for row in self._in_order(read, scopes))
        chosen = {
            number
            for _, number in nsmallest(
                self.sample, ((Draw(*seed, "sample", n).octets(8), n) for n in numbers)
            )
        }
        last = max(chosen, default=0)
        for row in read():
            if row.number in chosen:
                yield row
            if row.number >= last:
                return

    def _in_order(self, read: Rows, scopes: Scopes) -> Iterator[Row]:
        ranges, at, counted = sorted(self.ranges, key=lambda pair: pair[0]), 0, 0
        for row in read():
            while at < len(ranges) and (ranges[at][1] or row.number) < row.number:
                at += 1
            if ranges and at == len(ranges):
                return
            if ranges and row.number < ranges[at][0]:
                continue
            counted += 1
            if (counted - 1) % self.every:
                continue
            if self.where and not self._holds(row, scopes):
                continue
            yield row

    def _holds(self, row: Row, scopes: Scopes) -> bool:
        seeing = scopes.for_row(
            row.number, {name: _as_number(value) for name, value in row.values.items()}
        )
        answer = Answer(0, b"", b"", 0)
        try:
            return all(judge(item, answer, seeing).verdict == "passed" for item in self.where)
        except Blocked:
            return False


def _as_number(cell: Any) -> Any:
    """A text that is a number as one: in a condition nobody cares how the file wrote it."""
    number = plain.number_in(cell) if isinstance(cell, str) else None
    return cell if number is None else number


def picks_of(numbers: Iterable[int]) -> str:
    """Rows by their numbers, which are in order, as `read_picks` reads them: `3 to 5, 9`."""
    parts: list[list[int]] = []
    for number in numbers:
        if parts and parts[-1][1] == number - 1:
            parts[-1][1] = number
        else:
            parts.append([number, number])
    return ", ".join(str(first) if first == last else f"{first} to {last}" for first, last in parts)


NO_PICKS = Picks()


def read_picks(text: str) -> Picks:
    """Read what is meant. Parts are divided by commas; a condition comes last, after `where`.
    Raises Unreadable."""
    head, _, condition = _split(text)
    ranges: list[tuple[int, int | None]] = []
    every, sample = 1, None
    for part in filter(None, (piece.strip() for piece in head.split(","))):
        if found := _RANGE.fullmatch(part):
            first, last = int(found[1]), int(found[2] or found[1])
            if not 1 <= first <= last:
                raise Unreadable(
                    f"rows count from 1, and the first comes before the last; found {part!r}"
                )
            ranges.append((first, last))
        elif found := _FROM.fullmatch(part):
            ranges.append((max(int(found[1]), 1), None))
        elif (found := _EVERY.fullmatch(part)) and int(found[1]):
            every = int(found[1])
        elif found := _SAMPLE.fullmatch(part):
            sample = int(found[1] or found[2])
        elif part != "all":
            raise Unreadable(
                f"{part!r} does not say which rows; expected such as 1 to 20, from 100, every "
                "10th, sample 50, where length above 90"
            )
    return Picks(tuple(ranges), every, sample, _condition(condition) if condition else ())


def _split(text: str) -> tuple[str, str, str]:
    found = re.search(r"(?:^|[\s,])where\s", text)
    return (text[: found.start()], "where", text[found.end() :]) if found else (text, "", "")


def _condition(text: str) -> tuple[Expectation, ...]:
    """`length above 90 and port is Kvist`: checks of columns."""
    documents: list[Any] = []
    for part in re.split(r"\sand\s", text):
        found = _COLUMN.match(part.strip())
        if found is None:
            raise Unreadable(
                f"a condition begins with a column, such as length above 90; found {part.strip()!r}"
            )
        name = found[0][1:-1].replace("''", "'") if found[0].startswith("'") else found[0]
        rest = part.strip()[found.end() :]
        documents.append(read_sentence(f"value row.{written_name(name)}{rest}"))
    return expectations_of(documents)
