"""A case as it is read: steps, their bands as pieces of text and references, and the threads between them.

This is what a page shows without an editor; everything in it can be worked out from the document alone. A text with
references is a list of pieces: `{"text": "/port-calls/"}` or `{"text": "[=portCallId]", "name": "portCallId"}`.
"""

from __future__ import annotations

from typing import Any

import msgspec

from saltpath.core import measures, plain
from saltpath.core.case import Body, Case, Check, JsonText, Options, Request, SetValues, Step, Wait
from saltpath.core.checks.relations import TABLE
from saltpath.core.checks.typed import write_sentence
from saltpath.core.grammar import Unreadable
from saltpath.core.inspect import used_names
from saltpath.core.references import Template, read_template

Piece = dict[str, str]


def outline(case: Case) -> dict[str, Any]:
    """`{steps: [...], threads: [...]}`; steps are numbered from 1 in the order of execution."""
    steps = list(case.parts())
    threads = _threads([step for _, _, step in steps])
    to = {(thread["from"], thread["name"]): thread["to"] for thread in threads if not thread["broken"]}
    described = []
    for number, (part, index, step) in enumerate(steps, 1):
        entry: dict[str, Any] = {"number": number, "part": part, "index": index, "key": step.key, "kind": step.kind, "name": step.name,
                 "off": step.off}  # fmt: skip
        if isinstance(step, Request):
            entry |= _request(step)
            entry["keep"] = [
                {"name": keep.name, "of": keep.of.text, "secret": keep.secret, "to": to.get((number, keep.name), [])}
                for keep in step.keep
            ]
        elif isinstance(step, SetValues):
            entry["set"] = [
                {"name": name, "value": pieces(_shown(tree)), "to": to.get((number, name), [])}
                for name, tree in step.values
            ]
        elif isinstance(step, Wait):
            entry["wait"] = measures.show_duration(step.us)
        described.append(entry)
    return {"steps": described, "threads": threads}


def pieces(text: str) -> list[Piece]:
    """A text as pieces; one that cannot be read stays text."""
    try:
        template = read_template(text)
    except Unreadable:
        return [{"text": text}]
    return [
        {"text": part} if isinstance(part, str) else {"text": part.text, "name": part.full_name or "quoted"}
        for part in template.parts
    ]


def _shown(tree: Any) -> str:
    """A compiled tree as a text: a text as it is, all else as JSON."""
    written = _written(tree)
    return written if isinstance(written, str) else plain.as_text(written) if written is not None else "null"


def _written(tree: Any) -> Any:
    if isinstance(tree, Template):
        return tree.text
    if isinstance(tree, list):
        return [_written(item) for item in tree]
    if isinstance(tree, dict):
        return {key: _written(item) for key, item in tree.items()}
    return tree


def _request(step: Request) -> dict[str, Any]:
    return {
        "send": {
            "method": step.method,
            "address": pieces(step.address.text),
            "query": [{"name": name, "value": pieces(value.text)} for name, value in step.query],
            "headers": [{"name": name, "value": pieces(value.text)} for name, value in step.headers],
            "auth": {"kind": step.auth.kind, "value": pieces(step.auth.parts[0].text)} if step.auth else None,
            "body": _body(step.body) if step.body else None,
            "options": _options(step.options),
        },
        "expect": [_check(check) for check in step.expect],
    }


def _body(body: Body) -> dict[str, Any]:
    if body.kind == "form":
        text = "\n".join(f"{name} = {value.text}" for name, value in body.content)
    elif body.kind == "text":
        text = body.content.text
    elif isinstance(body.content, JsonText):
        text = "".join(
            piece if isinstance(piece, str) else plain.as_text(plain.write_json(piece[0].text).decode())
            for piece in body.content.pieces
        )
    else:
        text = msgspec.json.format(plain.write_json(_written(body.content)), indent=2).decode()
    return {"kind": body.kind, "text": pieces(text.rstrip("\n"))}


def _options(options: Options) -> list[str]:
    """The options that the step sets itself, each in words."""
    words = []
    if options.timeout_us is not None:
        words.append(f"at most {measures.show_duration(options.timeout_us)}")
    if options.largest_body is not None:
        words.append(f"at most {measures.show_size(options.largest_body)}")
    if options.follow_redirects is False:
        words.append("redirects not followed")
    if options.verify_tls is False:
        words.append("certificate not verified")
    return words


def _check(check: Check) -> dict[str, Any]:
    written = _written(check.expected)
    words = check.sentence.split(TABLE[check.relation].phrase, 1)
    tail = words[1].strip() if len(words) > 1 else ""
    phrase = TABLE[check.relation].phrase
    if check.relation in ("present", "absent", "empty"):
        phrase = check.sentence.removeprefix(check.of.text).strip()
        tail = ""
    return {
        "of": ("any of " if check.any else "") + check.of.text,
        "phrase": phrase,
        "expected": pieces(tail if not isinstance(written, str) else tail or written),
        "sentence": check.sentence,
        "typed": write_sentence({"of": check.of.text, "any": check.any, check.relation: written}),
        "advice": check.advice,
        "off": check.off,
        "note": check.note,
    }


def _threads(steps: list[Step]) -> list[dict[str, Any]]:
    """From where a value is kept or set to where it is used. `broken`: some use stands before the first keep."""
    kept: dict[str, list[int]] = {}
    for number, step in enumerate(steps, 1):
        names = [keep.name for keep in step.keep] if isinstance(step, Request) else []
        if isinstance(step, SetValues):
            names = [name for name, _ in step.values]
        for name in names:
            kept.setdefault(name, []).append(number)
    uses: dict[tuple[int, str], list[int]] = {}
    early: dict[str, list[int]] = {}
    for number, step in enumerate(steps, 1):
        for name in used_names(step):
            before = [place for place in kept.get(name, ()) if place < number]
            if before:
                uses.setdefault((before[-1], name), []).append(number)
            elif name in kept and number not in kept[name]:
                early.setdefault(name, []).append(number)
    threads = [{"name": name, "from": place, "to": to, "broken": False} for (place, name), to in uses.items()]
    threads += [{"name": name, "from": kept[name][0], "to": to, "broken": True} for name, to in early.items()]
    return sorted(threads, key=lambda thread: (thread["from"], thread["name"]))
