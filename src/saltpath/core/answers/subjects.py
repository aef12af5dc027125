"""Subjects: what a check or a keep reads of an answer. A table: `status`, `header NAME`, `$.path`,
`value NAME`...

`read_subject` parses the text once; `find` gives the nodes with their places, or says why there are
none.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from functools import lru_cache
from typing import Any, NamedTuple

from msgspec import Struct
from msgspec.structs import replace

from saltpath.core.answers.answer import Answer, headers_of
from saltpath.core.paths import jsonpath, offloading, patterns
from saltpath.core.references.pipes import apply_pipes, read_pipe
from saltpath.core.references.scopes import Scopes, fill_path
from saltpath.core.references.templates import (
    Reference,
    Template,
    named,
    read_template,
    split_pieces,
)
from saltpath.core.values.grammar import Pipe, Unreadable
from saltpath.core.values.nearest import listed, nearest
from saltpath.core.values.why import Blocked, Why, why

UNITS = {"time": "duration", "time to first byte": "duration", "size": "size"}
"""What the values of subjects are measured in: microseconds, and bytes."""


class Found(NamedTuple):
    """What a subject yields: nodes, whether it stands for one place (`single`), and where its
    values come from.

    `source` is `json`, `text` (headers, cookies: a number as expected compares as a number),
    `duration` (integer microseconds) or `size` (integer bytes). `nothing` says why there are no
    nodes.
    """

    nodes: list[tuple[str, Any]]
    single: bool
    source: str
    nothing: Why | None = None


class Subject(Struct, frozen=True):
    """A subject as written. `argument` is a header's or value's name, or the path with its
    references. `plain`: the status, or one place in the body, without pipes or references."""

    text: str
    kind: str
    argument: Template | str = ""
    pipes: tuple[Pipe, ...] = ()
    path: jsonpath.Path | None = None
    plain: bool = False

    @property
    def unit(self) -> str:
        return UNITS.get(self.kind, "")

    def references(self) -> Iterator[Reference]:
        """Every reference in its path and its pipes."""
        if isinstance(self.argument, Template):
            yield from self.argument.references()
        for pipe in self.pipes:
            if pipe.inner is not None:
                yield from pipe.inner.references()


class SubjectKind(NamedTuple):
    """One subject: how it is written, what it is, and how it is found."""

    shape: str
    about: str
    example: str
    find: Callable[[Subject, Answer, Scopes], Found]


def _status(subject: Subject, answer: Answer, scopes: Scopes) -> Found:
    return Found([("status", answer.status)], True, "json")


def _time(subject: Subject, answer: Answer, scopes: Scopes) -> Found:
    return Found([("time", answer.time_us)], True, "duration")


def _size(subject: Subject, answer: Answer, scopes: Scopes) -> Found:
    return Found([("size", len(answer.body))], True, "size")


def _type(subject: Subject, answer: Answer, scopes: Scopes) -> Found:
    if answer.media_type:
        return Found([("type", answer.media_type)], True, "text")
    return Found([], True, "text", _no_header("Content-Type", answer))


def _header(subject: Subject, answer: Answer, scopes: Scopes) -> Found:
    name = str(subject.argument)
    values = answer.header_values(name)
    place = f"header {name}"
    if not values:
        return Found([], True, "text", _no_header(name, answer))
    if len(values) == 1:
        return Found([(place, values[0])], True, "text")
    return Found(
        [(f"{place} ({index})", value) for index, value in enumerate(values, 1)], False, "text"
    )


def _no_header(name: str, answer: Answer) -> Why:
    names = [key for key, _ in answer.headers]
    near = nearest(name, names)
    return (
        why("no-header-near", name=name, near=near)
        if near
        else why("no-header", name=name, names=listed(names))
    )


def _cookie(subject: Subject, answer: Answer, scopes: Scopes) -> Found:
    name = str(subject.argument)
    for head in (answer.head, *answer.redirects):
        for header, line in headers_of(head):
            key, _, value = line.partition(";")[0].partition("=")
            if header.lower() == "set-cookie" and key.strip() == name:
                return Found([(f"cookie {name}", value.strip())], True, "text")
    return Found([], True, "text", why("no-cookie", name=name))


def _body(subject: Subject, answer: Answer, scopes: Scopes) -> Found:
    text = answer.text()
    if isinstance(text, Why):
        return Found([], True, "text", text)
    return Found([("body", text)], True, "text")


def _path(subject: Subject, answer: Answer, scopes: Scopes) -> Found:
    path = subject.path if subject.path is not None else _filled_path(subject, scopes)
    document = answer.json()
    if document is jsonpath.MISSING:
        return Found([], path.singular, "json", answer.unread)
    if path.singular:
        value = path.get(document)
        if value is not jsonpath.MISSING:
            return Found([(path.text, value)], True, "json")
        return Found([], True, "json", jsonpath.nothing_there(path, document))
    try:
        nodes = [(jsonpath.as_path(node.location), node.value) for node in path.nodes(document)]
    except jsonpath.PathTimeout:
        raise Blocked(
            why("path-timeout", path=path.text, ms=int(jsonpath.LIMIT_S * 1000))
        ) from None
    return Found(nodes, False, "json", None if nodes else jsonpath.nothing_there(path, document))


def _filled_path(subject: Subject, scopes: Scopes) -> jsonpath.Path:
    assert isinstance(subject.argument, Template)
    text = fill_path(
        subject.argument, lambda reference: jsonpath.as_literal(scopes.resolve(reference))
    )
    try:
        return jsonpath.read_path(text)
    except jsonpath.PathError as problem:
        raise Blocked(why("path-unreadable", path=text, problem=str(problem))) from None


def _xpath(subject: Subject, answer: Answer, scopes: Scopes) -> Found:
    from saltpath.core.paths import xml_tree

    expression = subject.argument
    if isinstance(expression, Template):
        expression = fill_path(
            expression, lambda reference: xml_tree.as_xpath_literal(scopes.resolve(reference))
        )
    document = answer.xml()
    if isinstance(document, Why):
        return Found([], False, "text", document)
    try:
        nodes = xml_tree.found_by(
            lambda: document, answer.body, answer.charset, expression, answer.namespaces or ()
        )
    except xml_tree.XPathError as problem:
        raise Blocked(why("unreadable", problem=str(problem))) from None
    except offloading.TooSlow:
        raise Blocked(
            why("path-timeout", path=expression, ms=int(offloading.LIMIT_S * 1000))
        ) from None
    if len(nodes) == 1 and not nodes[0].place:
        return Found(
            [(expression, nodes[0].value)],
            True,
            "text" if isinstance(nodes[0].value, str) else "json",
        )
    if nodes:
        return Found([(node.place, node.value) for node in nodes], False, "text")
    return Found([], False, "text", _nothing_in_xml(expression, document))


def _nothing_in_xml(expression: str, document: Any) -> Why:
    """With the element of nearest name, if the last name of the path is not the document's."""
    names = list({str(tag.tag).rpartition("}")[2] for tag in document.root.iter("*")})
    last = re.findall(r"[\w.-]+", expression)
    if last and last[-1] in names:
        return why(
            "nothing-there",
            path=expression,
            hint=f"there is an element {last[-1]}; look at where it stands, and at its prefix",
        )
    near = nearest(last[-1], names) if last else None
    hint = f"did you mean {near}?" if near else f"there are {listed(sorted(names))}"
    return why("nothing-there", path=expression, hint=hint)


def _matches(subject: Subject, answer: Answer, scopes: Scopes) -> Found:
    text = answer.text()
    if isinstance(text, Why):
        return Found([], False, "text", text)
    assert isinstance(subject.argument, Template)
    pattern = subject.argument.fixed
    if pattern is None:
        pattern = scopes.text(
            subject.argument, lambda inserted, value, reference: patterns.escaped(inserted)
        )
    matches = patterns.asked(patterns.FindAll(pattern, text))
    nodes = [(f"body at character {begin + 1}", value) for begin, value in matches]
    return Found(nodes, False, "text", None if nodes else why("no-match-in-body", pattern=pattern))


def _first_byte(subject: Subject, answer: Answer, scopes: Scopes) -> Found:
    return Found([("time to first byte", answer.first_us)], True, "duration")


def _value(subject: Subject, answer: Answer, scopes: Scopes) -> Found:
    name = str(subject.argument)
    try:
        return Found([(f"value {name}", scopes.resolve(named(name)))], True, "json")
    except Blocked as problem:
        if problem.reason.code != "no-value":
            raise
        return Found([], True, "json", problem.reason)


KINDS: dict[str, SubjectKind] = {
    "status": SubjectKind("status", "the answer's status code", "status", _status),
    "time": SubjectKind("time", "the whole exchange, connecting included", "time", _time),
    "time to first byte": SubjectKind(
        "time to first byte",
        "until the answer's first byte, connecting included",
        "time to first byte",
        _first_byte,
    ),
    "size": SubjectKind("size", "the decoded body's size", "size", _size),
    "type": SubjectKind("type", "the media type, without its parameters", "type", _type),
    "header": SubjectKind("header NAME", "an answer's header", "header Location", _header),
    "cookie": SubjectKind(
        "cookie NAME",
        "a cookie that the answer sets, or a redirect that led to it",
        "cookie desk",
        _cookie,
    ),
    "body": SubjectKind(
        "body",
        "the whole body: its document for relations of structure (fits, schema, kind, count ...), "
        "else its text",
        "body",
        _body,
    ),
    "match": SubjectKind(
        "body ~ REGEX",
        "what a pattern matches in the body: its first group, or all of it; a node a match",
        "body ~ PC-(\\d+)",
        _matches,
    ),
    "path": SubjectKind(
        "$...", "a place in a JSON body (JSONPath, RFC 9535)", "$.fee.total", _path
    ),
    "xpath": SubjectKind(
        "/... or //...",
        "a place in an XML body (XPath 1.0), or an XPath function's value",
        "//cargo/@code",
        _xpath,
    ),
    "value": SubjectKind("value NAME", "a value in scope", "value portCallId", _value),
}
_TOKEN = re.compile(r"[!#$%&'*+.^_`|~0-9A-Za-z-]+")  # RFC 9110, 5.6.2; cookies' names too
_XPATH = re.compile(r"/|[a-z][a-z-]*\(")


@lru_cache(maxsize=4096)
def read_subject(text: str) -> Subject:
    """Parse a subject. Raises Unreadable, with the nearest known subject."""
    whole = text.strip()
    text, pipes = _split_pipes(whole)
    word, _, rest = text.partition(" ")
    rest = rest.strip()
    if text.startswith("$"):
        template = read_template(text)
        if template.fixed is None:
            _read_path(fill_path(template, lambda reference: "0"))  # readable whatever is filled in
            return Subject(whole, "path", template, pipes)
        path = _read_path(text)
        return Subject(whole, "path", template, pipes, path, path.singular and not pipes)
    if _XPATH.match(text):
        return Subject(whole, "xpath", _read_xpath(text), pipes)
    if text.startswith("body ~"):
        return Subject(whole, "match", _read_match(text[6:].strip()), pipes)
    if text == "time to first byte":
        return Subject(whole, text, "", pipes)
    if word in ("header", "cookie", "value"):
        if not rest:
            raise Unreadable(f"{word} needs a name after it, such as {KINDS[word].example}")
        if word != "value" and not _TOKEN.fullmatch(rest):
            raise Unreadable(f"{rest!r} is not the name of a {word}")
        if word == "value":
            named(rest)
        return Subject(whole, word, rest, pipes)
    if word in KINDS and word != "path":
        if rest:
            raise Unreadable(f"{word} takes nothing after it, found {rest!r}")
        return Subject(whole, word, "", pipes, plain=word == "status" and not pipes)
    near = nearest(word, [name for name in KINDS if name != "path"])
    hint = (
        f"did you mean {near}?"
        if near
        else "expected status, time, size, type, header, cookie, body, $... or value"
    )
    raise Unreadable(f"there is no subject {text!r}; {hint}")


def is_read(text: str, pipes: int = 0) -> bool:
    """Whether a text made of somebody else's words (a header's name, a page's) is read as a subject
    with that many pipes and no reference; others are not proposed."""
    try:
        subject = read_subject(text)
    except Unreadable:
        return False
    return len(subject.pipes) == pipes and not any(True for _ in subject.references())


def of_document(subject: Subject) -> Subject:
    """The body as the document in it, where that is what a relation speaks of; any other subject as
    it is."""
    if subject.kind != "body" or subject.pipes:
        return subject
    return replace(_DOCUMENT, text=subject.text)


def _read_path(text: str) -> jsonpath.Path:
    try:
        return jsonpath.read_path(text)
    except jsonpath.PathError as problem:
        raise Unreadable(f"the path {text} cannot be read: {problem}") from None


def _read_xpath(text: str) -> Template | str:
    """An XPath as text, or its template if references stand in it."""
    from saltpath.core.paths import xml_tree

    template = read_template(text)
    try:
        xml_tree.check_xpath(
            text if template.fixed is not None else fill_path(template, lambda reference: "''")
        )
    except xml_tree.XPathError as problem:
        raise Unreadable(str(problem)) from None
    return text if template.fixed is not None else template


def _read_match(text: str) -> Template:
    if not text:
        raise Unreadable("body ~ needs a pattern after it, such as body ~ PC-(\\d+)")
    template = read_template(text)
    try:
        patterns.compile_pattern(
            "".join(part if isinstance(part, str) else "x" for part in template.parts)
        )
    except patterns.PatternError as problem:
        raise Unreadable(f"the pattern {text} cannot be read: {problem}") from None
    return template


def _split_pipes(text: str) -> tuple[str, tuple[Pipe, ...]]:
    """`$.a | trim | upper` into the subject and its pipes, reusing the grammar of references."""
    if " | " not in text:
        return text, ()
    end, pieces = split_pieces(text + "]", 0)
    if end != len(text) + 1:
        raise Unreadable(f"in {text!r} a bracket is closed that was not opened")
    return pieces[0].strip(), tuple(read_pipe(piece.strip(), read_template) for piece in pieces[1:])


def find(subject: Subject, answer: Answer, scopes: Scopes) -> Found:
    """The nodes of a subject after its pipes. Raises Blocked (unreadable path, unfit pipe, body too
    deep)."""
    found = KINDS[subject.kind].find(subject, answer, scopes)
    if not subject.pipes or (found.nothing is not None and not found.nodes):
        return found
    if found.single:
        place, value = found.nodes[0]
        return Found([(place, apply_pipes(value, subject.pipes, scopes))], True, "json")
    value = apply_pipes([value for _, value in found.nodes], subject.pipes, scopes)
    return Found([(subject.text, value)], True, "json")


def taken(found: Found) -> Any:
    """The value that a keep takes: one node's value, several as a list."""
    values = [value for _, value in found.nodes]
    return values[0] if len(values) == 1 else values


_DOCUMENT = read_subject("$")
