"""What surrounds the steps of one row: connections, values, cookies, tokens, secrets, and help with
slow questions."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from typing import TypeVar

from msgspec import Struct

from saltpath.core.paths import offloading
from saltpath.core.references.scopes import Scopes
from saltpath.engine.client import Client
from saltpath.engine.cookies import Jar
from saltpath.engine.helper import Helper
from saltpath.engine.masking import Masker
from saltpath.engine.tokens import Tokens

T = TypeVar("T")


class Session(Struct):
    """`now_us`: UTC microseconds. `pause(seconds)`: True if it was ended by a stop. `private`:
    whether the last request's head may hold what is always masked."""

    client: Client
    scopes: Scopes
    masker: Masker
    jar: Jar
    tokens: Tokens
    helper: Helper
    now_us: Callable[[], int]
    pause: Callable[[float], Awaitable[bool]]
    private: bool = True

    async def patiently(self, work: Callable[[], T], asked: offloading.Slow) -> T:
        """Do the work again after it asked something slow, with every such question answered by the
        helper."""
        known: dict[offloading.Question, object] = {}
        drawn = self.scopes.drawn()
        while True:
            known[asked.question] = await self.helper.answer(asked.question)
            self.scopes.draw_again(drawn)
            try:
                with offloading.deferred(known):
                    return work()
            except offloading.Slow as again:
                asked = again
