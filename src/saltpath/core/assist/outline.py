"""A case as it is read: steps, their bands as pieces of text and references, and the threads
between them.

This is what a page shows without an editor; everything in it can be worked out from the document
alone. A text with references is a list of pieces: `{"text": "/port-calls/"}` or `{"text":
"[=portCallId]", "name": "portCallId"}`.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Any

import msgspec

from saltpath.core.answers.subjects import Subject
from saltpath.core.cases.case import (
    Auth,
    Body,
    Case,
    JsonText,
    LookUp,
    MultipartPart,
    Request,
    Step,
    UseShared,
    Write,
    XmlText,
    numbered,
)
from saltpath.core.cases.expectations import Check, Expectation, Repeat
from saltpath.core.cases.options import Options
from saltpath.core.checks.loose import written
from saltpath.core.checks.relations import TABLE
from saltpath.core.checks.sentences import HEADS, parts_of_sentence
from saltpath.core.checks.typed import write_sentence
from saltpath.core.references.templates import read_template, references_in, written_tree
from saltpath.core.running.prepare import unfilled
from saltpath.core.running.step_references import asked_for, own_references
from saltpath.core.values import measures, plain
from saltpath.core.values.grammar import Unreadable

Piece = dict[str, str]


def outline(case: Case) -> dict[str, Any]:
    """`{steps: [...], threads: [...]}`; steps are numbered from 1 in the order of execution, those
    for each item after the step that holds them. `label` is the number that is shown (`4.1`),
    `place` says where a step stands, by which its evidence is found."""
    steps = list(placed(case))
    threads = _threads([step for _, step in steps])
    to = {
        (thread["from"], thread["name"]): thread["to"] for thread in threads if not thread["broken"]
    }
    given: dict[str, list[str]] = {}
    for output, tree in case.outputs:
        for reference in references_in(tree):
            given.setdefault(reference.name, []).append(output)
    described = []
    for number, (where, step) in enumerate(steps, 1):
        entry: dict[str, Any] = {
            "number": number,
            **where,
            "key": step.key,
            "kind": step.kind,
            "name": step.name,
            "off": step.off,
        }
        entry["onlyIf"] = " and ".join(item.sentence for item in step.only_if)
        if step.write is not None:
            entry["write"] = _write(step.write)
        if step.answered:
            entry["repeat"] = _repeat(step.repeat) if step.repeat else None
            entry["keep"] = [
                {
                    "name": keep.name,
                    "of": keep.of.text,
                    "secret": keep.secret,
                    "build": keep.build,
                    "to": to.get((number, keep.name), []),
                    "gives": given.get(keep.name, []),
                }
                for keep in step.keep
            ]
        if step.kind in ENTRIES:
            handed = {name: to.get((number, name), []) for name in step.keeps()}
            entry |= ENTRIES[step.kind](step, handed)
        described.append(entry)
    return {"steps": described, "threads": threads}


def placed(case: Case) -> Iterator[tuple[dict[str, Any], Step]]:
    """Every step with where it stands: part, index, label, place, and the key of the step that
    holds it."""
    for number, (part, index, step) in enumerate(case.parts(), 1):
        holders: dict[str, str] = {}
        for label, inner in numbered(step, str(number)):
            outer = label.rpartition(".")[0]
            within = [str(int(place) - 1) for place in label.split(".")[1:]]
            yield (
                {
                    "part": part,
                    "index": index,
                    "label": label,
                    "place": place_of(part, index, "/".join(within)),
                    "inside": holders.get(outer, ""),
                },
                inner,
            )
            holders[label] = inner.key


_ITEM = re.compile(r"\d+\.")


def place_of(part: str, index: int, inner: str) -> str:
    """Where a step stands, whichever item it was carried out for."""
    return f"{part}.{index}" + (f"/{_ITEM.sub('', inner)}" if inner else "")


def _use(step: UseShared, to: dict[str, list[int]]) -> dict[str, Any]:
    given = dict(step.given)
    inputs = step.shared.inputs if step.shared else ()
    outputs = [name for name, _ in step.shared.outputs] if step.shared else []
    return {
        "called": step.of,
        "problem": step.problem.sentence if step.problem else "",
        "inputs": [
            {
                "name": item.name,
                "kind": item.kind,
                "needed": item.default is ...,
                "given": item.name in given,
                "value": pieces(
                    _shown(given.get(item.name, "" if item.default is ... else item.default))
                ),
            }
            for item in inputs
        ],
        "outputs": outputs,
        "gives": [{"output": output, "name": name, "to": to[name]} for output, name in step.gives],
    }


def pieces(text: str) -> list[Piece]:
    """A text as pieces; one that cannot be read stays text."""
    try:
        template = read_template(text)
    except Unreadable:
        return [{"text": text}]
    return [
        {"text": part}
        if isinstance(part, str)
        else {"text": part.text, "name": part.full_name or "quoted"}
        for part in template.parts
    ]


def _shown(tree: Any) -> str:
    """A compiled tree as a text: a text as it is, all else as JSON."""
    written = written_tree(tree)
    return (
        written
        if isinstance(written, str)
        else plain.as_text(written)
        if written is not None
        else "null"
    )


def _request(step: Request) -> dict[str, Any]:
    return {
        "send": {
            "method": step.method,
            "address": pieces(step.address.text),
            "unfilled": unfilled(step.address),
            "query": [{"name": name, "value": pieces(value.text)} for name, value in step.query],
            "headers": [
                {"name": name, "value": pieces(value.text)} for name, value in step.headers
            ],
            "auth": sign_in(step.auth, step.signed_by) if step.auth else None,
            "body": _body(step.body) if step.body else None,
            "options": _options(step.options),
        },
        "expect": [expectation(item) for item in step.expect],
        "without": list(step.without),
    }


def _lookup(step: LookUp) -> dict[str, Any]:
    asked = step.asked
    return {
        "lookUp": {
            "database": step.database,
            "table": asked.table,
            "columns": list(asked.columns),
            "where": [
                {
                    "column": item.column,
                    "relation": item.relation,
                    "value": pieces(_shown(item.expected)),
                }
                for item in asked.conditions
            ],
            "order": list(asked.order),
            "sql": pieces(asked.sql.text) if asked.sql else [],
            "most": step.most,
        },
        "expect": [expectation(item) for item in step.expect],
        "without": [],
    }


def _write(write: Write) -> dict[str, Any]:
    columns = [
        {
            "name": name,
            "of": pieces(
                cell.of_step or (cell.of.text if isinstance(cell.of, Subject) else _shown(cell.of))
            ),
        }
        for name, cell in write.columns
    ]
    return {"table": write.table, "columns": columns}


def _body(body: Body) -> dict[str, Any]:
    content = body.content
    if body.kind == "form":
        text = "\n".join(f"{name} = {in_a_line(value.text)}" for name, value in content)
    elif body.kind in ("text", "file"):
        text = content.text
    elif body.kind == "multipart":
        text = "\n".join(part_in_a_line(part) for part in content)
    elif isinstance(content, XmlText):
        text = "".join(
            piece if isinstance(piece, str) else piece[0].text for piece in content.pieces
        )
    elif isinstance(content, JsonText):
        text = "".join(
            piece
            if isinstance(piece, str)
            else plain.as_text(plain.write_json(piece[0].text).decode())
            for piece in content.pieces
        )
    else:
        text = msgspec.json.format(plain.write_json(written_tree(content)), indent=2).decode()
    return {"kind": body.kind, "text": pieces(text.rstrip("\n"))}


def in_a_line(value: str) -> str:
    """A value as it stands behind its name in a line, read back as it is (pairs.ts, `pairsOf`): one
    that has line breaks, or blanks around it, as a JSON string with an escape in it. Quotes alone
    are what they are."""
    escaped = value[:1] == '"' == value[-1:] and "\\" in value
    if not escaped and value == value.strip(_BLANKS) and not _BREAK.search(value):
        return value
    inner = value.strip(_BLANKS)
    begin = len(value) - len(value.lstrip(_BLANKS))
    ends = (value[:begin], value[begin + len(inner) :])
    before, after = ("".join(f"\\u{ord(blank):04x}" for blank in blanks) for blanks in ends)
    return f'"{before}{plain.write_json(inner).decode()[1:-1]}{after}"'


_BREAK = re.compile(r"[\n\r]")
_BLANKS = (
    "\t\n\v\f\r \xa0\u1680\u2000\u2001\u2002\u2003\u2004\u2005\u2006\u2007\u2008\u2009\u200a"
    "\u2028\u2029\u202f\u205f\u3000\ufeff"
)
"""What is taken off the ends of a line's value (ECMAScript's white space)."""


def part_in_a_line(part: MultipartPart) -> str:
    """A part of a multipart body in one line, as it is typed: `name = text`, `name = file
    data/plan.pdf, application/pdf`. A text that has a type, or would not be read back as it is,
    stands as a JSON string."""
    value = f"file {part.file.text}" if part.file else part.text.text if part.text else ""
    odd = (
        bool(_BREAK.search(value))
        or value != value.strip(_BLANKS)
        or value.startswith(('"', "file "))
    )
    if part.text and (part.media_type or odd):
        value = plain.write_json(value).decode()
    return f"{part.name.text} = {value}" + (f", {part.media_type}" if part.media_type else "")


def sign_in(auth: Auth, origin: str = "") -> dict[str, Any]:
    """How a step signs in, with the part that says who: the user, the key's name, the client.
    `origin`: where it comes from, if it is not the step's own."""
    if auth.kind == "none":
        return {"kind": "none", "value": [], "from": origin}
    words = {"key": f"the {auth.at[0]} {auth.at[1]}", "oauth2": "a token for "}.get(auth.kind, "")
    part = auth.parts[1] if auth.kind == "oauth2" else auth.parts[0]
    return {
        "kind": auth.kind,
        "from": origin,
        "value": [{"text": words}]
        if auth.kind == "key"
        else ([{"text": words}] if words else []) + pieces(part.text),
    }


def _options(options: Options) -> list[str]:
    """The options that the step sets itself, each in words."""
    words = []
    if options.timeout_us is not None:
        words.append(f"at most {measures.show_duration(options.timeout_us)}")
    if options.largest_body is not None:
        words.append(f"at most {measures.show_size(options.largest_body)}")
    if options.retries:
        words.append(f"{options.retries} {'retry' if options.retries == 1 else 'retries'}")
    for value, sentence in (
        (options.follow_redirects is False, "redirects not followed"),
        (options.verify_tls is False, "certificate not verified"),
        (options.cookies is False, "cookies not kept"),
        (options.fresh_connection, "a connection of its own"),
        (options.certificate is not None, "a client certificate"),
        (options.proxy is not None, "through a proxy"),
        (options.at_once is not None, f"at most {options.at_once} at once"),
        (options.per_second is not None, f"at most {options.per_second or 0:g} in a second"),
        (bool(options.namespaces), "namespaces of its own"),
        (bool(options.trusted), f"trusts redirects to {', '.join(options.trusted or ())}"),
    ):
        if value:
            words.append(sentence)
    return words


def _repeat(repeat: Repeat) -> dict[str, Any]:
    every, at_most = (
        measures.show_duration(repeat.every_us),
        measures.show_duration(repeat.at_most_us),
    )
    until = " and ".join(item.sentence for item in repeat.until)
    return {"until": until, "every": every, "at most": at_most}


def expectation(item: Expectation, role: str = "") -> dict[str, Any]:
    """A check or a group as it is read; a group has parts, each with its role (`when`, `then`,
    `otherwise`, or none)."""
    if isinstance(item, Check):
        return {**_check(item), "parts": [], "role": role}
    then = "then" if item.kind == "when" else ""
    parts = [
        *((part, "when") for part in item.when),
        *((part, then) for part in item.parts),
        *((part, "otherwise") for part in item.otherwise),
    ]
    head = {"when": "when", "for each": f"each of {item.of.text if item.of else ''}"}.get(
        item.kind
    ) or HEADS[item.kind]
    return {
        "of": "",
        "phrase": head,
        "expected": [],
        "sentence": item.sentence,
        "typed": write_sentence(document_of(item)),
        "advice": item.advice,
        "off": item.off,
        "note": item.note,
        "parts": [expectation(part, name) for part, name in parts],
        "role": role,
    }


def document_of(item: Expectation) -> dict[str, Any]:
    """A check or a group as a document writes it, without notes and marks."""
    if isinstance(item, Check):
        check: dict[str, Any] = {"of": item.of.text, **({"any": True} if item.any else {})}
        return {**check, item.relation: _expected(item)}
    parts = [document_of(part) for part in item.parts]
    if item.kind == "when":
        group: dict[str, Any] = {"when": [document_of(part) for part in item.when], "then": parts}
        return (
            {**group, "otherwise": [document_of(part) for part in item.otherwise]}
            if item.otherwise
            else group
        )
    if item.kind == "for each":
        group = {"for each": item.of.text if item.of else "", "expect": parts}
        return {**group, "may be empty": True} if item.may_be_empty else group
    return {item.kind: parts}


def _expected(check: Check) -> Any:
    return (
        written(check.expected)
        if TABLE[check.relation].takes.compiled == "body"
        else written_tree(check.expected)
    )


def _check(check: Check) -> dict[str, Any]:
    of, phrase, expected = parts_of_sentence(
        check.of.text, check.relation, _expected(check), check.any
    )
    return {
        "of": of,
        "phrase": phrase,
        "expected": pieces(expected),
        "sentence": check.sentence,
        "typed": write_sentence(document_of(check)),
        "advice": check.advice,
        "off": check.off,
        "note": check.note,
    }


def _threads(steps: list[Step]) -> list[dict[str, Any]]:
    """From where a value is kept or set to where it is used. `broken`: some use stands before the
    first keep."""
    kept: dict[str, list[int]] = {}
    for number, step in enumerate(steps, 1):
        for name in () if step.inside else step.keeps():
            kept.setdefault(name, []).append(number)
    uses: dict[tuple[int, str], list[int]] = {}
    early: dict[str, list[int]] = {}
    for number, step in enumerate(steps, 1):
        used = frozenset(reference.name for reference, _ in own_references(step))
        for name in used | asked_for(step):
            before = [place for place in kept.get(name, ()) if place < number]
            if before:
                uses.setdefault((before[-1], name), []).append(number)
            elif name in used and name in kept and number not in kept[name]:
                early.setdefault(name, []).append(number)
    threads = [
        {"name": name, "from": place, "to": to, "broken": False}
        for (place, name), to in uses.items()
    ]
    threads += [
        {"name": name, "from": kept[name][0], "to": to, "broken": True}
        for name, to in early.items()
    ]
    return sorted(threads, key=lambda thread: (thread["from"], thread["name"]))


ENTRIES: dict[str, Callable[[Any, dict[str, list[int]]], dict[str, Any]]] = {
    "request": lambda step, _: _request(step),
    "look up": lambda step, _: _lookup(step),
    "set": lambda step, to: {
        "set": [
            {"name": name, "value": pieces(_shown(tree)), "to": to[name]}
            for name, tree in step.values
        ]
    },
    "wait": lambda step, _: {"wait": measures.show_duration(step.us)},
    "shared": lambda step, to: {"use": _use(step, to)},
    "for each": lambda step, _: {"each": {"of": pieces(_shown(step.of)), "item": step.item}},
}
"""What the outline says of each kind of step, from the step and where its kept values go."""
