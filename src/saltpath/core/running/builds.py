"""Which build of the service a run has met, where nobody said it: what steps keep as `build`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from saltpath.core.answers.exchange import MASK
from saltpath.core.cases.case import Step
from saltpath.core.values import plain

MOST_SHOWN = 80
"""Letters of one build."""
MOST = 3
"""Builds of one run, as of a service that is brought up to date meanwhile; more are not named."""
_MORE = "…"


def build_said(step: Step, kept: Mapping[str, Any]) -> str:
    """What a step has kept as the build, on one line; empty where it keeps none so."""
    for keep in step.keep:
        if keep.build and keep.name in kept:
            value = kept[keep.name]
            text = value if isinstance(value, str) else plain.show(value, MOST_SHOWN)
            return "" if MASK in text else plain.cut(" ".join(text.split()), MOST_SHOWN)
    return ""


def with_build(held: str, build: str) -> str:
    """The builds that were met, with one more."""
    known = held.split(", ") if held else []
    build = build.replace(", ", " ")
    if build in known or _MORE in known:
        return held
    return ", ".join([*known, build if len(known) < MOST else _MORE])
