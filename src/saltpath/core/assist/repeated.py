"""Literals in a request that equal a value of an earlier answer: they want to be handed over, not
written out."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Any
from urllib.parse import unquote, unquote_plus

from saltpath.core.assist.observations import telling
from saltpath.core.values import plain

_ORIGIN = re.compile(r"^[A-Za-z][\w+.-]*://[^/]*|^\[=[^\]]*\]")


def literals(step: Mapping[str, Any]) -> Iterator[str]:
    """The texts of a request step's document that are written out: segments of its address, values
    of query, headers, form, parts, sign-in and JSON body; of a value that is itself JSON, its
    leaves. Text that holds a reference is none."""
    _, _, address = str(step.get("send", "")).partition(" ")
    path, _, query = _ORIGIN.sub("", address.strip()).partition("?")
    yield from (unquote(part) for part in path.split("/") if part and "[=" not in part)
    pairs = (
        unquote_plus(pair.partition("=")[2]) for pair in query.partition("#")[0].split("&") if pair
    )
    for value in (*pairs, *map(step.get, ("query", "headers", "form", "auth"))):
        yield from _leaves(value)
    for part in parts if isinstance(parts := step.get("multipart"), list) else ():
        yield from _leaves(part.get("text") if isinstance(part, Mapping) else None)
    body = step.get("json")
    yield from _leaves(_document(body) if isinstance(body, str) else body, True)


def _document(text: str) -> Any:
    """What a text is as JSON; None if it is none."""
    try:
        return plain.read_json(text)
    except plain.NotPlain:
        return None


def _leaves(value: Any, inside: bool = False) -> Iterator[str]:
    """`inside`: of a text that is JSON; a text in it is not read again."""
    if isinstance(value, Mapping):
        value = list(value.values())
    if isinstance(value, list | tuple):
        for item in value:
            yield from _leaves(item, inside)
    elif isinstance(value, str):
        if value[:1] in ("{", "[") and not inside and (document := _document(value)) is not None:
            yield from _leaves(document, True)
        elif "[=" not in value:
            yield value
    elif plain.is_number(value):
        yield plain.as_text(value)


def repeated(
    step: Mapping[str, Any], known: Mapping[str, tuple[str, str]]
) -> list[tuple[str, str, str]]:
    """(literal, step key, path) for each literal of a step that `known` has: values of earlier
    answers by their text."""
    found = dict.fromkeys(text for text in literals(step) if telling(text) and text in known)
    return [(text, *known[text]) for text in found]
