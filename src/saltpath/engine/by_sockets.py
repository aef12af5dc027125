"""Transfers of one run among many in a loop that libcurl does not own: its sockets are watched by
the loop, as it asks for them (libcurl's multi_socket interface).

Each run has a multi handle of its own, so that no connection is shared between runs or projects and
each begins by connecting. A transfer costs about twice what it does where libcurl is waited in
(loop.py); the loop wakes when something is there, not within 10 ms.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from typing import Any

import pycurl

_READ = (pycurl.POLL_IN, pycurl.POLL_INOUT)
_WRITE = (pycurl.POLL_OUT, pycurl.POLL_INOUT)


class SocketTransfers:
    """To be closed when the run has ended."""

    def __init__(self) -> None:
        self._loop = asyncio.get_running_loop()
        self.multi = pycurl.CurlMulti()
        self.under_way: dict[Any, Any] = {}
        self.on_done: Callable[[Any, tuple[int, str] | None], None] = lambda handle, error: None
        self._timer: asyncio.TimerHandle | None = None
        self._watched: dict[int, int] = {}
        self.multi.setopt(pycurl.M_SOCKETFUNCTION, self._watch)
        self.multi.setopt(pycurl.M_TIMERFUNCTION, self._wait)

    def _watch(self, wanted: int, descriptor: int, multi: Any, data: Any) -> None:
        before = self._watched.pop(descriptor, 0)
        if before in _READ and wanted not in _READ:
            self._loop.remove_reader(descriptor)
        if before in _WRITE and wanted not in _WRITE:
            self._loop.remove_writer(descriptor)
        if wanted == pycurl.POLL_REMOVE:
            return
        self._watched[descriptor] = wanted
        if wanted in _READ:
            self._loop.add_reader(descriptor, self._ready, descriptor, pycurl.CSELECT_IN)
        if wanted in _WRITE:
            self._loop.add_writer(descriptor, self._ready, descriptor, pycurl.CSELECT_OUT)

    def _wait(self, ms: int) -> None:
        if self._timer is not None:
            self._timer.cancel()
        self._timer = None if ms < 0 else self._loop.call_later(ms / 1000, self._over)

    def _over(self) -> None:
        self._timer = None
        self._act(pycurl.SOCKET_TIMEOUT, 0)

    def _ready(self, descriptor: int, what: int) -> None:
        self._act(descriptor, what)

    def _act(self, descriptor: int, what: int) -> None:
        self.multi.socket_action(descriptor, what)
        while True:
            queued, done, failed = self.multi.info_read()
            for handle in done:
                self.on_done(handle, None)
            for handle, code, text in failed:
                self.on_done(handle, (code, text))
            if not queued:
                return

    def close(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
        for descriptor, held in self._watched.items():
            if held in _READ:
                self._loop.remove_reader(descriptor)
            if held in _WRITE:
                self._loop.remove_writer(descriptor)
        self._watched.clear()
        self.multi.close()
