"""A check typed as a sentence, and written as one: `$.fee.total is below 1200`, `status 201`, `id
present`.

`write_sentence` and `read_sentence` are each other's inverse; what is read may also leave words out
or use everyday ones (`under`, `more than`), and may call a field by its last name where the answer
has just one of that name.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping
from itertools import islice
from typing import Any

from saltpath.core.answers.subjects import KINDS, read_subject
from saltpath.core.checks.relations import VALUE_KINDS
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable, outside_quotes
from saltpath.core.values.text_formats import FORMATS

PHRASES: dict[str, tuple[str, ...]] = {
    "is one of": ("is one of", "one of", "is either"),
    "is none of": ("is none of", "none of", "is neither"),
    "same as last pass": (
        "is the same as at the last pass",
        "same as last pass",
        "is as before",
        "unchanged",
    ),
    "close to": ("is close to", "close to", "is about", "about"),
    "before": ("is before", "before", "is earlier than", "earlier than"),
    "after": ("is after", "after", "is later than", "later than"),
    "near": ("is near", "near"),
    "sorted": ("is sorted", "sorted"),
    "unique": ("holds nothing twice", "is unique", "unique"),
    "format": ("has the format", "is of format", "format"),
    "length": ("has the length", "length"),
    "does not contain": ("does not contain", "lacks"),
    "does not match": ("does not match",),
    "fits exactly": ("fits exactly",),
    "fits": ("fits",),
    "schema": ("follows the schema",),
    "is not": ("is not", "is no", "isn't", "differs from", "!="),
    "above": ("is above", "above", "over", "is over", "is more than", "more than", ">"),
    "below": ("is below", "below", "under", "is under", "is less than", "less than", "<"),
    "at least": ("is at least", "at least", ">="),
    "at most": ("is at most", "at most", "<="),
    "between": ("is between", "between"),
    "kind": ("is of kind", "of kind", "is any"),
    "empty": ("is empty", "empty"),
    "present": ("is present", "present", "exists", "is there"),
    "absent": ("is absent", "absent", "is missing", "is gone"),
    "contains": ("contains", "has"),
    "starts with": ("starts with", "begins with"),
    "ends with": ("ends with",),
    "matches": ("matches",),
    "count": ("counts", "count"),
    "is": ("is", "equals", "=", "=="),
}
NOT_EMPTY = "is not empty"
MOST_GAPS = 60  # a subject of more words than this is none
ALL_PHRASES = sorted(
    [(phrase, relation) for relation, phrases in PHRASES.items() for phrase in phrases],
    key=lambda pair: -len(pair[0]),
)
_COUNTED = ("is one of", "is not", "above", "below", "at least", "at most", "between", "is")
_BARE_RELATIONS = ("present", "absent", "unique", "same as last pass")
_PAIRED = {"close to": ("value", "within"), "near": ("time", "within")}
_WORDS: dict[str, tuple[Collection[str], str]] = {
    "sorted": (("up", "down"), "It is sorted up, or down"),
    "format": (FORMATS, f"The formats are {', '.join(FORMATS)}"),
    "kind": (VALUE_KINDS, f"The kinds are {', '.join(VALUE_KINDS)}"),
}
"""Relations whose expected value is one of few words, written as they are."""
_JOINTS = (" and ", " then ", " otherwise ", " within ")
_FIRST_WORDS = frozenset(phrase.split()[0] for phrase, _ in ALL_PHRASES) | {
    "not",
    "any",
    "true",
    "false",
    "null",
}
_BARE = re.compile(r"(?:[^\W_][\w./:@%+*#&?~-]*|\[=[^\"'\[\]|]*\])(?: [\w./:@%+*#&?~-]+)*")


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
    relation = next(key for key in PHRASES if key in check)
    subject, expected = (
        f"any of {check['of']}" if check.get("any") else str(check["of"]),
        check[relation],
    )
    if relation == "empty":
        return f"{subject} {'is empty' if expected else NOT_EMPTY}"
    if relation in _BARE_RELATIONS:
        return f"{subject} {PHRASES[relation][0]}"
    phrase, words = PHRASES[relation][0], _expected(relation, expected)
    if (
        isinstance(expected, str)
        and words == expected
        and not _states(f"{phrase} {words}", relation, expected)
    ):
        words = plain.write_json(expected).decode()
    return f"{subject} {phrase} {words}"


def _states(text: str, relation: str, expected: str) -> bool:
    """Whether the text is read as this relation and value: `is no` would go on as `is not` does."""
    try:
        return _stated(text) == {relation: expected}
    except Unreadable:
        return False


def _expected(relation: str, expected: Any) -> str:
    if relation in _WORDS and isinstance(expected, str):
        return expected
    if relation in ("is one of", "is none of") and isinstance(expected, list) and expected:
        return ", ".join(map(_literal, expected))
    for name, (first, second) in _PAIRED.items():
        if relation == name and isinstance(expected, dict):
            return f"{_literal(expected[first])} within {_literal(expected[second])}"
    if relation == "between" and isinstance(expected, list) and len(expected) == 2:
        return f"{_literal(expected[0])} and {_literal(expected[1])}"
    if relation in ("count", "length") and isinstance(expected, dict) and len(expected) == 1:
        inner, wanted = next(iter(expected.items()))
        return (
            f"{PHRASES[inner][0].removeprefix('is ')} {_expected(inner, wanted)}"
            if inner in _COUNTED
            else "is"
        )
    return _literal(expected)


def _literal(value: Any) -> str:
    """Text bare where nothing else could be read from it, all else as JSON."""
    bare = (
        isinstance(value, str)
        and _BARE.fullmatch(value)
        and not any(word in value for word in _JOINTS)
    )
    if bare and plain.number_in(value) is None and value.split()[0].lower() not in _FIRST_WORDS:
        return str(value)
    return plain.write_json(value).decode()


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
        of, colon, rest = _partition(text[each.end() :], ":")
        if not colon:
            raise Unreadable(
                "Say what holds of each item behind a colon: each of $.lines[*]: $.amount above 0"
            )
        subject = _subject(of.strip(), known)
        group: dict[str, Any] = {"for each": subject, "expect": _read_several(rest, {}, level)}
        return {**group, "may be empty": True} if each[1] else group
    return None


def _read_when(text: str, known: Mapping[str, str], level: int) -> dict[str, Any]:
    when, then, rest = _partition(text, " then ")
    if not then:
        raise Unreadable("Say what must hold then: when status is 200 then $.id is present")
    held, otherwise, other = _partition(rest, " otherwise ")
    group: dict[str, Any] = {
        "when": _read_several(when, known, level),
        "then": _read_several(held, known, level),
    }
    return {**group, "otherwise": _read_several(other, known, level)} if otherwise else group


def _read_several(text: str, known: Mapping[str, str], level: int) -> list[dict[str, Any]]:
    checks: list[dict[str, Any]] = []
    while True:
        one, semicolon, text = _partition(text, ";")
        if not one.strip():
            raise Unreadable("Say what must hold here, such as: status is 200")
        checks.append(_read(one.strip(), known, level + 1))
        if not semicolon:
            return checks


def _partition(text: str, joint: str) -> tuple[str, str, str]:
    """The text around the first joint that stands outside quotes and brackets."""
    for at in outside_quotes(text):
        if text[at : at + len(joint)].lower() == joint:
            return text[:at], joint, text[at + len(joint) :]
    return text, "", ""


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
            implied = {**start, "is": _value(rest)}
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
    if lower == NOT_EMPTY or lower == "not empty":
        return {"empty": False}
    for phrase, relation in ALL_PHRASES:
        if not lower.startswith(phrase):
            continue
        after = rest[len(phrase) :]
        if after and phrase[-1].isalpha() and not after.startswith(" "):
            continue
        return _with_expected(relation, after.strip())
    return None


def _with_expected(relation: str, text: str) -> dict[str, Any] | None:
    if relation in ("present", "absent", "empty", "unique", "same as last pass"):
        return {relation: True} if not text else None
    if not text:
        raise Unreadable(f"Say what it {PHRASES[relation][0]}")
    if relation in ("count", "length"):
        return {relation: _counted(text)}
    if relation in _WORDS:
        words, said = _WORDS[relation]
        if text not in words and "[=" not in text:
            raise Unreadable(f"{said}; found {text!r}")
        return {relation: text}
    return {relation: _read_expected(relation, text)}


def _counted(text: str) -> Any:
    lower = text.lower()
    for phrase, relation in ALL_PHRASES:
        if relation in _COUNTED and lower.startswith(phrase + " "):
            return {relation: _read_expected(relation, text[len(phrase) :].strip())}
    return _value(text)


def _read_expected(relation: str, text: str) -> Any:
    if relation in ("is one of", "is none of"):
        return [_value(item) for item in _split(text, ",")]
    if relation in _PAIRED:
        value, joint, within = _partition(text, " within ")
        whole = _value(text)
        if not joint and isinstance(whole, str) and "[=" in whole:
            return whole
        if not joint:
            raise Unreadable(
                f"Say how near, such as: {PHRASES[relation][0]} "
                f"{'now within 5 min' if relation == 'near' else '0.33 within 0.01'}"
            )
        return dict(
            zip(_PAIRED[relation], (_value(value.strip()), _value(within.strip())), strict=True)
        )
    if relation == "between":
        ends = list(_split(text, " and "))
        if len(ends) != 2:
            raise Unreadable("Say between what and what, such as: between 1 and 5")
        return [_value(end) for end in ends]
    return _value(text)


def _split(text: str, joint: str) -> Iterator[str]:
    begin, depth, quote, at = 0, 0, "", 0
    while at < len(text):
        char = text[at]
        if quote:
            at += char == "\\"
            quote = "" if char == quote else quote
        elif char in '"“':
            quote = "”" if char == "“" else char
        elif char in "[{":
            depth += 1
        elif char in "]}":
            depth -= 1
        elif depth == 0 and text.startswith(joint, at):
            yield text[begin:at].strip()
            begin = at + len(joint)
            at = begin - 1
        at += 1
    yield text[begin:].strip()


def _value(text: str) -> Any:
    """JSON where it is JSON, else text; quotation marks of any kind make it text."""
    if len(text) > 1 and text[0] + text[-1] in ("“”", "''", "‘’"):
        return text[1:-1]
    if text.startswith("[="):
        return text
    try:
        return plain.read_json(text)
    except plain.NotPlain:
        return text


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
    phrases = [NOT_EMPTY, *(names[0] for names in PHRASES.values())]
    return [
        f"{subject} {p}"
        for p in phrases
        if p.startswith(rest.lower().strip()) and p != rest.strip()
    ][:most]


def _cut(text: str, at: int) -> tuple[str, str, str]:
    return text[:at], " ", text[at + 1 :]
