"""A question whose module takes longer to read than an answer may."""

import time
from dataclasses import dataclass

time.sleep(0.5)


@dataclass(frozen=True)
class Late:
    def answer(self) -> str:
        return "here"
