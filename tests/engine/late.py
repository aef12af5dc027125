"""A question whose module takes longer to read than an answer may."""

import time

from msgspec import Struct

time.sleep(0.5)


class Late(Struct, frozen=True):
    def answer(self) -> str:
        return "here"
