"""A case in short, as it is kept beside each of its versions: so that the report of a run, which
is asked for again and again, need not read the cases that it ran."""

from __future__ import annotations

import msgspec
from msgspec import Struct

from saltpath.core.cases.case import Case, Part


class StepName(Struct, frozen=True):
    """What a step is called, and where it stands: its part and its index there (from 0), and its
    number in the whole case (from 1). `shared`: the name of the shared steps that it carries out,
    after which it is called; empty of another step."""

    part: Part
    index: int
    number: int
    name: str
    shared: str = ""


class Summary(Struct, frozen=True, rename="camel"):
    """What a report says of a case before and beside what was recorded of it."""

    steps: list[StepName]
    """In the order of execution; those inside a step for each item are not among them, nor are
    those of shared steps."""
    has_rows: bool
    keeps: list[str]
    """The names that its steps keep, those inside others too, each once."""
    tags: list[str] = []


_decoder = msgspec.json.Decoder(Summary)


def summary_of(case: Case) -> Summary:
    """A pure function of the case's own document: shared steps that it uses may change."""
    steps = [
        StepName(part, index, number, step.name, step.uses)
        for number, (part, index, step) in enumerate(case.parts(), 1)
    ]
    kept = [name for _, _, step in case.parts() for name in step.keeps()]
    return Summary(steps, case.rows is not None, list(dict.fromkeys(kept)), list(case.tags))


def write_summary(summary: Summary) -> str:
    return msgspec.json.encode(summary).decode()


def read_summary(text: str) -> Summary:
    """What `write_summary` wrote."""
    return _decoder.decode(text)
