"""Literals in a request that equal a value of an earlier answer: they want to be handed over, not written out."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Any
from urllib.parse import unquote

from saltpath.core import plain
from saltpath.core.seen import telling

_ORIGIN = re.compile(r"^[A-Za-z][\w+.-]*://[^/]*|^\[=[^\]]*\]")


def literals(step: Mapping[str, Any]) -> Iterator[str]:
    """The texts of a request step's document that are written out: segments of its address, values of query, headers,
    form, sign-in and JSON body. Text that holds a reference is none."""
    _, _, address = str(step.get("send", "")).partition(" ")
    path, _, query = _ORIGIN.sub("", address.strip()).partition("?")
    yield from (unquote(part) for part in path.split("/") if part and "[=" not in part)
    yield from (unquote(pair.partition("=")[2]) for pair in query.split("&") if pair and "[=" not in pair)
    for field in ("query", "headers", "form", "auth"):
        yield from _leaves(step.get(field))
    body = step.get("json")
    if isinstance(body, str):
        try:
            body = plain.read_json(body)
        except plain.NotPlain:
            body = None
    yield from _leaves(body)


def _leaves(value: Any) -> Iterator[str]:
    if isinstance(value, Mapping):
        value = list(value.values())
    if isinstance(value, list | tuple):
        for item in value:
            yield from _leaves(item)
    elif isinstance(value, str):
        if "[=" not in value:
            yield value
    elif plain.is_number(value):
        yield plain.as_text(value)


def repeated(step: Mapping[str, Any], known: Mapping[str, tuple[str, str]]) -> list[tuple[str, str, str]]:
    """(literal, step key, path) for each literal of a step that `known` has: values of earlier answers by their text."""
    found = dict.fromkeys(text for text in literals(step) if telling(text) and text in known)
    return [(text, *known[text]) for text in found]
