"""Cases that stand around the others of their suite: they set it up once before these, and clean up
once after them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from saltpath.core.cases.case import Case, Suite
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import MaskedWhy, said

Role = Literal["", "set up", "clean up"]
_IN_TURN: tuple[Role, ...] = ("set up", "", "clean up")
_DID = {"failed": "failed", "blocked": "was blocked"}


def role_of(suite: Suite | None, key: str, file: str) -> Role:
    """What a case is in its suite. The suite names it by its key, or by its file as `order`
    does."""
    if suite is None:
        return ""
    stem = file.rpartition("/")[2].split(".case.")[0]
    names = {key, stem} - {""}
    if names & set(suite.set_up):
        return "set up"
    return "clean up" if names & set(suite.clean_up) else ""


def in_turn(roles: Sequence[tuple[Role, int]]) -> list[int]:
    """The places of cases in the order in which a plan has them, each with how many folders it
    stands in: those that set up, the outermost first, the others, those that clean up, the
    innermost first; else as they stand."""

    def turn(place: int) -> tuple[int, int]:
        role, depth = roles[place]
        return _IN_TURN.index(role), {"set up": depth, "": 0, "clean up": -depth}[role]

    return sorted(range(len(roles)), key=turn)


def not_set_up(case: str, verdict: Verdict, why: MaskedWhy | None) -> MaskedWhy | None:
    """Why the others of a suite cannot be carried out, where a case that sets it up ended so; None
    where it did not end badly."""
    if verdict not in _DID:
        return None
    return said("set-up", case=case, did=_DID[verdict], problem=why.sentence if why else verdict)


def handed_down(case: Case) -> frozenset[str]:
    """The names of the values that a case which sets up hands down: those that it keeps before its
    rows; of a case without rows all."""
    steps = case.once if case.rows is not None else (*case.once, *case.steps)
    return frozenset(name for step in steps for name in step.keeps())
