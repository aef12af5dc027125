"""Bodies of a request: JSON and XML kept as written with their references marked, text, forms,
several parts, files."""

from __future__ import annotations

import re
from typing import Any

from saltpath.core.cases.case import Body, JsonText, MultipartPart, XmlText
from saltpath.core.format.nodes import Node
from saltpath.core.format.reading import Reading, check_asked, found
from saltpath.core.references.templates import Reference, Template, read_template
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.nearest import listed

BODY_KEYS = ("json", "xml", "text", "form", "multipart", "file")
TYPED = ("text", "file", "xml")
PART_KEYS = ("name", "text", "file", "type")
_SOAP = {
    "http://schemas.xmlsoap.org/soap/envelope/": "text/xml; charset=utf-8",
    "http://www.w3.org/2003/05/soap-envelope": "application/soap+xml; charset=utf-8",
}
_PRINTABLE = re.compile(r"[\t -~]*")
_STRING = re.compile(r'"(?:[^"\\]|\\.)*"', re.DOTALL)


def read_body(reading: Reading, keys: dict[str, Node], path: str) -> Body | None:
    """The one body of a request step's keys."""
    kinds = [kind for kind in BODY_KEYS if kind in keys]
    if len(kinds) > 1:
        reading.wrong(f"a request has one body; found {listed(kinds)}", path, keys[kinds[1]].line)
    if "type" in keys and (not kinds or kinds[0] not in TYPED):
        reading.wrong(f"type belongs to a body that is {listed(TYPED)}", path, keys["type"].line)
    if not kinds:
        return None
    kind, node = kinds[0], keys[kinds[0]]
    media_type = _media_type(reading, keys.get("type"), f"{path}.type")
    if kind == "json":
        return Body("json", _json(reading, node, f"{path}.json"))
    if kind == "xml":
        return _xml(reading, node, f"{path}.xml", media_type)
    if kind == "form":
        return Body("form", read_pairs(reading, node, f"{path}.form"))
    if kind == "multipart":
        return Body("multipart", _parts(reading, node, f"{path}.multipart"))
    if kind == "file":
        return Body("file", reading.template(node, f"{path}.file", "file"), media_type)
    return Body(
        "text",
        reading.template(node, f"{path}.text", "text"),
        media_type or "text/plain; charset=utf-8",
    )


def _media_type(reading: Reading, node: Node | None, path: str) -> str:
    """What goes out as Content-Type as it stands; nothing in it may begin another line."""
    text = reading.text(node, path, "type")
    if node is not None and not _PRINTABLE.fullmatch(text):
        reading.wrong(
            "a type is letters, digits and signs in one line, such as text/plain; charset=utf-8",
            path,
            node.line,
        )
    return text


def read_pairs(
    reading: Reading, node: Node | None, path: str, asks: tuple[str, ...] = ()
) -> tuple[tuple[str, Template], ...]:
    """A mapping, or a list of [name, value] where a name repeats."""
    if node is None:
        return ()
    if isinstance(node.value, dict):
        pairs = list(node.value.items())
    else:
        pairs = []
        for index, child in enumerate(reading.items(node, path, "this")):
            if (
                isinstance(child.value, list)
                and len(child.value) == 2
                and isinstance(child.value[0].value, str)
            ):
                pairs.append((child.value[0].value, child.value[1]))
            else:
                reading.wrong(
                    f"expected a pair [name, value]; found {found(child)}",
                    f"{path}[{index}]",
                    child.line,
                )
    return tuple(
        (name, reading.template(child, f"{path}.{name}", name, asks)) for name, child in pairs
    )


def _json(reading: Reading, node: Node, path: str) -> Any:
    """A text stays byte for byte with its strings' references marked; plain YAML becomes a compiled
    tree."""
    if not isinstance(node.value, str):
        return reading.tree(node, path)
    text = node.value
    try:
        plain.read_json(text)
    except plain.NotPlain as problem:
        hint = (
            '; a reference stands inside quotes: "[=name]"' if "[=" in _STRING.sub("", text) else ""
        )
        reading.wrong(
            f"the body is not JSON: {problem}{hint} (use text with type for what is none)",
            path,
            node.line,
        )
        return JsonText((text,))
    pieces: list[str | tuple[Template, bool]] = []
    at = 0
    for string in _STRING.finditer(text):
        inner = plain.read_json(string[0])
        if "[=" not in inner:
            continue
        try:
            template = read_template(inner)
            check_asked(template.references(), ())
        except Unreadable as problem:
            reading.wrong(str(problem), path, node.line + 1 + text.count("\n", 0, string.start()))
            continue
        is_key = text[string.end() :].lstrip()[:1] == ":"
        pieces += [text[at : string.start()], (template, is_key)]
        at = string.end()
    pieces.append(text[at:])
    return JsonText(tuple(piece for piece in pieces if piece != ""))


def _xml(reading: Reading, node: Node, path: str, media_type: str) -> Body:
    """An XML text, each reference with the place it stands in. Its type follows from the envelope,
    if it is one."""
    template = reading.template(node, path, "xml")
    try:
        pieces = _placed(template)
        root = _parsed("".join(part if isinstance(part, str) else "x" for part in template.parts))
    except Unreadable as problem:
        reading.wrong(str(problem), path, node.line)
        return Body("xml", XmlText(()), media_type)
    namespace = str(root.tag)[1:].partition("}")[0] if str(root.tag).endswith("}Envelope") else ""
    return Body(
        "xml", XmlText(pieces), media_type or _SOAP.get(namespace, "application/xml; charset=utf-8")
    )


def _parsed(text: str) -> Any:
    from saltpath.core.paths import xml_tree
    from saltpath.core.values.why import Blocked

    try:
        return xml_tree.read_xml(text.encode(), "utf-8").root
    except (xml_tree.NotXml, Blocked) as problem:
        raise Unreadable(
            f"the body is not XML: {problem} (use text with type for what is none)"
        ) from None


_ENDS = {"comment": "-->", "cdata": "]]>", "instruction": "?>", "doctype": ">", '"': '"', "'": "'"}
_BEGINS = (
    ("<!--", "comment"),
    ("<![CDATA[", "cdata"),
    ("<?", "instruction"),
    ("<!", "doctype"),
    ("<", "tag"),
)


def _placed(template: Template) -> tuple[str | tuple[Reference, str], ...]:
    """The template's pieces, each reference with `text`, `attribute` or `cdata`. Raises Unreadable
    elsewhere."""
    state = "text"
    pieces: list[str | tuple[Reference, str]] = []
    for part in template.parts:
        if isinstance(part, str):
            state = _after(part, state)
            pieces.append(part)
            continue
        place = "attribute" if state in ('"', "'") else state
        if place not in ("text", "attribute", "cdata"):
            raise Unreadable(
                f"{part.text} stands in a {state} of the XML; it can stand in text or in an "
                "attribute's value"
            )
        pieces.append((part, place))
    return tuple(pieces)


def _after(text: str, state: str) -> str:
    """In what an XML text is after this piece of it."""
    at = 0
    while at < len(text):
        if state == "text":
            at = text.find("<", at)
            if at < 0:
                return state
            mark, state = next(pair for pair in _BEGINS if text.startswith(pair[0], at))
            at += len(mark)
        elif state == "tag":
            if text[at] in "\"'>":
                state = "text" if text[at] == ">" else text[at]
            at += 1
        else:
            end = text.find(_ENDS[state], at)
            if end < 0:
                return state
            at = end + len(_ENDS[state])
            state = "tag" if state in ('"', "'") else "text"
    return state


def _parts(reading: Reading, node: Node, path: str) -> tuple[MultipartPart, ...]:
    parts: list[MultipartPart] = []
    for index, child in enumerate(reading.items(node, path, "multipart")):
        place = f"{path}[{index}]"
        keys = reading.mapping(child, place, PART_KEYS, (), "a part")
        if "name" not in keys or ("text" in keys) == ("file" in keys):
            reading.wrong("a part needs a name, and either text or file", place, child.line)
            continue
        text, file = (
            reading.template(keys[key], f"{place}.{key}", key) if key in keys else None
            for key in ("text", "file")
        )
        name = reading.template(keys["name"], f"{place}.name", "name")
        parts.append(
            MultipartPart(name, text, file, _media_type(reading, keys.get("type"), f"{place}.type"))
        )
    return tuple(parts)
