"""An asyncio loop that waits inside libcurl.

Registering a reader per transfer costs more than the transfers; so the loop's selector drives
libcurl itself: it performs, collects what finished, and waits in `multi.select`. While transfers
run, other file descriptors are looked at at least every 10 ms; with none, the ordinary selector
waits.
"""

from __future__ import annotations

import asyncio
import gc
import selectors
from collections.abc import Callable, Coroutine, Generator
from contextvars import copy_context
from itertools import repeat
from typing import Any, Protocol

import pycurl

from saltpath.core.paths.offloading import deferred

LONGEST_WAIT_S = 0.010


def _nobody(problem: BaseException | None) -> None:
    """Nobody awaits it yet."""


class Transfer:
    """What a strand awaits: one transfer by libcurl. Whoever sees its end calls `resume`: with
    None, or with what is to be raised where it is awaited."""

    __slots__ = ("resume",)

    def __init__(self) -> None:
        self.resume: Callable[[BaseException | None], None] = _nobody

    def __await__(self) -> Generator[Transfer, None, None]:
        # yields itself once, at a third of a generator's cost
        return repeat(self, 1)  # type: ignore[return-value]


class Strand:
    """A coroutine that goes on the moment its transfer has ended, without the detour over the
    loop's queue, which costs as much as a fifth of an exchange. It may await transfers and
    asyncio's futures and tasks; it is not a task itself. `done` is a future with its result."""

    __slots__ = ("_coroutine", "_loop", "_run", "done")

    def __init__(self, coroutine: Coroutine[Any, Any, Any]) -> None:
        self._coroutine = coroutine
        self._run = copy_context().run  # what is set in a strand is set there alone
        self._loop = asyncio.get_running_loop()
        self.done: asyncio.Future[Any] = self._loop.create_future()
        self._loop.call_soon(self._resume)

    def _resume(self, problem: BaseException | None = None) -> None:
        try:
            step: Callable[[Any], Any] = (
                self._coroutine.send if problem is None else self._coroutine.throw
            )
            awaited = self._run(step, problem)
        except StopIteration as end:
            self.done.set_result(end.value)
        except BaseException as problem:
            self.done.set_exception(problem)
        else:
            if isinstance(awaited, Transfer):
                awaited.resume = self._resume
            elif awaited is None:  # asyncio.sleep(0)
                self._loop.call_soon(self._resume)
            else:
                awaited._asyncio_future_blocking = False
                awaited.add_done_callback(self._after_future)

    def _after_future(self, _future: asyncio.Future[Any]) -> None:
        self._resume()


class Transfers(Protocol):
    """Who drives a libcurl multi handle in the loop."""

    multi: Any
    under_way: dict[Any, Any]
    """By handle."""
    on_done: Callable[[Any, tuple[int, str] | None], None]
    """Called for each that has finished."""


class CurlSelector(selectors.DefaultSelector):
    """A selector that also drives one libcurl multi handle. `on_done(handle, error)` is called per
    finished one."""

    def __init__(self) -> None:
        super().__init__()
        self.multi = pycurl.CurlMulti()
        self.under_way: dict[Any, Any] = {}  # by handle; while there are any, libcurl is driven
        self.on_done: Callable[[Any, tuple[int, str] | None], None] = lambda handle, error: None

    def select(self, timeout: float | None = None) -> Any:
        if not self.under_way:
            return super().select(timeout)
        if not self._advance() and (timeout is None or timeout > 0):
            self.multi.select(LONGEST_WAIT_S if timeout is None else min(timeout, LONGEST_WAIT_S))
            self._advance()
        return super().select(0)

    def _advance(self) -> bool:
        """Let libcurl work; True if a transfer finished."""
        multi, on_done = self.multi, self.on_done
        multi.perform()
        any_done = False
        while True:
            queued, done, failed = multi.info_read()
            for handle in done:
                any_done = True
                on_done(handle, None)
            for handle, code, text in failed:
                any_done = True
                on_done(handle, (code, text))
            if not queued:
                return any_done

    def close(self) -> None:
        self.multi.close()
        super().close()


def new_loop() -> tuple[asyncio.SelectorEventLoop, CurlSelector]:
    selector = CurlSelector()
    return asyncio.SelectorEventLoop(selector), selector


def run_in_loop(main: Callable[[CurlSelector], Any]) -> Any:
    """Run `main(selector)`, a coroutine function, in a loop of its own, and clean up after it."""
    loop, selector = new_loop()
    gc.freeze()
    gc.set_threshold(20_000, 20, 50)  # events are many small tuples that die young
    try:
        with deferred({}):  # what is slow is never worked out in the loop itself
            return loop.run_until_complete(main(selector))
    finally:
        loop.run_until_complete(loop.shutdown_asyncgens())
        loop.close()
