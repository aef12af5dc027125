"""A request step: what is sent, how it signs in, what is expected, what is kept."""

from __future__ import annotations

import re

from saltpath.core.cases.case import Auth, Request
from saltpath.core.cases.expectations import Expectation, Keep, Place, Repeat, checks_in
from saltpath.core.format.body_reader import BODY_KEYS, read_body, read_pairs
from saltpath.core.format.check_reader import read_expectations, read_subject_of
from saltpath.core.format.nodes import Node
from saltpath.core.format.options_reader import options
from saltpath.core.format.output_reader import read_write
from saltpath.core.format.reading import Reading, found
from saltpath.core.references.templates import Template, is_name
from saltpath.core.running.step_references import asks
from saltpath.core.values import measures

REQUEST_KEYS = (
    "request",
    "key",
    "off",
    "send",
    "query",
    "headers",
    "auth",
    *BODY_KEYS,
    "type",
    "options",
    "only if",
    "repeat",
    "without",
    "expect",
    "keep",
    "write",
)
REQUEST_LATER = ("operation",)
AUTH_KINDS = ("bearer", "basic", "digest", "key", "oauth2")
OAUTH2_KEYS = ("token url", "client id", "client secret", "scope")
_TOKEN = re.compile(r"[A-Za-z0-9!#$%&'*+.^_`|~-]+")


def read_request(reading: Reading, node: Node, path: str, step_key: str, off: bool) -> Request:
    keys = reading.mapping(node, path, REQUEST_KEYS, REQUEST_LATER, "a request step")
    method, address = _send(reading, keys.get("send"), path, node)
    query = read_pairs(reading, keys.get("query"), f"{path}.query", ("request",))
    headers = _headers(reading, keys.get("headers"), f"{path}.headers")
    expect = read_expectations(reading, keys.get("expect"), f"{path}.expect", "expect")
    repeat = read_repeat(reading, keys.get("repeat"), f"{path}.repeat")
    return Request(
        name=reading.text(keys["request"], path, "the step's name"),
        key=step_key,
        method=method,
        address=address,
        query=query,
        headers=headers,
        auth=read_sign_in(reading, keys.get("auth"), f"{path}.auth"),
        body=read_body(reading, keys, path),
        options=options(reading, keys.get("options"), f"{path}.options"),
        expect=expect,
        keep=read_keeps(reading, keys.get("keep"), f"{path}.keep"),
        only_if=read_condition(reading, keys.get("only if"), f"{path}.only if"),
        repeat=repeat,
        without=tuple(
            reading.text(child, f"{path}.without[{index}]", "the note of a check on every answer")
            for index, child in enumerate(
                reading.items(keys.get("without"), f"{path}.without", "without")
            )
        ),
        write=read_write(reading, keys.get("write"), f"{path}.write"),
        signs=any(
            reference.asks
            for _, template in (*query, *headers)
            for reference in template.references()
        ),
        asks=asks((*expect, *(repeat.until if repeat else ()))),
        off=off,
        place=Place(path, node.line),
    )


def read_condition(reading: Reading, node: Node | None, path: str) -> tuple[Expectation, ...]:
    """`only if:` one check or a list, of values alone, since there is no answer yet."""
    items = _one_or_more(reading, node, path)
    for check in checks_in(items):
        if check.of.kind != "value":
            reading.wrong(
                f"only if looks at values, such as {{ of: value portCallId, present: true }}; "
                f"found {check.of.text}",
                check.place.path,
                check.place.line,
            )
    return items


def _one_or_more(reading: Reading, node: Node | None, path: str) -> tuple[Expectation, ...]:
    if node is not None and isinstance(node.value, dict):
        node = Node([node], node.line)
    return read_expectations(reading, node, path, path.rpartition(".")[2])


def read_repeat(reading: Reading, node: Node | None, path: str) -> Repeat | None:
    if node is None:
        return None
    keys = reading.mapping(node, path, ("until", "every", "at most"), (), "repeat")
    until = _one_or_more(reading, keys.get("until"), f"{path}.until")
    if len(keys) < 3 or not until:
        reading.wrong(
            "repeat needs until, every and at most: { until: [ ... ], every: 1 s, at most: 20 s }",
            path,
            node.line,
        )
        return None
    every = reading.measure(keys["every"], f"{path}.every", measures.duration)
    at_most = reading.measure(keys["at most"], f"{path}.at most", measures.duration)
    return Repeat(until, every or 0, at_most or 0)


def _send(reading: Reading, node: Node | None, path: str, step: Node) -> tuple[str, Template]:
    if node is None:
        reading.wrong(
            "a request step needs send: METHOD address, such as GET [=harbour]/berths",
            path,
            step.line,
        )
        return "GET", Template("", ())
    text = reading.text(node, f"{path}.send", "send")
    method, _, address = text.strip().partition(" ")
    if not address.strip() or not _TOKEN.fullmatch(method):
        reading.wrong(
            f"send is written METHOD address, such as GET [=harbour]/berths; found {text!r}",
            path,
            node.line,
        )
        return "GET", Template("", ())
    return method, reading.template(Node(address.strip(), node.line), f"{path}.send", "send")


def _headers(reading: Reading, node: Node | None, path: str) -> tuple[tuple[str, Template], ...]:
    pairs = read_pairs(reading, node, path, ("request",))
    for name, _ in pairs:
        if not _TOKEN.fullmatch(name):
            reading.wrong(
                f"{name!r} cannot be the name of a header", path, node.line if node else 0
            )
    return pairs


def read_sign_in(reading: Reading, node: Node | None, path: str) -> Auth | None:
    """How a request signs in, or those of a case, a suite, a project do that do not say it
    themselves."""
    if node is None:
        return None
    if node.value == "none":
        return Auth("none", ())
    keys = reading.mapping(node, path, AUTH_KINDS, (), "auth")
    if len(keys) > 1 or node.value == {}:
        reading.wrong(
            "auth takes one kind: bearer, basic, digest, key or oauth2; or none", path, node.line
        )
    for kind, inner in keys.items():
        place = f"{path}.{kind}"
        if kind == "bearer":
            return Auth("bearer", (reading.template(inner, place, "bearer"),))
        if kind == "key":
            return _key_auth(reading, inner, place)
        if kind == "oauth2":
            return _oauth2(reading, inner, place)
        parts = reading.items(inner, place, kind)
        if len(parts) != 2:
            reading.wrong(f"{kind} takes two: [user, password]", place, inner.line)
            return None
        return Auth(
            "digest" if kind == "digest" else "basic",
            tuple(reading.template(part, place, kind) for part in parts),
        )
    return None


def _key_auth(reading: Reading, node: Node, path: str) -> Auth | None:
    keys = reading.mapping(node, path, ("in", "name", "value"), (), "a key")
    place, name = (
        reading.text(keys.get("in"), path, "in"),
        reading.text(keys.get("name"), path, "name"),
    )
    if place not in ("header", "query", "cookie") or not name or "value" not in keys:
        reading.wrong(
            "a key is written { in: header, query or cookie, name: X-Key, value: ... }",
            path,
            node.line,
        )
        return None
    if place != "query" and not _TOKEN.fullmatch(name):
        reading.wrong(f"{name!r} cannot be the name of a {place}", path, node.line)
    return Auth("key", (reading.template(keys["value"], f"{path}.value", "value"),), (place, name))


def _oauth2(reading: Reading, node: Node, path: str) -> Auth | None:
    keys = reading.mapping(node, path, OAUTH2_KEYS, (), "oauth2")
    missing = [key for key in OAUTH2_KEYS[:3] if key not in keys]
    if missing:
        reading.wrong(f"oauth2 needs {', '.join(missing)}", path, node.line)
        return None
    empty = Node("", node.line)
    return Auth(
        "oauth2",
        tuple(reading.template(keys.get(key, empty), f"{path}.{key}", key) for key in OAUTH2_KEYS),
    )


def read_keeps(reading: Reading, node: Node | None, path: str) -> tuple[Keep, ...]:
    if node is None:
        return ()
    if not isinstance(node.value, dict):
        reading.wrong(
            f"keep must be a mapping of name: subject; found {found(node)}", path, node.line
        )
        return ()
    keeps: list[Keep] = []
    for name, child in node.value.items():
        line = node.keys.get(name, child.line)
        secret, build, subject_node = False, False, child
        if isinstance(child.value, dict):
            keys = reading.mapping(child, f"{path}.{name}", ("of", "secret", "build"), (), "a keep")
            secret = reading.flag(keys.get("secret"), f"{path}.{name}", "secret")
            build = reading.flag(keys.get("build"), f"{path}.{name}", "build")
            if secret and build:
                told = "what says the build is shown with every run; a secret cannot"
                reading.wrong(told, f"{path}.{name}", line)
            subject_node = keys.get("of", Node(None, child.line))
        if not is_name(name):
            reading.wrong(f"a value cannot be named {name!r}", path, line)
        subject = read_subject_of(reading, subject_node, f"{path}.{name}")
        if subject is not None:
            keeps.append(Keep(name, subject, secret, Place(f"{path}.{name}", line), build))
    return tuple(keeps)
