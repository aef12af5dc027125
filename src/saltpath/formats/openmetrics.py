"""Numbers in the OpenMetrics text format (version 1.0)."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Literal

from msgspec import Struct

MEDIA = "application/openmetrics-text; version=1.0.0; charset=utf-8"


class Sample(Struct, frozen=True):
    """A number, with its labels."""

    value: float
    labels: Mapping[str, str] = {}


class Family(Struct, frozen=True):
    """Samples of one thing. A name ends with its unit, if it has one."""

    name: str
    kind: Literal["gauge", "counter", "info"]
    about: str
    samples: list[Sample]
    unit: str = ""


_SUFFIX = {"gauge": "", "counter": "_total", "info": "_info"}


def write(families: Iterable[Family]) -> str:
    """The whole text; families of one name stand together."""
    lines: list[str] = []
    for one in families:
        lines.append(f"# TYPE {one.name} {one.kind}")
        if one.unit:
            lines.append(f"# UNIT {one.name} {one.unit}")
        lines.append(f"# HELP {one.name} {_escaped(one.about)}")
        for sample in one.samples:
            labels = ",".join(f'{name}="{_escaped(v)}"' for name, v in sample.labels.items())
            braces = f"{{{labels}}}" if labels else ""
            lines.append(f"{one.name}{_SUFFIX[one.kind]}{braces} {_number(sample.value)}")
    return "\n".join([*lines, "# EOF"]) + "\n"


def _escaped(text: str) -> str:
    return text.replace("\\", "\\\\").replace("\n", "\\n").replace('"', '\\"')


def _number(value: float) -> str:
    return str(int(value)) if float(value).is_integer() else repr(float(value))
