"""A check typed as a sentence, and written as one: `$.fee.total is below 1200`, `status 201`, `id
present`.

`write_sentence` and `read_sentence` are each other's inverse; what is read may also leave words out
or use everyday ones (`under`, `more than`), and may call a field by its last name where the answer
has just one of that name.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from itertools import islice
from typing import Any

from saltpath.core.answers.subjects import KINDS, read_subject
from saltpath.core.checks.relations import TABLE, Relation, opposites, phrases
from saltpath.core.checks.relations.operand import divided, value_of
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable

MOST_GAPS = 60  # a subject of more words than this is none
GROUPS = {"any of": "at least one of", "all of": "all of", "none of": "none of"}
MOST_LEVELS = 12


def write_sentence(check: Mapping[str, Any]) -> str:
    """The check or group of a document as a sentence that `read_sentence` reads back as the same
    one; notes and such left out: `when status is 200 then $.id is present; $.total above 0
    otherwise $.error is present`."""
    if "when" in check:
        words = f"when {_several(check['when'])} then {_several(check.get('then'))}"
        return words + (
            f" otherwise {_several(check['otherwise'])}" if check.get("otherwise") else ""
        )
    if "for each" in check:
        empty = "each, if any, of" if check.get("may be empty") else "each of"
        return f"{empty} {check['for each']}: {_several(check.get('expect'))}"
    for kind, head in GROUPS.items():
        if kind in check:
            return f"{head}: {_several(check[kind])}"
    return _write_check(check)


def _several(checks: Any) -> str:
    items = checks if isinstance(checks, list) else [checks]
    return "; ".join(_within(item) for item in items)


def _within(check: Mapping[str, Any]) -> str:
    """A check inside a group; a group inside a group stands in parentheses."""
    return _write_check(check) if "of" in check else f"({write_sentence(check)})"


def _write_check(check: Mapping[str, Any]) -> str:
    relation = next(entry for name, entry in TABLE.items() if name in check)
    subject = f"any of {check['of']}" if check.get("any") else str(check["of"])
    expected, operand = check[relation.name], relation.takes
    phrase = relation.said(expected)
    if not operand.said:
        return f"{subject} {phrase}"
    words = operand.write(expected)
    is_bare = isinstance(expected, str) and words == expected
    if is_bare and not _states(f"{phrase} {words}", relation.name, expected):
        words = plain.write_json(expected).decode()
    return f"{subject} {phrase} {words}"


def _states(text: str, relation: str, expected: str) -> bool:
    """Whether the text is read as this relation and value: `is no` would go on as `is not` does."""
    try:
        return _stated(text) == {relation: expected}
    except Unreadable:
        return False


def read_sentence(text: str, known: Mapping[str, str] | None = None) -> dict[str, Any]:
    """The check as a document writes it. `known`: paths of the last answer by the name of their
    last part.

    Raises Unreadable with what to do about it."""
    text = text.strip()
    if text[:1] == "{" or (text[:1] == "[" and text[1:2] not in ("=", "?")):
        return _expected_body(text)
    return _read(" ".join(text.split()) if "\n" in text else text, known or {}, 0)


def _expected_body(text: str) -> dict[str, Any]:
    """A pasted JSON body is what the answer's has to fit."""
    try:
        return {"of": "$", "fits": plain.read_json(text)}
    except plain.NotPlain as problem:
        raise Unreadable(f"this begins as a JSON body does, and is none: {problem}") from None


def _read(text: str, known: Mapping[str, str], level: int) -> dict[str, Any]:
    group = _read_group(text, known, level)
    return group if group is not None else _read_check(text, known)


def _read_group(text: str, known: Mapping[str, str], level: int) -> dict[str, Any] | None:
    """The group that the text begins as; None if it is a check."""
    if level > MOST_LEVELS:
        raise Unreadable(f"Groups stand in each other at most {MOST_LEVELS} deep")
    lower = text.lower()
    if text.startswith("(") and text.endswith(")"):
        return _read_group(text[1:-1].strip(), known, level + 1)
    if lower.startswith("when "):
        return _read_when(text[5:], known, level)
    for kind, head in GROUPS.items():
        if lower.startswith(head + ":"):
            return {kind: _read_several(text[len(head) + 1 :], known, level)}
    each = re.match(r"each(, if any,)? of ", text, re.IGNORECASE)
    if each:
        of, colon, rest = divided(text[each.end() :], ":")
        if not colon:
            raise Unreadable(
                "Say what holds of each item behind a colon: each of $.lines[*]: $.amount above 0"
            )
        subject = _subject(of.strip(), known)
        group: dict[str, Any] = {"for each": subject, "expect": _read_several(rest, {}, level)}
        return {**group, "may be empty": True} if each[1] else group
    return None


def _read_when(text: str, known: Mapping[str, str], level: int) -> dict[str, Any]:
    when, then, rest = divided(text, " then ")
    if not then:
        raise Unreadable("Say what must hold then: when status is 200 then $.id is present")
    held, otherwise, other = divided(rest, " otherwise ")
    group: dict[str, Any] = {
        "when": _read_several(when, known, level),
        "then": _read_several(held, known, level),
    }
    return {**group, "otherwise": _read_several(other, known, level)} if otherwise else group


def _read_several(text: str, known: Mapping[str, str], level: int) -> list[dict[str, Any]]:
    checks: list[dict[str, Any]] = []
    while True:
        one, semicolon, text = divided(text, ";")
        if not one.strip():
            raise Unreadable("Say what must hold here, such as: status is 200")
        checks.append(_read(one.strip(), known, level + 1))
        if not semicolon:
            return checks


def _read_check(text: str, known: Mapping[str, str]) -> dict[str, Any]:
    if not text:
        raise Unreadable("Say what must hold, such as: status is 201")
    any_of = text.lower().startswith("any of ")
    if any_of:
        text = text[7:].lstrip()
    problem: Unreadable | None = None
    implied: dict[str, Any] | None = None
    for at in [*islice(_gaps(text), MOST_GAPS), len(text)]:
        rest = text[at:].strip()
        try:
            of = _subject(text[:at].strip(), known)
        except Unreadable as unreadable:
            problem = problem or unreadable
            continue
        start = {"of": of, **({"any": True} if any_of else {})}
        stated = _stated(rest)
        if stated is not None:
            return {**start, **stated}
        if implied is None and rest and not rest.startswith("|"):
            implied = {**start, "is": value_of(rest)}
        if not rest and implied is None:
            return {**start, "present": True}
    if implied is not None:
        return implied
    raise problem or Unreadable(
        "Say what is looked at first, such as status, $.id or header Location"
    )


def _gaps(text: str) -> Iterator[int]:
    """Every space that stands outside quotes and brackets."""
    depth, quote = 0, ""
    for at, char in enumerate(text):
        if quote:
            quote = "" if char == quote and text[at - 1] != "\\" else quote
        elif char in "\"'":
            quote = char
        elif char in "[({":
            depth += 1
        elif char in "])}":
            depth -= 1
        elif char == " " and depth <= 0:
            yield at


def _subject(text: str, known: Mapping[str, str]) -> str:
    if text.startswith("/") or text == "time to first byte":
        read_subject(text)
        return text
    first = text.split(" ")[0].partition("[")[0].partition(".")[0]
    if first and not text.startswith("$") and first not in KINDS:
        if text in known:
            return known[text]
        path = f"$.{text}"
        if path in known.values():
            return path
    read_subject(text)
    return text


def _stated(rest: str) -> dict[str, Any] | None:
    """Relation and expected value, if the rest begins with a relation."""
    lower = rest.lower()
    if lower in opposites():
        return {opposites()[lower]: False}
    for phrase, relation in phrases():
        if not lower.startswith(phrase):
            continue
        after = rest[len(phrase) :]
        if after and phrase[-1].isalpha() and not after.startswith(" "):
            continue
        return _with_expected(TABLE[relation], after.strip())
    return None


def _with_expected(relation: Relation, text: str) -> dict[str, Any] | None:
    if not relation.takes.said:
        return {relation.name: True} if not text else None
    if not text:
        raise Unreadable(f"Say what it {relation.phrase}")
    return {relation.name: relation.takes.read(text, relation.phrase)}


def suggestions(text: str, paths: list[str], most: int = 8) -> list[str]:
    """How the sentence could go on: subjects and paths of the last answer, then relations. Whole
    sentences each."""
    lower = text.lstrip().lower()
    gaps = list(_gaps(lower))
    if not gaps:
        words = [
            name
            for name in KINDS
            if name not in ("path", "header", "cookie", "value", "match", "xpath")
        ]
        found = [
            item for item in (*words, *paths) if item.lower().startswith(lower) and item != lower
        ]
        found += [
            path
            for path in paths
            if lower and lower.lstrip("$.") in path.lower() and path not in found
        ]
        return found[:most]
    subject, _, rest = text.strip().partition(" ") if text[:1] != "$" else _cut(text, gaps[0])
    known = [words for entry in TABLE.values() for words in (entry.phrase, *entry.opposite[:1])]
    return [
        f"{subject} {p}" for p in known if p.startswith(rest.lower().strip()) and p != rest.strip()
    ][:most]


def _cut(text: str, at: int) -> tuple[str, str, str]:
    return text[:at], " ", text[at + 1 :]
