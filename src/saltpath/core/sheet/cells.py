"""The cells of one row: a check as subject, relation and expected value; a request as method,
address, headers and body.

Written and read by the same rules, so that what nobody changed is recognised and stays as it is
stored.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any
from urllib.parse import unquote

import msgspec

from saltpath.core.cases.steps import pairs_of
from saltpath.core.checks.relations import TABLE, opposites, phrases
from saltpath.core.checks.typed import read_sentence, write_sentence
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.nearest import nearest

LONGEST = 32_000
"""A cell of a workbook holds 32,767 characters; a longer text is cut, and recognised by its
beginning."""
_BARE_PATH = re.compile(r"[^\W\d][\w-]*(?:\.[\w-]+|\[(?:\d+|\*)\])*")
_METHOD = re.compile(r"([A-Z]+) +(\S.*)", re.DOTALL)
_TOKEN = re.compile(r"[A-Za-z0-9!#$%&'*+.^_`|~-]+")
_BODIES = ("json", "xml", "text", "form", "multipart", "file")
_UNSAFE = re.compile(r"[%&=#+]")
_CONTROL = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]")


def as_cell(text: str) -> str:
    """A text as a cell can hold it: line ends as a line feed, no other control characters, at most
    32,000 characters."""
    plain_text = _CONTROL.sub("\ufffd", text.replace("\r\n", "\n").replace("\r", "\n"))
    return plain_text if len(plain_text) <= LONGEST else plain_text[: LONGEST - 1] + "…"


# ---- checks


def write_cells(check: Mapping[str, Any]) -> tuple[str, str, str]:
    """A check as subject, relation and expected value; a group, which no cells can hold, is a
    sentence in the first."""
    sentence = write_sentence(check)
    if "of" not in check:
        return as_cell(sentence), "", ""
    of = f"any of {check['of']}" if check.get("any") else str(check["of"])
    relation = next(entry for name, entry in TABLE.items() if name in check)
    phrase = relation.said(check[relation.name])
    return as_cell(of), phrase, as_cell(sentence[len(of) + len(phrase) + 1 :].strip())


def read_cells(
    of: str, relation: str, expected: str, known: Mapping[str, str] | None = None
) -> dict[str, Any]:
    """The check of a row, whose cells are the parts of a sentence; `of` may also hold a whole one,
    the others empty, or a field's path without its beginning (`fee.total`). `known`: paths of the
    last answer by the name of their last part.

    Raises Unreadable, also of a relation that there is not."""
    known_phrases = [*(words for words, _ in phrases()), *opposites()]
    named = " ".join(relation.lower().split())
    if named and named not in known_phrases:
        near = nearest(named, known_phrases)
        raise Unreadable(
            f"{relation!r} is no relation" + (f"; did you mean {near!r}?" if near else "")
        )
    if not of.strip():
        raise Unreadable("of is empty: say what is checked, such as status or $.id")
    sentence = " ".join(part for part in (named, expected.strip()) if part)
    try:
        return read_sentence(f"{of.strip()} {sentence}".strip(), known)
    except Unreadable:
        if not sentence or not _BARE_PATH.fullmatch(of.strip()):
            raise
        return read_sentence(f"$.{of.strip()} {sentence}", known)


def aside(note: str, mark: str) -> dict[str, Any]:
    """What a row says beside its check. Raises Unreadable."""
    words = [word for word in re.split(r"[,;\s]+", mark.strip().lower()) if word]
    for word in words:
        if word not in ("off", "advice"):
            raise Unreadable(f"a check is marked off or advice; found {word!r}")
    return {
        **({"note": note.strip()} if note.strip() else {}),
        **({"advice": True} if "advice" in words else {}),
        **({"off": True} if "off" in words else {}),
    }


def marks_of(check: Mapping[str, Any]) -> str:
    return ", ".join(mark for mark in ("off", "advice") if check.get(mark))


# ---- requests


def write_request(step: Mapping[str, Any]) -> dict[str, str]:
    """A request step as its cells `method`, `address`, `headers`, `body`."""
    method, _, address = str(step.get("send", "")).partition(" ")
    query = "&".join(
        f"{_escaped(name)}={_escaped(_text(value))}" for name, value in pairs_of(step.get("query"))
    )
    joint = "&" if "?" in address else "?"
    return {
        "method": method,
        "address": as_cell(address.strip() + (joint + query if query else "")),
        "headers": as_cell(
            "\n".join(f"{name}: {_text(value)}" for name, value in pairs_of(step.get("headers")))
        ),
        "body": as_cell(_write_body(step)),
    }


def read_request(step: Mapping[str, Any], cells: Mapping[str, str]) -> dict[str, Any]:
    """The step with what its cells say otherwise; an empty cell says nothing, and what was not
    changed stays as it is stored.

    Raises Unreadable: no method, a header without a colon, a form's line without an equals sign."""
    was = (
        write_request(step)
        if step.get("send")
        else dict.fromkeys(("method", "address", "headers", "body"), "")
    )
    given = {name: as_cell(text).strip() for name, text in cells.items()}
    told = _METHOD.fullmatch(given.get("address", ""))
    if told:
        given |= {"method": given.get("method") or told[1], "address": told[2]}
    new = {name: text for name, text in given.items() if text and text != was[name].strip()}
    made = dict(step)
    if "method" in new and not _TOKEN.fullmatch(new["method"]):
        raise Unreadable(f"{new['method']!r} is no method, such as GET or POST")
    if "method" in new or "address" in new:
        made = _with_address(made, new.get("method") or was["method"] or "GET", new.get("address"))
    if "headers" in new:
        made["headers"] = _as_written(
            [_header(line) for line in new["headers"].split("\n") if line.strip()]
        )
    if "body" in new:
        made = _with_body(made, new["body"])
    return made


def _with_address(step: dict[str, Any], method: str, address: str | None) -> dict[str, Any]:
    if address is None:
        return {**step, "send": f"{method} {str(step['send']).partition(' ')[2]}"}
    rest = {name: value for name, value in step.items() if name != "query"}
    base, mark, query = address.partition("?")
    parts = [part.partition("=") for part in query.split("&")] if mark and query else []
    if not parts or not all(equals for _, equals, _ in parts):
        return {**rest, "send": f"{method} {address}"}
    return {
        **rest,
        "send": f"{method} {base}",
        "query": _as_written([(unquote(n), unquote(v)) for n, _, v in parts]),
    }


def _header(line: str) -> tuple[str, str]:
    name, colon, value = line.partition(":")
    if not colon or not name.strip():
        raise Unreadable(f"a header is written Name: value; found {line.strip()!r}")
    return name.strip(), value.strip()


def _write_body(step: Mapping[str, Any]) -> str:
    kind = next((kind for kind in _BODIES if kind in step), "")
    if not kind:
        return ""
    content = step[kind]
    if kind == "form":
        return "\n".join(f"{name} = {_text(value)}" for name, value in pairs_of(content))
    if isinstance(content, str):
        return content.rstrip("\n")
    return msgspec.json.format(plain.write_json(content), indent=2).decode()


def _with_body(step: dict[str, Any], text: str) -> dict[str, Any]:
    """The body by what it looks like; a form stays a form, a file a file, parts stay parts."""
    kind = next((kind for kind in _BODIES if kind in step), "")
    rest = {name: value for name, value in step.items() if name not in _BODIES}
    if kind == "form":
        pairs = [line.partition("=") for line in text.split("\n") if line.strip()]
        if not all(equals and name.strip() for name, equals, _ in pairs):
            raise Unreadable("a form has a line for each field: name = value")
        return {
            **rest,
            kind: _as_written([(name.strip(), value.strip()) for name, _, value in pairs]),
        }
    if kind in ("multipart", "file"):
        raise Unreadable(f"a body that is a {kind} is changed in the case itself")
    looks = "json" if text[:1] in "{[" else "xml" if text[:1] == "<" else kind or "text"
    if looks not in ("text", "xml"):
        rest.pop("type", None)
    return {**rest, looks: text}


def _as_written(pairs: list[tuple[str, str]]) -> Any:
    """A mapping, or a list of pairs where a name repeats."""
    names = {name.lower() for name, _ in pairs}
    return dict(pairs) if len(names) == len(pairs) else [list(pair) for pair in pairs]


def _text(value: Any) -> str:
    return value if isinstance(value, str) else plain.as_text(value)


def _escaped(text: str) -> str:
    """What would read as the end of a name or a value, percent-encoded; references stay."""
    parts = re.split(r"(\[=.*?\])", text)
    return "".join(part if part.startswith("[=") else _UNSAFE.sub(_percent, part) for part in parts)


def _percent(found: re.Match[str]) -> str:
    return f"%{ord(found[0]):02X}"
