"""Work that a tester's own text can make endless: patterns, paths, XPath, schemas.

Such work is a `Question`. Asked plainly it is answered here and now, within its limit. A caller
that must not wait (the engine's loop, a thread of the web server) asks `deferred`: what is quick is
still answered at once, anything else raises `Slow`; the caller has the question answered elsewhere,
puts the answer into `known`, and asks all again.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any, Protocol

from saltpath.core.paths.time_limit import TimeUp, time_limit
from saltpath.core.values.errors import SaltPathError

LIMIT_S = 0.2
"""The longest that any such work may take, in seconds."""
GLANCE_S = 0.010
"""What is tried at once before a question counts as slow."""


class TooSlow(SaltPathError):
    """The work was not done when its time was up."""

    code = "too-slow"


class Question(Protocol):
    """Something to be worked out: hashable, and simple enough to be sent to another process.
    `answer` does the work and raises TooSlow, or whatever the work raises."""

    def answer(self) -> Any: ...


class Slow(BaseException):
    """A question that takes too long for a caller that must not wait. No Exception, so that nothing
    swallows it."""

    def __init__(self, question: Question) -> None:
        super().__init__()
        self.question = question


_known: ContextVar[Mapping[Question, Any] | None] = ContextVar("known", default=None)


@contextmanager
def deferred(known: Mapping[Question, Any]) -> Iterator[None]:
    """In the block, what `known` does not answer raises Slow. An answer that is an exception is
    raised."""
    token = _known.set(known)
    try:
        yield
    finally:
        _known.reset(token)


def is_deferred() -> bool:
    return _known.get() is not None


def ask(question: Question, glance: bool = False) -> Any:
    """The answer: known, worked out here, or, where the caller must not wait, Slow is raised.
    `glance`: it is pure Python, and so it can first be tried for a moment."""
    known = _known.get()
    if known is None:
        return question.answer()
    if question not in known:
        if glance and threading.current_thread() is threading.main_thread():
            try:
                with time_limit(GLANCE_S):
                    return question.answer()
            except TimeUp:
                pass
        raise Slow(question)
    found = known[question]
    if isinstance(found, BaseException):
        raise found
    return found
