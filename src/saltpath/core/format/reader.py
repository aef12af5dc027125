"""A document to a Case: every key known, every text parsed once, everything wrong reported with line and nearest key."""

from __future__ import annotations

import re
from typing import Any

from saltpath.core import measures, plain
from saltpath.core.case import (
    NO_OPTIONS,
    Auth,
    Body,
    Case,
    JsonText,
    Keep,
    NamedValues,
    Options,
    Place,
    Request,
    SetValues,
    Step,
    Wait,
)
from saltpath.core.format.check_reader import read_check, read_subject_of
from saltpath.core.format.reading import Reading, found
from saltpath.core.format.source import FormatError, Node, Problem, from_data, read_source
from saltpath.core.grammar import Unreadable
from saltpath.core.nearest import listed, nearest
from saltpath.core.references import RESERVED, Template, compile_tree, is_name, read_template

CASE_KEYS = ("salt-path", "case", "about", "key", "register", "tags", "values", "options", "on failure", "steps", "afterwards")  # fmt: skip
CASE_LATER = ("rows", "once", "at the end", "every answer")
STEP_KINDS = ("request", "set", "wait")
STEP_LATER = ("shared", "look up", "for each")
REQUEST_KEYS = ("request", "key", "off", "send", "query", "headers", "auth", "json", "text", "type", "form", "options", "expect", "keep")  # fmt: skip
REQUEST_LATER = ("operation", "xml", "multipart", "file", "repeat", "only if", "write", "without")
BODY_KEYS = ("json", "text", "form")
OPTION_KEYS = ("timeout", "follow redirects", "verify tls", "largest body")
OPTION_LATER = ("retries", "retry after", "cookies", "client certificate", "namespaces", "fresh connection", "proxy")
_METHOD = re.compile(r"[A-Za-z0-9!#$%&'*+.^_`|~-]+")
_HEADER = _METHOD
_CASE_KEY = re.compile(r"[a-z0-9]{10}")
_STEP_KEY = re.compile(r"[a-z0-9]{6}")


# ---- a case


def read_case(text: str, file: str = "") -> Case:
    """Read a case's text. Raises FormatError with every problem."""
    try:
        return case_of(read_source(text).root, file)
    except FormatError as problem:
        raise located(problem, file) from None


def case_from_data(data: Any) -> Case:
    """Read a case's document as the store keeps it. Raises FormatError."""
    return case_of(from_data(data), "")


def located(problem: FormatError, file: str) -> FormatError:
    """The same problems with the file's name."""
    return FormatError([Problem(p.sentence, p.line, p.column, p.path, p.file or file) for p in problem.problems])


def case_of(root: Node, file: str) -> Case:
    reading = Reading(file)
    keys = reading.mapping(root, "", CASE_KEYS, CASE_LATER, "a case")
    version(reading, keys.get("salt-path"), root)
    if "case" not in keys:
        reading.wrong("a case needs a name: case: A visiting vessel is given a berth", "", root.line)
    if not isinstance(keys.get("steps", Node([])).value, list) or "steps" not in keys:
        reading.wrong("a case needs steps, a list", "", keys["steps"].line if "steps" in keys else root.line)
    on_failure = reading.text(keys.get("on failure"), "on failure", "on failure")
    if on_failure not in ("", "stop", "go on"):
        node = keys["on failure"]
        reading.wrong(f"on failure must be stop or go on; found {found(node)}", "on failure", node.line)
    case = Case(
        name=reading.text(keys.get("case"), "case", "the case's name"),
        key=_key(reading, keys.get("key"), "key", _CASE_KEY, "ten letters or digits"),
        about=reading.text(keys.get("about"), "about", "about"),
        register=reading.text(keys.get("register"), "register", "register"),
        tags=tuple(reading.text(n, f"tags[{i}]", "a tag") for i, n in enumerate(reading.items(keys.get("tags"), "tags", "tags"))),
        values=named_values(reading, keys.get("values"), "values"),
        options=options(reading, keys.get("options"), "options"),
        stop_on_failure=on_failure != "go on",
        steps=_steps(reading, keys.get("steps"), "steps"),
        afterwards=_steps(reading, keys.get("afterwards"), "afterwards"),
        place=Place("", root.line),
    )  # fmt: skip
    reading.finish()
    return case


def version(reading: Reading, node: Node | None, root: Node) -> None:
    if node is None:
        reading.wrong("the first key must be salt-path: 1", "", root.line)
    elif node.value != 1 or isinstance(node.value, bool):
        reading.wrong(f"this is version {found(node)} of the format; this Salt Path reads 1", "salt-path", node.line)


def _key(reading: Reading, node: Node | None, path: str, shape: re.Pattern[str], wanted: str) -> str:
    key = reading.text(node, path, "key")
    if node is not None and key and not shape.fullmatch(key):
        reading.wrong(f"a key is {wanted}, written by Salt Path; found {found(node)}", path, node.line)
    return key


def named_values(reading: Reading, node: Node | None, path: str) -> NamedValues:
    """`values:` of any document. `{ secret: true }` names a value that files never hold."""
    if node is None:
        return NamedValues()
    if not isinstance(node.value, dict):
        reading.wrong(f"values must be a mapping of names; found {found(node)}", path, node.line)
        return NamedValues()
    values: dict[str, Any] = {}
    secret: set[str] = set()
    for name, child in node.value.items():
        line = node.keys.get(name, child.line)
        if not is_name(name):
            word = (
                "is a reserved word" if name in RESERVED else "begins with a letter and holds letters, digits, - and _"
            )
            reading.wrong(f"the name of a value {word}; found {name!r}", path, line)
        elif isinstance(child.value, dict) and "secret" in child.value:
            keys = reading.mapping(child, f"{path}.{name}", ("secret",), (), "a secret value")
            if reading.flag(keys.get("secret"), f"{path}.{name}", "secret"):
                secret.add(name)
        else:
            reading.tree(child, f"{path}.{name}")
            values[name] = child.data()
    return NamedValues(values, frozenset(secret))


def options(reading: Reading, node: Node | None, path: str) -> Options:
    if node is None:
        return NO_OPTIONS
    keys = reading.mapping(node, path, OPTION_KEYS, OPTION_LATER, "options")
    follow, verify = keys.get("follow redirects"), keys.get("verify tls")
    return Options(
        timeout_us=reading.measure(keys.get("timeout"), f"{path}.timeout", measures.duration),
        follow_redirects=None if follow is None else reading.flag(follow, path, "follow redirects"),
        verify_tls=None if verify is None else reading.flag(verify, path, "verify tls"),
        largest_body=reading.measure(keys.get("largest body"), f"{path}.largest body", measures.size),
    )


# ---- steps


def _steps(reading: Reading, node: Node | None, path: str) -> tuple[Step, ...]:
    steps: list[Step] = []
    for index, child in enumerate(reading.items(node, path, path)):
        step = _step(reading, child, f"{path}[{index}]")
        if step is not None:
            steps.append(step)
    return tuple(steps)


def _step(reading: Reading, node: Node, path: str) -> Step | None:
    if not isinstance(node.value, dict):
        reading.wrong(f"a step must be a mapping that begins with its kind; found {found(node)}", path, node.line)
        return None
    kinds = [key for key in (*STEP_KINDS, *STEP_LATER) if key in node.value]
    if not kinds:
        near = next((n for key in node.value if (n := nearest(key, STEP_KINDS))), None)
        hint = f"did you mean {near!r}?" if near else f"expected one of {listed(STEP_KINDS)}"
        reading.wrong(f"this step has no kind; {hint}", path, node.line)
        return None
    if kinds[0] in STEP_LATER:
        reading.wrong(
            f"a step {kinds[0]!r} is part of the format; this version cannot carry it out yet", path, node.line
        )
        return None
    return {"request": _request, "set": _set, "wait": _wait}[kinds[0]](reading, node, path)


def _set(reading: Reading, node: Node, path: str) -> Step:
    keys = reading.mapping(node, path, ("set", "key", "off"), (), "a set step")
    values = named_values(reading, keys["set"], f"{path}.set")
    compiled = tuple((name, compile_tree_quietly(value)) for name, value in values.values.items())
    if values.secret:
        reading.wrong("a set step cannot hold a secret; a file never does", path, node.line)
    name = f"set {listed(values.values, 3)}"
    return SetValues(name, _step_key(reading, keys, path), compiled, _off(reading, keys, path), Place(path, node.line))


def compile_tree_quietly(value: Any) -> Any:
    """A tree whose faults were reported already when it was read."""
    try:
        return compile_tree(value)
    except Unreadable:
        return None


def _wait(reading: Reading, node: Node, path: str) -> Step:
    keys = reading.mapping(node, path, ("wait", "key", "off"), (), "a wait step")
    us = reading.measure(keys["wait"], f"{path}.wait", measures.duration) or 0
    name = f"wait {measures.show_duration(us)}"
    return Wait(name, _step_key(reading, keys, path), us, _off(reading, keys, path), Place(path, node.line))


def _step_key(reading: Reading, keys: dict[str, Node], path: str) -> str:
    return _key(reading, keys.get("key"), f"{path}.key", _STEP_KEY, "six letters or digits")


def _off(reading: Reading, keys: dict[str, Node], path: str) -> bool:
    return reading.flag(keys.get("off"), f"{path}.off", "off")


def _request(reading: Reading, node: Node, path: str) -> Step:
    keys = reading.mapping(node, path, REQUEST_KEYS, REQUEST_LATER, "a request step")
    method, address = _send(reading, keys.get("send"), path, node)
    return Request(
        name=reading.text(keys["request"], path, "the step's name"),
        key=_step_key(reading, keys, path),
        method=method,
        address=address,
        query=_pairs(reading, keys.get("query"), f"{path}.query"),
        headers=_headers(reading, keys.get("headers"), f"{path}.headers"),
        auth=_auth(reading, keys.get("auth"), f"{path}.auth"),
        body=_body(reading, keys, path),
        options=options(reading, keys.get("options"), f"{path}.options"),
        expect=tuple(
            check
            for index, child in enumerate(reading.items(keys.get("expect"), f"{path}.expect", "expect"))
            if (check := read_check(reading, child, f"{path}.expect[{index}]")) is not None
        ),
        keep=_keeps(reading, keys.get("keep"), f"{path}.keep"),
        off=_off(reading, keys, path),
        place=Place(path, node.line),
    )


def _send(reading: Reading, node: Node | None, path: str, step: Node) -> tuple[str, Template]:
    if node is None:
        reading.wrong("a request step needs send: METHOD address, such as GET [=harbour]/berths", path, step.line)
        return "GET", Template("", ())
    text = reading.text(node, f"{path}.send", "send")
    method, _, address = text.strip().partition(" ")
    if not address.strip() or not _METHOD.fullmatch(method):
        reading.wrong(f"send is written METHOD address, such as GET [=harbour]/berths; found {text!r}", path, node.line)
        return "GET", Template("", ())
    return method, reading.template(Node(address.strip(), node.line), f"{path}.send", "send")


def _pairs(reading: Reading, node: Node | None, path: str) -> tuple[tuple[str, Template], ...]:
    """A mapping, or a list of [name, value] where a name repeats."""
    if node is None:
        return ()
    if isinstance(node.value, dict):
        pairs = list(node.value.items())
    else:
        pairs = []
        for index, child in enumerate(reading.items(node, path, "this")):
            if isinstance(child.value, list) and len(child.value) == 2 and isinstance(child.value[0].value, str):
                pairs.append((child.value[0].value, child.value[1]))
            else:
                reading.wrong(f"expected a pair [name, value]; found {found(child)}", f"{path}[{index}]", child.line)
    return tuple((name, reading.template(child, f"{path}.{name}", name)) for name, child in pairs)


def _headers(reading: Reading, node: Node | None, path: str) -> tuple[tuple[str, Template], ...]:
    pairs = _pairs(reading, node, path)
    for name, _ in pairs:
        if not _HEADER.fullmatch(name):
            reading.wrong(f"{name!r} cannot be the name of a header", path, node.line if node else 0)
    return pairs


def _auth(reading: Reading, node: Node | None, path: str) -> Auth | None:
    if node is None:
        return None
    keys = reading.mapping(node, path, ("bearer", "basic"), ("digest", "key", "oauth2"), "auth")
    if len(keys) > 1:
        reading.wrong("auth takes one kind: bearer or basic", path, node.line)
    if "bearer" in keys:
        return Auth("bearer", (reading.template(keys["bearer"], f"{path}.bearer", "bearer"),))
    if "basic" in keys:
        parts = reading.items(keys["basic"], f"{path}.basic", "basic")
        if len(parts) != 2:
            reading.wrong("basic takes two: [user, password]", f"{path}.basic", keys["basic"].line)
            return None
        return Auth("basic", tuple(reading.template(part, f"{path}.basic", "basic") for part in parts))
    return None


def _body(reading: Reading, keys: dict[str, Node], path: str) -> Body | None:
    kinds = [kind for kind in BODY_KEYS if kind in keys]
    if len(kinds) > 1:
        reading.wrong(f"a request has one body; found {listed(kinds)}", path, keys[kinds[1]].line)
    if "type" in keys and kinds != ["text"]:
        reading.wrong("type belongs to a text body", path, keys["type"].line)
    if not kinds:
        return None
    kind, node = kinds[0], keys[kinds[0]]
    if kind == "json":
        return Body("json", _json_body(reading, node, f"{path}.json"))
    if kind == "form":
        return Body("form", _pairs(reading, node, f"{path}.form"))
    media_type = reading.text(keys.get("type"), f"{path}.type", "type") or "text/plain; charset=utf-8"
    return Body("text", reading.template(node, f"{path}.text", "text"), media_type)


_STRING = re.compile(r'"(?:[^"\\]|\\.)*"', re.DOTALL)


def _json_body(reading: Reading, node: Node, path: str) -> Any:
    """A text stays byte for byte with its strings' references marked; plain YAML becomes a compiled tree."""
    if not isinstance(node.value, str):
        return reading.tree(node, path)
    text = node.value
    try:
        plain.read_json(text)
    except plain.NotPlain as problem:
        hint = '; a reference stands inside quotes: "[=name]"' if "[=" in _STRING.sub("", text) else ""
        reading.wrong(f"the body is not JSON: {problem}{hint} (use text with type for what is none)", path, node.line)
        return JsonText((text,))
    pieces: list[str | tuple[Template, bool]] = []
    at = 0
    for string in _STRING.finditer(text):
        inner = plain.read_json(string[0])
        if "[=" not in inner:
            continue
        try:
            template = read_template(inner)
        except Unreadable as problem:
            reading.wrong(str(problem), path, node.line + 1 + text.count("\n", 0, string.start()))
            continue
        is_key = text[string.end() :].lstrip()[:1] == ":"
        pieces += [text[at : string.start()], (template, is_key)]
        at = string.end()
    pieces.append(text[at:])
    return JsonText(tuple(piece for piece in pieces if piece != ""))


def _keeps(reading: Reading, node: Node | None, path: str) -> tuple[Keep, ...]:
    if node is None:
        return ()
    if not isinstance(node.value, dict):
        reading.wrong(f"keep must be a mapping of name: subject; found {found(node)}", path, node.line)
        return ()
    keeps: list[Keep] = []
    for name, child in node.value.items():
        line = node.keys.get(name, child.line)
        secret, subject_node = False, child
        if isinstance(child.value, dict):
            keys = reading.mapping(child, f"{path}.{name}", ("of", "secret"), (), "a keep")
            secret = reading.flag(keys.get("secret"), f"{path}.{name}", "secret")
            subject_node = keys.get("of", Node(None, child.line))
        if not is_name(name):
            reading.wrong(f"a value cannot be named {name!r}", path, line)
        subject = read_subject_of(reading, subject_node, f"{path}.{name}")
        if subject is not None:
            keeps.append(Keep(name, subject, secret, Place(f"{path}.{name}", line)))
    return tuple(keeps)
