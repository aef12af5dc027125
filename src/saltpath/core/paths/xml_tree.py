"""XML read safely, and XPath 1.0 over it, by lxml. No entities, no network, no document type, no
huge trees.

Places are written with the prefixes that the document declares; the default namespace of its root
has the prefix `_`.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from decimal import Decimal
from functools import lru_cache
from typing import Any, NamedTuple

from lxml import etree
from msgspec import Struct

from saltpath.core.paths import offloading
from saltpath.core.values.charsets import codec_of
from saltpath.core.values.errors import SaltPathError
from saltpath.core.values.why import Blocked, why

LARGEST_QUICK = 256_000
MOST_LEVELS = 256
_ENTITIES = "it declares entities, which Salt Path does not read"
Namespaces = tuple[tuple[str, str], ...]


class NotXml(SaltPathError, ValueError):
    """The octets are not XML that is read here; says why, with the line."""

    code = "not-xml"


class XPathError(SaltPathError, ValueError):
    """The text is not an XPath, or uses a prefix that nobody declares."""

    code = "no-path"


MOST_PREFIXES = 1_000
"""So many prefixes of a document are known to XPaths; each costs every one of them."""


class Document(NamedTuple):
    """A document and its prefixes. `names` maps prefixes to namespaces, `prefixes` the other way
    round."""

    root: Any
    names: dict[str, str]
    prefixes: dict[str, str]


class XmlNode(NamedTuple):
    """What an XPath found: where, and its value. A node's value is text; a number or a truth value
    has no place."""

    place: str
    value: Any


def read_xml(octets: bytes, charset: str = "") -> Document:
    """Raises NotXml, or Blocked if it is nested too deeply."""
    if charset and codec_of(charset) is None:
        raise NotXml(f"its charset {charset} is not known")
    encoding = charset if charset and charset.lower() not in ("utf-8", "utf8") else None
    try:
        root = etree.fromstring(octets.lstrip() if encoding is None else octets, _parser(encoding))
    except LookupError:
        return read_xml(_as_utf8(octets, charset), "")
    except (etree.XMLSyntaxError, ValueError) as problem:
        text = str(problem).replace(" (<string>, ", " (")
        if "amplification" in text or "reference loop" in text.lower():
            raise NotXml(_ENTITIES) from None
        if "depth" in text.lower():
            raise Blocked(why("too-deep", levels=MOST_LEVELS)) from None
        raise NotXml(re.sub(r"\(line (\d+)\)$", r"(line \1)", text) or "it is empty") from None
    declared = root.getroottree().docinfo.internalDTD
    if declared is not None and any(True for _ in declared.iterentities()):
        raise NotXml(_ENTITIES)
    return _with_prefixes(root)


def _parser(encoding: str | None) -> etree.XMLParser:
    return etree.XMLParser(
        resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False, encoding=encoding
    )


def _as_utf8(octets: bytes, charset: str) -> bytes:
    """The document in UTF-8, where its charset has a name that only Python knows; without its own
    declaration of one."""
    try:
        text = octets.decode(charset)
    except (LookupError, ValueError):
        raise NotXml(f"it is not text in {charset}") from None
    return re.sub(r"\A\s*<\?xml[^>]*\?>", "", text).encode()


def _with_prefixes(root: Any) -> Document:
    names: dict[str, str] = {}
    for prefix, uri in sorted(root.nsmap.items(), key=lambda pair: pair[0] is not None):
        names.setdefault(prefix or "_", uri)
    for _, (prefix, uri) in etree.iterwalk(root, events=("start-ns",)):
        if prefix:
            names.setdefault(prefix, uri)
            if len(names) >= MOST_PREFIXES:
                break
    return Document(root, names, {uri: prefix for prefix, uri in reversed(names.items())})


@lru_cache(maxsize=1024)
def check_xpath(expression: str) -> str:
    """The expression, if it is an XPath 1.0. Raises XPathError."""
    try:
        etree.XPath(expression)
    except etree.XPathSyntaxError as problem:
        raise XPathError(f"the XPath {expression} cannot be read: {str(problem).lower()}") from None
    return expression


class XPathAsked(Struct, frozen=True):
    """An XPath over a body: its nodes in the document's order."""

    octets: bytes
    charset: str
    expression: str
    namespaces: Namespaces

    def answer(self) -> list[XmlNode]:
        return evaluate(read_xml(self.octets, self.charset), self.expression, dict(self.namespaces))


def evaluate(document: Document, expression: str, namespaces: Mapping[str, str]) -> list[XmlNode]:
    """Every node, in the document's order. Raises XPathError."""
    try:
        found = document.root.getroottree().xpath(
            expression, namespaces={**document.names, **namespaces}
        )
    except etree.XPathError as problem:
        known = ", ".join({**document.names, **namespaces}) or "none"
        reason = str(problem).lower()
        hint = f"; the prefixes are {known}" if "namespace" in reason or "prefix" in reason else ""
        raise XPathError(f"the XPath {expression} cannot be evaluated: {reason}{hint}") from None
    if isinstance(found, list):
        numbers = _Numbers()
        return [_node(item, document, numbers) for item in found]
    if isinstance(found, float):
        whole = found == int(found) if abs(found) < 1e15 else False
        return [XmlNode("", int(found) if whole else _number(found))]
    return [XmlNode("", bool(found) if isinstance(found, bool) else str(found))]


def _number(value: float) -> Any:
    return Decimal(repr(value)) if abs(value) <= 1.7e308 else str(value)


def _node(item: Any, document: Document, numbers: _Numbers) -> XmlNode:
    # an attribute or a text, which lxml gives as text that knows its parent
    if isinstance(item, str):
        parent = item.getparent()  # type: ignore[attr-defined]
        place = place_of(parent, document, numbers) if parent is not None else ""
        if item.is_attribute:  # type: ignore[attr-defined]
            name = _named(item.attrname, document)  # type: ignore[attr-defined]
            return XmlNode(f"{place}/@{name}", str(item))
        return XmlNode(f"{place}/text()", str(item))
    if isinstance(item, tuple):  # a namespace
        return XmlNode("", item[1])
    return XmlNode(
        place_of(item, document, numbers),
        "".join(item.itertext()) if isinstance(item.tag, str) else item.text or "",
    )


class _Numbers:
    """Which of its alike siblings an element is, worked out once for each parent."""

    def __init__(self) -> None:
        self._known: dict[Any, dict[str, list[Any]]] = {}
        self._index: dict[Any, int] = {}

    def of(self, element: Any) -> str:
        parent = element.getparent()
        if parent is None:
            return ""
        if parent not in self._known:
            alike: dict[str, list[Any]] = {}
            for child in parent:
                alike.setdefault(str(child.tag), []).append(child)
            self._known[parent] = alike
            self._index |= {
                child: index for some in alike.values() for index, child in enumerate(some, 1)
            }
        return f"[{self._index[element]}]" if len(self._known[parent][str(element.tag)]) > 1 else ""


def place_of(element: Any, document: Document, numbers: _Numbers | None = None) -> str:
    """The element's exact place, `/soap:Envelope/soap:Body/_:cargo[2]`."""
    numbers = numbers or _Numbers()
    parts: list[str] = []
    while element is not None:
        if not isinstance(element.tag, str):
            parts.append(
                "comment()" if element.tag is etree.Comment else "processing-instruction()"
            )
        else:
            parts.append(_named(element.tag, document) + numbers.of(element))
        element = element.getparent()
    return "/" + "/".join(reversed(parts))


def _named(tag: str, document: Document) -> str:
    if tag[0] != "{":
        return tag
    uri, _, local = tag[1:].partition("}")
    prefix = document.prefixes.get(uri)
    return f"{prefix}:{local}" if prefix else f"*[local-name()='{local}']"


_NAME = (
    r"@?(?:[\w.-]+:)?[\w.-]+"  # no axis: preceding:: and the like look at all nodes for each node
)
_TEST = rf"(?:{_NAME}|@?\*|text\(\))"
_WITHIN = rf"(?:\d+|last\(\)|{_NAME}(?:\s*!?=\s*(?:'[^']*'|\"[^\"]*\"|\d+(?:\.\d+)?))?)"
_PATH = rf"(?:/{{1,2}}{_TEST}(?:\[\s*{_WITHIN}\s*\])*)+"
_QUICK = re.compile(
    r"(?:(?:count|string|number|boolean|normalize-space|sum|name|local-name)"
    rf"\(\s*{_PATH}\s*\)|{_PATH})"
)


def is_quick(expression: str, size: int) -> bool:
    """Whether an XPath is surely evaluated in a moment: one walk down the tree, each test of its
    own node alone."""
    return (
        size <= LARGEST_QUICK
        and expression.count("//") <= 1
        and _QUICK.fullmatch(expression) is not None
    )


def found_by(
    document_of: Any, octets: bytes, charset: str, expression: str, namespaces: Namespaces
) -> list[XmlNode]:
    """The nodes, at once or as the caller can have them. `document_of()` gives the document that
    was read.

    Raises XPathError, NotXml, offloading.TooSlow, Blocked."""
    if not offloading.is_deferred() or is_quick(expression, len(octets)):
        return evaluate(document_of(), expression, dict(namespaces))
    found = offloading.ask(XPathAsked(octets, charset, expression, namespaces))
    return [XmlNode(*node) for node in found]


def as_xpath_literal(value: Any) -> str:
    """A value as XPath writes it: text in whichever quotes it does not hold."""
    if isinstance(value, bool):
        return "true()" if value else "false()"
    if not isinstance(value, str):
        return str(value)
    if "'" not in value:
        return f"'{value}'"
    if '"' not in value:
        return f'"{value}"'
    parts = ', "\'", '.join(f"'{part}'" for part in value.split("'"))
    return f"concat({parts})"
